package reports

import (
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/reports"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

// reportView is the page of reports.
type reportView struct {
	views.ViewHead
	Lead           bool
	Title          string
	Earlier, Later string
	Spans          []kit.Setting
	Month          string
	Export         kit.Export
	Answer         []answer
	Empty          bool
	Out, Legs      template.HTML
	LegsOf         string
	Formats        []kit.Setting
	Ahead          template.HTML
	People         []personRow
	Own            bool // only one's own figures are shown
	Did            template.HTML
	DidOf, DidSpan string
	By             []kit.Setting
	Measures       []kit.Setting
	Windows        []kit.Setting
	Tell, Few      string
	Top, Bottom    []doneRow
	NoMeasure      bool
	Goals          []goalRow
	Now            []nowRow
	Back           []backRow
	Table          map[string]table
	ByMonth        bool
	Stock          template.HTML
}

// answer is a sentence at the top, with where it leads.
type answer struct{ Text, Tone, Link string }

type personRow struct{ Name, Ran, Hours, Back, Link string }

type doneRow struct {
	ID                   ref.Piece
	Title, Value, Learnt string
}

type goalRow struct {
	Name, Says, Tone string
	Bar              template.HTML
}

func newGoal(g reports.Goal) goalRow {
	x := goalRow{Name: g.Name, Says: sayGoal(g), Tone: "good", Bar: goalBar(g)}
	if g.OffCourse() || g.Missed() {
		x.Tone = "noroom"
	}
	return x
}

type nowRow struct {
	Name string
	Out  int
	Legs string
	Link string
}

type backRow struct {
	From, To string
	N        int
	Whys     []string
	Pieces   []doneRow
}

// asked reads what a report is asked for.
func (s *Section) asked(c *echo.Context) (a reports.Asked, head views.ViewHead, at kit.Address, err error) {
	v, err := s.ViewsPage.Viewing(c, "/reports", c.QueryParams())
	if err != nil {
		return a, head, at, err
	}
	on, bad := day.ParseDate(v.Q.Get("on"))
	if bad != nil || on < v.Today-80*366 || on > v.Today+10*366 {
		on = v.Today
	}
	a = reports.Asked{Span: reports.SpanOf(reports.Long(kit.OneOf(v.Q, "long", "quarter", "month", "year")), on), Look: v.Look, Format: kit.Int[ref.Format](v.Q, "legs"), Measured: kit.Int[ref.Measure](v.Q, "of")}
	var by []string
	for _, g := range reports.Groupings {
		by = append(by, g.Key)
	}
	a.By = kit.OneOf(v.Q, "by", by...)
	a.First = slices.Index([]string{"1", "7", "28"}, kit.OneOf(v.Q, "first", "28", "7", "1"))
	return a, head, v.At, s.ViewsPage.Head(c, &head, &v, nil)
}

func (s *Section) reports(c *echo.Context) error {
	a, head, at, err := s.asked(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, err := s.Reports.Of(ctx, kit.Me(c).ID, kit.Here(c), a)
	if err != nil {
		return err
	}
	goals, err := s.Reports.Goals(ctx, kit.Me(c).ID, kit.Here(c), min(max(r.Span.From, r.Today), r.Span.To))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := reportView{ViewHead: head, Lead: kit.Me(c).Access.May(relay.SetUpDesk), Title: "How the desk ran, " + r.Span.Says(), Empty: len(r.Out) == 0}
	v.Spans = at.Settings("long", string(r.Span.Long), "quarter", "Quarter", "month", "Month", "year", "Year")
	v.Spans[0], v.Spans[1] = v.Spans[1], v.Spans[0]
	v.Earlier, v.Later = at.With("on", r.Span.Before().From.String()), at.With("on", r.Span.Next().From.String())
	v.Export = kit.ExportOf(at.AlsoAt("/reports"))
	v.Month = "/reports/month?on=" + min(r.Span.To, r.Today).String()
	v.Answer = sayReport(b, &r)
	v.fill(b, &r, at)
	v.compare(b, &r, at)
	for _, g := range goals {
		v.Goals = append(v.Goals, newGoal(g))
	}
	return s.Show(c, http.StatusOK, "reports", "Reports", &v)
}

// sayReport says what is to be known first: what went out and on its day, which leg runs over, what will be a hole.
func sayReport(b *newsroom.Setup, r *reports.Report) []answer {
	var out []answer
	n := len(r.Out)
	switch {
	case n == 0 && r.Span.From > r.Today:
		out = append(out, answer{"This is still to come.", "plain", ""})
	case n == 0:
		out = append(out, answer{"Nothing went out.", "plain", ""})
	default:
		text := fmt.Sprintf("%s went out, %s on %s.", english.UpperFirst(english.Plural(n, "piece")), english.Number(r.OnDay), map[bool]string{true: "its day", false: "their day"}[n == 1])
		if r.Moved > 0 {
			text = strings.TrimSuffix(text, ".") + fmt.Sprintf(", %s moved in time.", english.Number(r.Moved))
		}
		out = append(out, answer{text, "strong", wentOut(r.Span.From, r.Span.To)})
	}
	if s := r.Slow; s != nil {
		out = append(out, answer{fmt.Sprintf("%s in %s is what most often runs over: %d of %d.", s.Name, b.Format(s.Format).Name, s.Over, s.N), "plain", ""})
	}
	holes := 0
	for _, w := range r.Ahead {
		holes += kit.Bit(w.Count(report.Hole) > 0)
	}
	if holes > 0 {
		weeks := english.UpperFirst(english.CountOf(holes))
		if holes == len(r.Ahead) {
			weeks = "Each"
		}
		out = append(out, answer{weeks + " of the next eight weeks will have a hole.", "short", "/lineup"})
	}
	return out
}

func (v *reportView) fill(b *newsroom.Setup, r *reports.Report, at kit.Address) {
	v.Out, v.Legs, v.Ahead, v.Stock = drawOut(r), drawLegs(r), drawAhead(r.Ahead), drawStock(r.Finished)
	v.Table, v.ByMonth = map[string]table{}, r.Span.Long == reports.Year
	for _, k := range tables {
		t := k.of(b, r, at)
		t.CSV = at.AlsoAt("/reports/csv").With("table", k.key)
		v.Table[k.key] = t
	}
	v.LegsOf = b.Format(r.Format).Name
	pairs := []string{}
	for _, f := range r.Formats {
		pairs = append(pairs, kit.Str(f.Format), b.Format(f.Format).Name)
		row := nowRow{Name: b.Format(f.Format).Name, Out: f.Out, Link: fmt.Sprintf("/pieces?pace=running&format=%d&group=leg", f.Format)}
		var legs []string
		for _, x := range f.Ran {
			if x.Now > 0 {
				legs = append(legs, fmt.Sprintf("%s %d", x.Leg, x.Now))
			}
		}
		row.Legs = strings.Join(legs, " · ")
		v.Now = append(v.Now, row)
	}
	if len(pairs) > 2 {
		v.Formats = at.Settings("legs", kit.Str(r.Format), pairs...)
	}
	v.Own = !r.Everybody
	for _, p := range r.People {
		v.People = append(v.People, newPerson(b, p))
	}
	for _, x := range r.Back {
		row := backRow{From: x.From, To: x.To, N: x.N, Whys: x.Whys[:min(3, len(x.Whys))]}
		for _, id := range slices.Compact(slices.Sorted(slices.Values(x.Pieces))) {
			if e := r.Entry(id); e != nil {
				row.Pieces = append(row.Pieces, doneRow{ID: id, Title: e.Title})
			}
		}
		v.Back = append(v.Back, row)
	}
}

func newPerson(b *newsroom.Setup, p reports.PersonRow) personRow {
	x := personRow{Name: b.Person(p.Person).Name, Hours: english.Hours(p.Minutes), Back: "–", Link: fmt.Sprintf("/pieces?pace=running&who=%d", p.Person)}
	if p.Back > 0 {
		x.Back = english.Number(p.Back)
	}
	var ran []string
	for _, r := range p.Ran {
		if r.Passed > 0 {
			ran = append(ran, fmt.Sprintf("%s %d", r.Leg, r.Passed))
		}
	}
	switch n := len(ran); {
	case n == 0:
		x.Ran = "nothing passed"
	case n > 3:
		x.Ran = strings.Join(ran[:3], " · ") + " · …"
	default:
		x.Ran = strings.Join(ran, " · ")
	}
	return x
}

// compare shows how pieces did.
func (v *reportView) compare(b *newsroom.Setup, r *reports.Report, at kit.Address) {
	c := &r.Did
	if v.NoMeasure = c.Measure.ID == 0; v.NoMeasure {
		return
	}
	v.Did, v.Tell = drawDid(c), c.Tell
	v.DidOf = fmt.Sprintf("%s in %s, middle half and median", strings.ToLower(c.Measure.Name), english.Plural(c.Window, "day"))
	v.DidSpan = fmt.Sprintf("Of pieces that went out from %s to %s.", c.From.Format("2 January 2006"), c.To.Format("2 January 2006"))
	pairs := []string{}
	for _, g := range reports.Groupings {
		pairs = append(pairs, g.Key, g.Name)
	}
	v.By = at.Settings("by", r.By, pairs...)
	pairs = nil
	for _, m := range b.MeasuresOf(c.Measure.DeskID) {
		pairs = append(pairs, kit.Str(m.ID), m.Name)
	}
	v.Measures = at.Settings("of", kit.Str(c.Measure.ID), pairs...)
	v.Windows = at.Settings("first", fmt.Sprint(c.Window), "28", "28 days", "7", "7 days", "1", "1 day")
	var few []string
	for _, g := range c.Groups {
		if g.Few() {
			few = append(few, fmt.Sprintf("%s: %d only", c.Names[g.Key], g.N))
		}
	}
	if len(few) > 0 {
		v.Few = strings.Join(few, "; ") + ", too few to compare."
	}
	if c.Young > 0 {
		v.Few = strings.TrimSpace(v.Few + fmt.Sprintf(" %s not out that long yet.", english.UpperFirst(english.Count(c.Young, "piece"))+" "+english.Verb(c.Young, "is", "are")))
	}
	if c.Without > 0 {
		v.Few = strings.TrimSpace(v.Few + fmt.Sprintf(" Of %s there are no figures.", english.Count(c.Without, "piece")))
	}
	for i, list := range [][]reports.Did{c.Top, c.Bottom} {
		for _, d := range list {
			row := doneRow{ID: d.ID, Title: d.Title, Value: figures.Say(c.Measure, d.Value), Learnt: d.Learnt.Learnt}
			if i == 0 {
				v.Top = append(v.Top, row)
			} else {
				v.Bottom = append(v.Bottom, row)
			}
		}
	}
}
