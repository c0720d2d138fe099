package format

import (
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// Sheet is a table that is given out, as CSV or as XLSX.
type Sheet struct {
	Name   string
	Header []string
	Rows   [][]Cell
}

// Cell is one cell: text, a number with so many decimals, or a date by ISO 8601.
type Cell struct {
	Text   string
	Number bool
	Digits int
	Date   bool
}

// Texts gives the rows as they stand in CSV.
func (s Sheet) Texts() [][]string {
	out := make([][]string, len(s.Rows))
	for i, r := range s.Rows {
		for _, c := range r {
			out[i] = append(out[i], c.Text)
		}
	}
	return out
}

// mostLinks is how many cells of a workbook are links: the more there are, the longer each takes to add.
const mostLinks = 5_000

// isLink reports whether a cell is an address of the web, and nothing else.
func (c Cell) isLink() bool {
	return (strings.HasPrefix(c.Text, "https://") || strings.HasPrefix(c.Text, "http://")) && len(c.Text) < 2000 && !strings.ContainsAny(c.Text, " \t\r\n")
}

// WriteXLSX writes a table as an Office Open XML workbook: numbers are numbers, dates are dates, addresses
// of the web are links (of very long tables the first ones), the head stays in sight, and no text is a
// formula.
func WriteXLSX(w io.Writer, s Sheet) (err error) {
	f := excelize.NewFile()
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
	}()
	name := []rune(s.Name)
	sheet := string(name[:min(len(name), 31)]) // the most that a workbook allows
	if err := f.SetSheetName("Sheet1", sheet); err != nil {
		return err
	}
	styles := map[string]int{}
	style := func(key string, x excelize.Style) (int, error) {
		if n, ok := styles[key]; ok {
			return n, nil
		}
		n, err := f.NewStyle(&x)
		styles[key] = n
		return n, err
	}
	sw, err := f.NewStreamWriter(sheet)
	if err != nil {
		return err
	}
	if err := sw.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	if err := sw.SetColWidth(1, max(1, len(s.Header)), 18); err != nil {
		return err
	}
	head := make([]any, len(s.Header))
	bold, err := style("head", excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	for i, h := range s.Header {
		head[i] = excelize.Cell{StyleID: bold, Value: h}
	}
	if err := sw.SetRow("A1", head); err != nil {
		return err
	}
	links := 0
	for i, r := range s.Rows {
		row := make([]any, len(r))
		for k, c := range r {
			if c.isLink() && links < mostLinks {
				links++
				at, err := excelize.CoordinatesToCellName(k+1, i+2)
				if err != nil {
					return err
				}
				if err := f.SetCellHyperLink(sheet, at, c.Text, "External"); err != nil {
					return err
				}
			}
			if row[k], err = xlsxCell(c, style); err != nil {
				return fmt.Errorf("row %d: %w", i+2, err)
			}
		}
		if err := sw.SetRow("A"+strconv.Itoa(i+2), row); err != nil {
			return err
		}
	}
	if err := sw.Flush(); err != nil {
		return err
	}
	return f.Write(w)
}

func xlsxCell(c Cell, style func(string, excelize.Style) (int, error)) (any, error) {
	switch {
	case c.Text == "":
		return nil, nil
	case c.Date:
		d, err := time.Parse("2006-01-02", c.Text)
		if err != nil {
			return nil, err
		}
		form := "yyyy-mm-dd"
		n, err := style("date", excelize.Style{CustomNumFmt: &form})
		return excelize.Cell{StyleID: n, Value: d}, err
	case c.Number:
		v, err := strconv.ParseFloat(c.Text, 64)
		if err != nil {
			return nil, err
		}
		form := "0"
		if c.Digits > 0 {
			form = "#,##0." + "000000"[:c.Digits]
		}
		n, err := style(form, excelize.Style{CustomNumFmt: &form})
		return excelize.Cell{StyleID: n, Value: v}, err
	}
	return c.Text, nil
}
