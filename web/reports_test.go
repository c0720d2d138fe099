package web

import (
	"encoding/csv"
	"html"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

var (
	numbered = regexp.MustCompile(`<a class="underline"\s+href="(/reports/behind\?[^"]*)">(\d+)\s*</a>`)
	tag      = regexp.MustCompile(`<[^>]*>`)
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

// On a desk on which nothing happened yet each page of how it ran says so, and what to do first.
func TestReportsOfAnEmptyDeskSayWhyTheyAreEmpty(t *testing.T) {
	_, h := open(t, false)
	c := visit(t, h)
	c.get("/welcome")
	c.post("/welcome", url.Values{"name": {"Ines Ferro"}, "mail": {"ines@paper.example"}, "password": {"long enough now"}, "desk": {"The Paper"}, "zone": {"Europe/Lisbon"}, "country": {""},
		"weekday": {"1", "2", "3", "4"}, "channel": {"Web"}, "at": {"09:00"}, "format": {"Report"}, "leg-0": {"Brief"}, "days-0": {"1"}, "leg-1": {"Draft"}, "days-1": {"3"}})
	for path, says := range map[string]string{
		"/reports": "Each of the next eight weeks will have a hole.", "/reports?long=year&on=2030-01-01": "This is still to come.", "/reports/month": "Nothing went out.",
		"/reports/capacity": "Nothing went out in the last three months", "/reports/goals": "None yet.", "/reports/measures": "None yet.", "/reports/figures": "measure", "/reports/learnt": "Nothing is written down yet.", "/campaigns": "A campaign is a run of pieces", "/regulars": "Set up the first one", "/regulars/new": "the coming dates appear here",
		"/fees": "Nothing is paid here yet", "/fees/rates": "None yet.", "/fees/budgets": "None yet.", "/fees/mine": "Nothing is owed to you now.", "/fees/csv": "Accepted,No.", "/reports/behind": "No piece makes this number", "/reports/csv": "No.,Title",
	} {
		res, body := c.get(path)
		if res.StatusCode != 200 || !strings.Contains(strings.Join(strings.Fields(tag.ReplaceAllString(body, "")), " "), says) {
			t.Errorf("%s: %d, without %q", path, res.StatusCode, says)
		}
	}
}
