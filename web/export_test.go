package web

import (
	"bytes"
	"encoding/csv"
	"html"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"greenbaton/core/idea"
)

// Every list is given out whole as CSV and as XLSX, which say the same, cell by cell: numbers as
// numbers, days as days, and what somebody typed as text, whatever it looks like.
func TestEveryListIsGivenOut(t *testing.T) {
	x, h := openServer(t, true)
	const trap = `=HYPERLINK("https://far.example","x")`
	for _, title := range []string{trap, "+1", "-1", "@mill", "007", "“Ü”, a; b"} {
		if _, _, err := x.Newsroom.Intake.Catch(ctx, 1, idea.Idea{DeskID: 1, Title: title, Notes: "two\nlines"}, 0); err != nil {
			t.Fatal(err)
		}
	}
	v := visit(t, h).as(1)
	for path, least := range map[string]int{
		"/pieces": 8, "/pieces?pace=out": 300, "/ideas?state=all": 24, "/requests?state=": 4, "/queries?which=all": 2, "/queries?which=settled": 1, "/reports?long=year": 50, "/reports?table=legs": 3, "/fees": 3,
	} {
		at, query, _ := strings.Cut(path, "?")
		_, text := v.get(at + "/csv?" + query)
		rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
		if err != nil {
			t.Fatalf("%s: %v", path, err)
		}
		if len(rows) < least+1 {
			t.Errorf("%s: %d rows", path, len(rows)-1)
		}
		res, book := v.get(at + "/xlsx?" + query)
		f, err := excelize.OpenReader(bytes.NewReader([]byte(book)))
		if err != nil {
			t.Fatalf("%s: %d %v", path, res.StatusCode, err)
		}
		sheet := f.GetSheetName(0)
		same, err := f.GetRows(sheet)
		if err != nil || len(same) != len(rows) {
			t.Fatalf("%s: %d rows in one, %d in the other: %v", path, len(rows), len(same), err)
		}
		for i, row := range rows {
			for k, cell := range row {
				is := ""
				if k < len(same[i]) {
					is = same[i][k]
				}
				if trimmed := strings.TrimPrefix(cell, "'"); is != cell && is != trimmed {
					t.Errorf("%s, row %d, column %s: %q in one, %q in the other", path, i, rows[0][k], cell, is)
				}
				name, err := excelize.CoordinatesToCellName(k+1, i+1)
				if err != nil {
					t.Fatal(err)
				}
				if formula, err := f.GetCellFormula(sheet, name); err != nil || formula != "" {
					t.Errorf("%s: %s is a formula: %q", path, name, formula)
				}
			}
		}
		if at == "/ideas" && !slices.ContainsFunc(same, func(r []string) bool { return r[0] == trap }) {
			t.Error("what was typed is another in the workbook")
		}
	}
	// What is filtered on the page is in the file as well, beyond what the page shows.
	_, page := v.get("/pieces?pace=out")
	if _, text := v.get("/pieces/csv?pace=out&channel=" + url.QueryEscape("2")); !strings.Contains(page, "pace=out") || strings.Count(text, "\n") < 100 {
		t.Errorf("%d lines", strings.Count(text, "\n"))
	}
}

// What is on view in lineup, track and load is given out too: the pieces of its span and filter.
func TestWhatIsOnViewIsGivenOut(t *testing.T) {
	_, h := openServer(t, true)
	v := visit(t, h).as(1)
	links := regexp.MustCompile(`href="(/pieces/csv\?[^"]*)"`)
	for path, want := range map[string]func(rows [][]string) bool{
		"/lineup?weeks=2": func(rows [][]string) bool { return len(rows) > 5 && len(rows) < 60 },
		"/lineup?weeks=2&format=3": func(rows [][]string) bool {
			return len(rows) > 1 && !contains(rows, "Feature") && contains(rows, "Letter")
		},
		"/track": func(rows [][]string) bool { return len(rows) > 20 && !contains(rows, "out") },
		"/load":  func(rows [][]string) bool { return len(rows) > 20 },
	} {
		_, page := v.get(path)
		found := links.FindStringSubmatch(page)
		if found == nil {
			t.Errorf("%s gives nothing out", path)
			continue
		}
		_, text := v.get(html.UnescapeString(found[1]))
		rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
		if err != nil || !want(rows) {
			t.Errorf("%s: %v, %d rows from %s", path, err, len(rows), found[1])
		}
	}
}

func contains(rows [][]string, cell string) bool {
	return slices.ContainsFunc(rows, func(r []string) bool { return slices.Contains(r, cell) })
}
