package kit

import (
	"fmt"
	"path"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/format"
)

// Export is where a list is given out as a file.
type Export struct {
	CSV, XLSX string
	Calendar  string // where it is made into a calendar; "" for lists that are none
}

// ExportOf gives where a list is given out: below its own address, with what it is asked for.
func ExportOf(at Address) Export {
	return Export{CSV: at.AlsoAt(at.Path + "/csv").With(), XLSX: at.AlsoAt(at.Path + "/xlsx").With()}
}

// SheetRoutes gives a table under an address out as CSV and as XLSX.
func SheetRoutes(g *echo.Group, under string, of func(*echo.Context) (name string, t format.Sheet, err error), only ...echo.MiddlewareFunc) {
	give := func(c *echo.Context) error {
		name, t, err := of(c)
		if err != nil {
			return err
		}
		return GiveSheet(c, path.Base(c.Request().URL.Path), name, t)
	}
	g.GET(under+"/csv", give, only...)
	g.GET(under+"/xlsx", give, only...)
}

// GiveSheet sends a table as a file of a kind, csv or xlsx.
func GiveSheet(c *echo.Context, kind, name string, t format.Sheet) error {
	h := c.Response().Header()
	h.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.%s"`, name, kind))
	if kind == "xlsx" {
		h.Set("Content-Type", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
		return format.WriteXLSX(c.Response(), t)
	}
	h.Set("Content-Type", "text/csv; charset=utf-8")
	return format.WriteCSV(c.Response(), t.Header, t.Texts())
}

// DateCell is a day in a table; none is empty.
func DateCell(d day.Date) format.Cell {
	if d == 0 {
		return format.Cell{}
	}
	return format.Cell{Text: d.String(), Date: true}
}

// NumberCell is a whole number in a table; nothing is empty.
func NumberCell[T ~int | ~int64](n T) format.Cell {
	if n == 0 {
		return format.Cell{}
	}
	return format.Cell{Text: fmt.Sprint(int64(n)), Number: true}
}
