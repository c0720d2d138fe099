package requests

import (
	"fmt"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/format"
	"greenbaton/web/kit"
)

// sheet gives the requests of a list as a table: all of them, a column for each question that was
// answered.
func (s *Section) sheet(c *echo.Context) (string, format.Sheet, error) {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return "", format.Sheet{}, err
	}
	l, err := s.Intake.AllRequests(ctx, kit.Me(c).ID, kit.Here(c), stateAsked(c))
	if err != nil {
		return "", format.Sheet{}, err
	}
	var questions []string
	for i := range l.Rows {
		for _, a := range l.Rows[i].Said {
			if !slices.Contains(questions, a.Name) {
				questions = append(questions, a.Name)
			}
		}
	}
	t := format.Sheet{Name: "Requests", Header: append([]string{"Asked", "What", "Who", "Mail", "Wanted", "State", "Why", "Decided by", "Piece", "Address"}, questions...)}
	zone := b.Zones[kit.Here(c)]
	for i := range l.Rows {
		r := &l.Rows[i]
		row := []format.Cell{kit.DateCell(r.At.Date(zone)), {Text: r.Title}, {Text: r.Name}, {Text: r.Mail}, kit.DateCell(r.Wanted), {Text: r.State}, {Text: r.Why}, {Text: b.Person(r.SettledBy).Name}, {}, {Text: fmt.Sprintf("%s/requests/%d", s.Base, r.ID)}}
		if r.PieceID != 0 {
			row[8] = format.Cell{Text: fmt.Sprintf("%s/pieces/%d", s.Base, r.PieceID)}
		}
		for _, q := range questions {
			said := format.Cell{}
			for _, a := range r.Said {
				if a.Name == q {
					said.Text = a.Value
				}
			}
			row = append(row, said)
		}
		t.Rows = append(t.Rows, row)
	}
	return "requests", t, nil
}
