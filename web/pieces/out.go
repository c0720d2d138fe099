package pieces

import (
	"fmt"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/core/sift"
	"greenbaton/format"
	"greenbaton/web/kit"
)

// sheet gives a list as a table: all of it, with the columns, the order and the filters it has on
// the screen, and where each piece is.
func (s *Section) sheet(c *echo.Context) (string, format.Sheet, error) {
	at, f, shown, err := s.asked(c)
	if err != nil {
		return "", format.Sheet{}, err
	}
	f.All = true
	l, err := s.Planning.List(c.Request().Context(), kit.Me(c).ID, f)
	if err != nil {
		return "", format.Sheet{}, err
	}
	t := format.Sheet{Name: "Pieces"}
	for _, x := range shown {
		t.Header = append(t.Header, x.Name)
	}
	t.Header = append(t.Header, "Address")
	for i := range l.Rows {
		e := l.Rows[i].Entry
		facts := e.Facts()
		var row []format.Cell
		for _, x := range shown {
			y := format.Cell{Text: cellText(at.B, e, x, &facts)}
			if n, ok := x.Figure(&facts); ok && y.Text != "" {
				y = format.Cell{Text: strconv.FormatFloat(n, 'f', digitsOf(x), 64), Number: true, Digits: digitsOf(x)}
			} else if d, ok := x.Day(&facts); ok && y.Text != "" {
				y = kit.DateCell(d)
			}
			row = append(row, y)
		}
		t.Rows = append(t.Rows, append(row, format.Cell{Text: fmt.Sprintf("%s/pieces/%d", s.Base, e.ID)}))
	}
	return "pieces", t, nil
}

// digitsOf gives with how many decimals a column of numbers is written.
func digitsOf(c *sift.Column) int {
	if c.Sums() {
		return 2
	}
	return 0
}
