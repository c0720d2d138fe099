package copy

import (
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/format"
	"greenbaton/web/kit"
)

// mostInSheet is how many queries a table has at most.
const mostInSheet = 100_000

// queriesSheet gives the queries of a list as a table: all of them, with their answers.
func (s *Section) queriesSheet(c *echo.Context) (string, format.Sheet, error) {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return "", format.Sheet{}, err
	}
	l, err := s.Copyroom.Queries(ctx, kit.Me(c).ID, whichAsked(c), c.QueryParam("text"), mostInSheet)
	if err != nil {
		return "", format.Sheet{}, err
	}
	t := format.Sheet{Name: "Queries", Header: []string{"Asked", "Piece", "About", "Words", "Query", "By", "For", "Answers", "Settled", "Address"}}
	for _, q := range l.Queries {
		row := l.Rows[q.PieceID]
		zone := b.Zones[row.DeskID]
		var answers []string
		for _, a := range q.Answers {
			answers = append(answers, b.Person(a.By).Name+": "+a.Text)
		}
		t.Rows = append(t.Rows, []format.Cell{kit.DateCell(q.At.Date(zone)), {Text: row.Title}, {Text: string(q.About)}, {Text: q.Quote}, {Text: q.Text}, {Text: b.Person(q.By).Name}, {Text: b.Person(q.ForID).Name}, {Text: strings.Join(answers, "\n")},
			kit.DateCell(q.SettledAt.Date(zone)), {Text: fmt.Sprintf("%s/pieces/%d", s.Base, q.PieceID)}})
	}
	return "queries", t, nil
}
