package views

import (
	"cmp"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// filterView is the panel in which a view is filtered and its cards are coloured. It is asked
// for when it is unfolded, since a large desk has some thousand values to choose from.
type filterView struct {
	At    string // the address of the view
	First []facet
	More  []facet
	Hues  []FilterOption
	Shows []FilterOption
	Clear string
}

// facet is a column in the panel: what can be asked of it, and what is.
type facet struct {
	Key, Name string
	Says      string // what is asked, in words; empty for nothing
	Kind      string // "several", "date", "number", "yes" or "text"
	Not       bool
	Options   []FilterOption
	Value     string // of a text
	From, To  string // of a span
}

// FilterOption is one of the values to filter by.
type FilterOption struct {
	Value, Name string
	On          bool
}

// firstFacets is how many columns stand in the panel before one looks for others.
const firstFacets = 6

// usualFacets are the columns that stand there on a desk that kept no views yet.
var usualFacets = []string{"format", "channel", "who", "pace", "priority", "due"}

// dateSpans are the spans of days that are offered for a date.
var dateSpans = []kit.Option{
	{Value: "today", Name: "today"}, {Value: "tomorrow", Name: "tomorrow"}, {Value: "this week", Name: "this week"}, {Value: "next week", Name: "next week"},
	{Value: "this month", Name: "this month"}, {Value: "next month", Name: "next month"}, {Value: "0..+7", Name: "in the next 7 days"}, {Value: "0..+30", Name: "in the next 30 days"},
	{Value: "..-1", Name: "past"}, {Value: "yesterday", Name: "yesterday"}, {Value: "last week", Name: "last week"}, {Value: "last month", Name: "last month"},
	{Value: "-7..0", Name: "in the last 7 days"}, {Value: "-30..0", Name: "in the last 30 days"}, {Value: "none", Name: "no date"}, {Value: "any", Name: "any date"},
}

// viewPages are the pages that are filtered here.
var viewPages = []string{"/lineup", "/track", "/load", "/pieces"}

// filter shows the panel of a view, and leads back to the view with what was chosen in it.
func (s *Section) filter(c *echo.Context) error {
	q := c.QueryParams()
	to, err := url.Parse(q.Get("at"))
	if err != nil || to.Host != "" || !slices.Contains(viewPages, to.Path) {
		return newsroom.ErrNotFound
	}
	v, err := s.Viewing(c, to.Path, to.Query())
	if err != nil {
		return err
	}
	if q.Has("show") {
		return c.Redirect(http.StatusSeeOther, chosen(v.At, v.Columns, q))
	}
	kept, err := s.Planning.Views(c.Request().Context(), kit.Me(c).ID, v.Desk)
	if err != nil {
		return err
	}
	uses := map[string]int{}
	for _, x := range kept {
		if kq, err := url.ParseQuery(x.Query); err == nil {
			for key := range kq {
				uses[key]++
			}
		}
	}
	p := filterView{At: v.At.With(), Clear: cleared(v.At, v.Columns)}
	for i := range v.Columns {
		if f, ok := newFacet(&v, &v.Columns[i], kit.Me(c)); ok {
			p.More = append(p.More, f)
		}
	}
	p.split(uses)
	newCardLook(v.B, v.Columns, v.Q.Get("hue"), Values(v.Q, "card")).offer(&p)
	return s.ShowPart(c, "filter", "Filter", p)
}

// split takes those to the front that are used most: in what is looked at now, then in the
// views that are kept, then usually.
func (p *filterView) split(uses map[string]int) {
	rank := func(f *facet) int {
		usual := slices.Index(usualFacets, f.Key)
		if usual < 0 {
			usual = len(usualFacets)
		}
		return usual - 100*min(uses[f.Key], 1000) - 1_000_000*kit.Bit(f.Says != "")
	}
	all := slices.Clone(p.More)
	slices.SortStableFunc(all, func(x, y facet) int { return cmp.Compare(rank(&x), rank(&y)) })
	asked := 0
	for _, f := range all {
		asked += kit.Bit(f.Says != "")
	}
	p.First = all[:min(len(all), max(firstFacets, asked))]
	p.More = slices.DeleteFunc(p.More, func(f facet) bool {
		return slices.ContainsFunc(p.First, func(x facet) bool { return x.Key == f.Key })
	})
}

// chosen gives the address of a view with what was chosen in the panel.
func chosen(at kit.Address, columns []sift.Column, form url.Values) string {
	q := url.Values{}
	for key, v := range at.Q {
		if key != "page" && key != "hue" && key != "card" && sift.Find(columns, key) == nil {
			q[key] = v
		}
	}
	for i := range columns {
		c := &columns[i]
		values := slices.Clone(form[c.Key])
		if from, to := strings.TrimSpace(form.Get("from."+c.Key)), strings.TrimSpace(form.Get("to."+c.Key)); from != "" || to != "" {
			values = []string{from + ".." + to}
			if from == to {
				values = []string{from}
			}
		}
		if v := sift.Written(values, form.Get("not."+c.Key) != ""); v != "" {
			q.Set(c.Key, v)
		}
	}
	if hue := form.Get("hue"); hue != "" {
		q.Set("hue", hue)
	}
	if cards := form["card"]; len(cards) > 0 {
		q["card"] = cards
	}
	return kit.Address{Path: at.Path, Q: q}.With()
}

// cleared gives the address of a view with nothing asked of its columns.
func cleared(at kit.Address, columns []sift.Column) string {
	var pairs []string
	for i := range columns {
		pairs = append(pairs, columns[i].Key, "")
	}
	return at.With(pairs...)
}
