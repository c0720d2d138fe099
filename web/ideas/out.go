package ideas

import (
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/format"
	"greenbaton/web/kit"
)

// sheet gives the ideas of a list as a table: all of them, as they are filtered and ordered.
func (s *Section) sheet(c *echo.Context) (string, format.Sheet, error) {
	_, f := asked(c)
	f.All = true
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return "", format.Sheet{}, err
	}
	l, err := s.Intake.Ideas(ctx, kit.Me(c).ID, f)
	if err != nil {
		return "", format.Sheet{}, err
	}
	t := format.Sheet{Name: "Ideas", Header: []string{"Title", "State", "Why", "Until", "Score", "Reach", "Fit", "Effort", "Source", "From whom", "Search phrase", "Volume", "Difficulty", "Tags", "Notes", "Links", "Caught by", "Caught", "Piece", "Address"}}
	for _, r := range l.Rows {
		row := []format.Cell{{Text: r.Title}, {Text: string(r.State)}, {Text: r.Why}, kit.DateCell(r.Until), {}, kit.NumberCell(r.Reach), kit.NumberCell(r.Fit), kit.NumberCell(r.Effort), {Text: string(r.Source)}, {Text: r.Origin},
			{Text: r.Phrase}, kit.NumberCell(r.Volume), kit.NumberCell(r.Difficulty), {Text: r.Tags}, {Text: r.Notes}, {Text: strings.TrimSpace(r.Links)}, {Text: b.Person(r.By).Name}, kit.DateCell(r.CaughtAt.Date(b.Zones[r.DeskID])), {}, {Text: fmt.Sprintf("%s/ideas/%d", s.Base, r.ID)}}
		if r.Scored {
			row[4] = format.Cell{Text: fmt.Sprint(r.Score), Number: true}
		}
		if r.PieceID != 0 {
			row[18] = format.Cell{Text: fmt.Sprintf("%s/pieces/%d", s.Base, r.PieceID)}
		}
		t.Rows = append(t.Rows, row)
	}
	return "ideas", t, nil
}
