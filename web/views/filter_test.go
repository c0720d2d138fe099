package views

import (
	"net/url"
	"slices"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/field"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

func columns() []sift.Column {
	return sift.Columns(sift.Source{
		Zone:   func(m day.Moment) day.Date { return day.Date(m / 86400) },
		Name:   func(_ string, id int64) string { return []string{"none", "Feature", "Recipe", "Letter"}[id] },
		Fields: []sift.Extra{{ID: 7, Name: "Feature: Series", Kind: field.One}, {ID: 9, Name: "Feature: Shot on", Kind: field.Date}},
	})
}

// What is chosen in the panel is one address, whatever it took to choose it; what the panel
// does not change stays.
func TestWhatIsChosenIsAnAddress(t *testing.T) {
	for _, x := range []struct{ at, form, want string }{
		{"/pieces", "format=1&format=2", "/pieces?format=1%2C2"},
		{"/pieces?format=3&sort=due&page=4", "format=1&not.format=yes", "/pieces?format=%211&sort=due"},
		{"/pieces?format=3&hue=topic&card=due", "not.format=yes", "/pieces"},
		{"/pieces?title=rye", "title=rye,+oats&not.title=", "/pieces?title=rye%2C+oats"},
		{"/lineup?weeks=2", "due=this+week&from.due=&to.due=", "/lineup?due=this+week&weeks=2"},
		{"/lineup", "due=this+week&from.due=2026-12-01&to.due=%2B14", "/lineup?due=2026-12-01..%2B14"},
		{"/lineup", "hand=&from.hand=&to.hand=-1", "/lineup?hand=..-1"},
		{"/lineup", "hand=&from.hand=2&to.hand=2", "/lineup?hand=2"},
		{"/lineup", "overdue=yes&open=&hue=topic&card=due&card=owner", "/lineup?card=due&card=owner&hue=topic&overdue=yes"},
		{"/track?x9=none", "x9=any&not.x9=yes&x7=winter&x7=none", "/track?x7=winter%2Cnone&x9=%21any"},
	} {
		to, err := url.Parse(x.at)
		if err != nil {
			t.Fatal(err)
		}
		form, err := url.ParseQuery(x.form)
		if err != nil {
			t.Fatal(err)
		}
		if got := chosen(kit.Address{Path: to.Path, Q: to.Query()}, columns(), form); got != x.want {
			t.Errorf("%s with %s is %s, want %s", x.at, x.form, got, x.want)
		}
	}
}

// What is asked of a view stands in words above it.
func TestWhatIsAskedIsSaid(t *testing.T) {
	for key, says := range map[string]map[string]string{
		"format":   {"1": "Feature", "1,2": "Feature or Recipe", "!1,none": "not Feature or none"},
		"priority": {"1,2": "high or first", "!0": "not usual"},
		"pace":     {"short,no room": "short or no room"},
		"hand":     {"..-1": "up to -1", "2..": "from 2 on", "1..3": "1 to 3", "4": "4"},
		"due": {"this week": "this week", "..-1": "past", "0..+12": "today to 12 days from today", "-1": "1 day ago", "2026-12-07..2026-12-11": "Mon 7 Dec to Fri 11 Dec",
			"!2026-12-07..": "not from Mon 7 Dec on", "soon": "soon"},
		"title": {"rye, and oats": "rye, and oats"},
	} {
		for written, want := range says {
			if got := sayTerm(&newsroom.Setup{}, sift.Find(columns(), key), written); got != want {
				t.Errorf("%s=%s is said %q, want %q", key, written, got, want)
			}
		}
	}
}

// Those that are used come first, six at least, and each stands once.
func TestWhatIsUsedComesFirst(t *testing.T) {
	var all []facet
	for _, c := range columns() {
		all = append(all, facet{Key: c.Key})
	}
	keys := func(facets []facet) (out []string) {
		for _, f := range facets {
			out = append(out, f.Key)
		}
		return out
	}
	asked := slices.Clone(all)
	for i := range asked {
		if asked[i].Key == "tags" || asked[i].Key == "made" {
			asked[i].Says = "something"
		}
	}
	for _, x := range []struct {
		facets []facet
		uses   map[string]int
		want   []string
	}{
		{all, nil, usualFacets},
		{all, map[string]int{"topic": 3, "due": 4, "sort": 9}, []string{"due", "topic", "format", "channel", "who", "pace"}},
		{asked, map[string]int{"topic": 3}, []string{"tags", "made", "topic", "format", "channel", "who"}},
	} {
		p := filterView{More: slices.Clone(x.facets)}
		p.split(x.uses)
		if got := keys(p.First); !slices.Equal(got, x.want) {
			t.Errorf("first are %v, want %v", got, x.want)
		}
		if both := append(keys(p.First), keys(p.More)...); len(both) != len(all) || len(slices.Compact(slices.Sorted(slices.Values(both)))) != len(all) {
			t.Errorf("not each once: %v", both)
		}
	}
}
