package campaigns

import (
	"fmt"
	"html/template"
	"math"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// one is the campaign that is looked at.
type one struct {
	ID            ref.Campaign
	Name, When    string
	Goal          string
	Pieces        []pieceRow
	More          int
	ToFind        int
	Targets       []targetView
	Steps         kit.StepsView
	From, To      string
	Consequence   []string // what other days would mean
	Leads, Owns   bool
	Measures      []store.Measure
	Form          url.Values
	Field, Opened string
	Outcome       kit.OutcomeView
	Over          bool
}

// Is reports whether a field of the form has a value.
func (o one) Is(field string, value any) bool { return o.Form.Get(field) == fmt.Sprint(value) }

type pieceRow struct {
	ID              ref.Piece
	Title, On, Pace string
	Tone            string
}

type targetView struct {
	ID         ref.Aim
	Name, Says string
	Tone       string
	Chart      template.HTML
}

// listed is how many pieces of a campaign are shown.
const listed = 8

func (s *Section) one(c *echo.Context, b *newsroom.Setup, id ref.Campaign, form url.Values, refusal *relay.Refusal) (*one, error) {
	ctx, q := c.Request().Context(), c.QueryParams()
	from, to := otherDays(q)
	is, err := s.Reports.Campaign(ctx, kit.Me(c).ID, id, 0, 0)
	if err != nil {
		return nil, err
	}
	x := is
	if (from != 0 || to != 0) && refusal == nil {
		if x, err = s.Reports.Campaign(ctx, kit.Me(c).ID, id, from, to); err != nil {
			return nil, err
		}
	}
	o := &one{ID: id, Name: x.Name, Goal: x.Goal, From: x.FromDay.String(), To: x.ToDay.String(), ToFind: x.ToFind, Leads: x.Leads, Owns: x.Owns, Measures: b.MeasuresOf(x.DeskID), Form: form, Over: x.ToDay < x.Today}
	o.When = english.Date(x.FromDay) + " – " + english.Date(x.ToDay)
	if x.Owner != 0 {
		o.When += " · owner " + newsroom.First(b.Person(x.Owner).Name)
	}
	for _, e := range x.Pieces {
		if e.Stage == relay.Out && !o.Over {
			continue
		}
		if len(o.Pieces) == listed {
			o.More++
			continue
		}
		o.Pieces = append(o.Pieces, newPiece(b, e))
	}
	for _, t := range x.Targets {
		o.Targets = append(o.Targets, newTarget(&x, t))
	}
	o.Steps = kit.NewSteps(b, x.Steps, fmt.Sprintf("/campaigns/%d", id))
	if o.Steps.None = "What is to be done besides its pieces: a poster, somebody to ask."; x.Works {
		o.Steps.Add, o.Steps.People = fmt.Sprintf("/campaigns/%d/steps", id), b.OnDesk(x.DeskID)
	}
	if x.FromDay != is.FromDay || x.ToDay != is.ToDay {
		o.Consequence = consequence(b, &is, &x)
	}
	if o.Outcome = kit.NewOutcome(x.Outcome); x.Owns {
		o.Outcome.Action = fmt.Sprintf("/campaigns/%d/did", id)
	}
	if refusal != nil {
		if q.Has("from") || q.Has("to") {
			o.From, o.To = q.Get("from"), q.Get("to")
		}
		o.Field, o.Opened = refusal.Field, form.Get("form")
		switch o.Opened {
		case "did":
			o.Outcome.Refused(form, refusal.Field)
		case "step":
			o.Steps.Typed, o.Steps.Field, o.Steps.Opened = form, refusal.Field, true
		}
	}
	return o, nil
}

// otherDays reads the days of a campaign that are tried, 0 for those it has.
func otherDays(q url.Values) (from, to day.Date) {
	from, _ = day.ParseDate(q.Get("from"))
	to, _ = day.ParseDate(q.Get("to"))
	return from, to
}

func newPiece(b *newsroom.Setup, e *newsroom.Entry) pieceRow {
	r := pieceRow{ID: e.ID, Title: e.Title, On: "no day", Pace: newsroom.SayPace(e.Standing), Tone: kit.Tone(e.Standing)}
	if at := max(e.OutAt, e.GoesOut); at != 0 {
		r.On = english.Date(at.Date(b.Zones[e.DeskID]))
	}
	return r
}

// consequence says what other days of a campaign would mean.
func consequence(b *newsroom.Setup, is, would *reports.Sheet) []string {
	out := []string{fmt.Sprintf("It would run from %s to %s, %s instead of %s.", english.Date(would.FromDay), english.Date(would.ToDay), english.Plural(int(would.ToDay-would.FromDay)+1, "day"), english.Plural(int(is.ToDay-is.FromDay)+1, "day"))}
	var beyond, within []string
	for _, e := range would.Pieces {
		at := max(e.OutAt, e.GoesOut)
		if at == 0 {
			continue
		}
		d := at.Date(b.Zones[e.DeskID])
		was, now := d >= is.FromDay && d <= is.ToDay, d >= would.FromDay && d <= would.ToDay
		if was && !now {
			beyond = append(beyond, "“"+e.Title+"”")
		} else if !was && now {
			within = append(within, "“"+e.Title+"”")
		}
	}
	if len(beyond) > 0 {
		out = append(out, fmt.Sprintf("%s would go out beyond it.", english.And(beyond)))
	}
	if len(within) > 0 {
		out = append(out, fmt.Sprintf("%s would come to lie within it.", english.And(within)))
	}
	for i, t := range would.Targets {
		if i < len(is.Targets) && math.Round(t.Sum.Likely*10) != math.Round(is.Targets[i].Sum.Likely*10) {
			out = append(out, fmt.Sprintf("It would likely end at %s, not at %s.", sayLikely(t), sayLikely(is.Targets[i])))
		}
	}
	return out
}

// sayLikely says where a target will likely end: “7 or 8 pieces”, “52,000 reads”.
func sayLikely(t reports.Target) string {
	if t.Measure.ID != 0 {
		return figures.Say(t.Measure, math.Round(t.Sum.Likely))
	}
	lo, hi := int(math.Floor(t.Sum.Likely)), int(math.Ceil(t.Sum.Likely))
	if lo == hi {
		return english.Plural(lo, "piece")
	}
	return fmt.Sprintf("%d or %d pieces", lo, hi)
}

func newTarget(x *reports.Sheet, t reports.Target) targetView {
	v := targetView{ID: t.ID, Name: english.Plural(int(t.Value), "piece"), Tone: "good"}
	if t.Measure.ID != 0 {
		v.Name = figures.Say(t.Measure, t.Value)
	}
	is := figures.Number(t.Is)
	switch {
	case x.ToDay < x.Today:
		v.Says = is + " in the end"
	case x.FromDay > x.Today:
		v.Says = "likely " + sayLikely(t)
	default:
		v.Says = fmt.Sprintf("%s so far, %s if it came evenly; likely %s", is, figures.Number(math.Round(t.Even*10)/10), sayLikely(t))
	}
	if t.Sum.Likely < t.Value-.5 {
		v.Tone = "noroom"
	}
	v.Chart = drawTarget(x, t, v.Name+": "+v.Says)
	return v
}

// drawTarget draws how far a campaign is: the even line dashed, what is so far, and between what it will likely end.
func drawTarget(x *reports.Sheet, t reports.Target, label string) template.HTML {
	const w, h = 418.0, 132.0
	most := max(t.Value, t.Sum.Hi, t.Is, 1)
	to := max(t.To, x.FromDay+1)
	px := func(d day.Date) float64 { return float64(d-x.FromDay) / float64(to-x.FromDay) * w }
	py := func(v float64) float64 { return 12 + (1-v/most)*(h-24) }
	var p strings.Builder
	fmt.Fprintf(&p, `<svg class="report-pic" viewBox="0 0 %.0f %.0f" role="img" aria-label="%s">`, w, h+14, template.HTMLEscapeString(label))
	fmt.Fprintf(&p, `<path class="pic-grid" d="M0 %.1fH%.0f"/><path class="pic-dash" d="M0 %.1fL%.1f %.1f"/>`, py(t.Value), w, py(0), w, py(t.Value))
	if n := len(t.Curve); n > 0 {
		var line []string
		for _, c := range t.Curve {
			line = append(line, fmt.Sprintf("%.1f %.1f", px(c.Day), py(c.Value)))
		}
		last := t.Curve[n-1]
		if last.Day < to {
			fmt.Fprintf(&p, `<path class="pic-fan" d="M%.1f %.1fL%.1f %.1fV%.1fZ"/><path class="pic-dots" d="M%.1f %.1fL%.1f %.1f"/>`, px(last.Day), py(last.Value), w, py(t.Sum.Hi), py(t.Sum.Lo), px(last.Day), py(last.Value), w, py(t.Sum.Likely))
		}
		fmt.Fprintf(&p, `<path class="pic-run" d="M%s"/><circle class="pic-dot-good" cx="%.1f" cy="%.1f" r="3.5"/>`, strings.Join(line, "L"), px(last.Day), py(last.Value))
	}
	fmt.Fprintf(&p, `<path class="pic-base" d="M0 %.1fH%.0f"/><text class="pic-axis" x="0" y="%.0f">%s</text><text class="pic-axis end" x="%.0f" y="%.0f">%s</text></svg>`, py(0), w, h+8, x.FromDay.Format("2 Jan"), w, h+8, to.Format("2 Jan"))
	return template.HTML(p.String())
}
