package web

import (
	"encoding/csv"
	"html"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

var (
	numbered = regexp.MustCompile(`<a class="underline" href="(/reports/behind\?[^"]*)">(\d+)</a>`)
	inAll    = regexp.MustCompile(`(\d+) times in all`)
)

// Every number of a report leads to the pieces that make it, as many times as it says.
func TestEveryNumberOfAReportLeadsToItsPieces(t *testing.T) {
	_, h := open(t, true)
	for who, path := range map[int]string{1: "/reports?long=year&on=2026-06-01&by=writer", 2: "/reports?on=2026-11-01&legs=2&by=weekday&format=1,2", 3: "/reports?long=month&on=2026-11-01"} {
		c := visit(t, h).as(who)
		_, page := c.get(path)
		kinds := map[string]int{}
		for _, m := range numbered.FindAllStringSubmatch(page, -1) {
			link, want := html.UnescapeString(m[1]), m[2]
			kind := regexp.MustCompile(`behind=(\w+)`).FindStringSubmatch(link)[1]
			if kinds[kind]++; kinds[kind] > 12 {
				continue
			}
			_, made := c.get(link)
			got := strconv.Itoa(strings.Count(made, `<li class="py-2 border-b`))
			if x := inAll.FindStringSubmatch(made); x != nil {
				got = x[1]
			}
			if got != want {
				t.Errorf("%s says %s, and behind it are %s: %s", path, want, got, link)
			}
		}
		if len(kinds) < 6 {
			t.Errorf("%s has numbers of %d kinds only: %v", path, len(kinds), kinds)
		}
	}
}

// Each table of a report is a file as well, with the same rows and with numbers a program can read.
func TestEachTableOfAReportIsAFile(t *testing.T) {
	_, h := open(t, true)
	c := visit(t, h).as(1)
	_, page := c.get("/reports?on=2026-11-01")
	links := regexp.MustCompile(`href="(/reports/csv\?[^"]*table=(\w+)[^"]*)"`).FindAllStringSubmatch(page, -1)
	if len(links) != 8 {
		t.Fatalf("%d tables: %v", len(links), links)
	}
	for _, l := range links {
		res, body := c.get(html.UnescapeString(l[1]))
		rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
		if err != nil || len(rows) < 2 || !strings.Contains(res.Header.Get("Content-Disposition"), "report-"+l[2]) {
			t.Errorf("%s: %d rows, %v, %s", l[1], len(rows), err, res.Header)
			continue
		}
		switch l[2] {
		case "weeks":
			if rows[1][0] != "2026-10-01" || rows[1][1] != "2026-10-04" {
				t.Errorf("the first week is %q", rows[1])
			}
		case "people":
			if _, err := strconv.ParseFloat(rows[1][3], 64); err != nil {
				t.Errorf("hours are %q", rows[1][3])
			}
		}
	}
}
