package campaigns

import (
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// campaignsView is the time line of campaigns, and one of them.
type campaignsView struct {
	Answer         []kit.Sentence
	Spans          []kit.Setting
	Earlier, Later string
	Months         []monthTick
	Today          float64
	TodayName      string
	Rows           []row
	First          string // the first day that is shown
	One            *one
	Lead           bool
	Problem, Field string
}

type monthTick struct {
	X    float64
	Name string
}

// row is a campaign on the time line.
type row struct {
	ID           ref.Campaign
	Name, Says   string
	X, W, Gone   float64 // its bar, and how much of it is past
	From, To     string
	On           bool // it is the one below
	Over, Future bool
	Flags        []flag
	Label        string
}

type flag struct {
	X           float64
	Tone, Title string
}

// one is the campaign that is looked at.
type one struct {
	ID             ref.Campaign
	Name, When     string
	Goal           string
	Pieces         []pieceRow
	More           int
	ToFind         int
	Targets        []targetView
	Steps          kit.StepsView
	From, To       string
	Consequence    []string // what other days would mean
	Leads, Owns    bool
	Measures       []store.Measure
	Form           url.Values
	Field, Opened  string
	Said, SaidTone string
	Learnt         string
	Over           bool
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

// scale places days on the time line, each month as wide as another.
type scale struct {
	first  day.Date
	months int
}

// wide is how wide the time line is drawn, in its own units.
const wide = 1000.0

func (s scale) x(d day.Date) float64 {
	start := d.MonthStart()
	n := (d.Year()-s.first.Year())*12 + int(d.Month()) - int(s.first.Month())
	return (float64(n) + float64(d-start)/float64(start.AddMonths(1)-start)) / float64(s.months) * wide
}

func (s scale) last() day.Date { return s.first.AddMonths(s.months) - 1 }

func (s *Section) campaigns(c *echo.Context) error {
	return s.show(c, http.StatusOK, url.Values{}, nil)
}

func (s *Section) show(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	desk, q := kit.Here(c), c.QueryParams()
	all, err := s.Reports.Campaigns(ctx, kit.Me(c).ID, desk)
	if err != nil {
		return err
	}
	today := s.Newsroom.Now().Date(b.Zones[desk])
	months := map[string]int{"3": 3, "6": 6, "12": 12}[kit.OneOf(q, "months", "6", "3", "12")]
	on, bad := day.ParseDate(q.Get("on"))
	if bad != nil || on < today-20*366 || on > today+20*366 {
		on = today.AddMonths(-months / 3)
	}
	sc := scale{on.MonthStart(), months}
	at := kit.Address{Path: c.Request().URL.Path, Q: q}
	v := campaignsView{First: sc.first.String(), Lead: kit.Me(c).Access.May(relay.SetUpDesk), Earlier: at.With("on", sc.first.AddMonths(-months/3).String()), Later: at.With("on", sc.first.AddMonths(months/3).String())}
	v.Spans = at.Settings("months", fmt.Sprint(months), "6", "6 months", "3", "3 months", "12", "Year")
	v.Spans[0], v.Spans[1] = v.Spans[1], v.Spans[0]
	for i := range months {
		m := sc.first.AddMonths(i)
		name := m.Format("Jan")
		if i == 0 || m.Month() == 1 {
			name = m.Format("Jan 2006")
		}
		v.Months = append(v.Months, monthTick{sc.x(m), name})
	}
	if today >= sc.first && today <= sc.last() {
		v.Today, v.TodayName = sc.x(today), english.Date(today)
	}
	id := ref.Campaign(0)
	if c.Param("id") != "" {
		if id, err = kit.ID[ref.Campaign](c); err != nil {
			return err
		}
	} else {
		id = chosen(all, today)
	}
	for _, x := range all {
		v.Rows = append(v.Rows, newRow(b, x, sc, today, id))
	}
	v.Answer = sayCampaigns(all, today)
	if id != 0 {
		if v.One, err = s.one(c, b, id, form, refusal); err != nil {
			return err
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "campaigns", "Campaigns", v)
}

// chosen gives the campaign that is shown first: one that runs, otherwise the next, otherwise the last.
func chosen(all []reports.Campaign, today day.Date) ref.Campaign {
	var next, last ref.Campaign
	for _, c := range all {
		switch {
		case c.FromDay <= today && today <= c.ToDay:
			return c.ID
		case c.FromDay > today && next == 0:
			next = c.ID
		}
		last = c.ID
	}
	if next != 0 {
		return next
	}
	return last
}

func newRow(b *newsroom.Setup, c reports.Campaign, sc scale, today day.Date, on ref.Campaign) row {
	r := row{ID: c.ID, Name: c.Name, On: c.ID == on, From: c.FromDay.String(), To: c.ToDay.String(), Over: c.ToDay < today, Future: c.FromDay > today}
	from, to := max(c.FromDay, sc.first), min(c.ToDay, sc.last())
	if from <= to {
		r.X, r.W = sc.x(from), sc.x(to+1)-sc.x(from)
		if today >= from {
			r.Gone = sc.x(min(today, to)+1) - r.X
		}
	}
	r.Says = fmt.Sprintf("%d out", c.Out)
	if c.Target > 0 {
		r.Says = fmt.Sprintf("%d of %d out", c.Out, c.Target)
	}
	switch {
	case r.Future && len(c.Pieces) == 0:
		r.Says = "planned"
	case c.Under > 0:
		r.Says += fmt.Sprintf(", %d on the way", c.Under)
	}
	for _, e := range c.Pieces {
		d := e.GoesOut.Date(b.Zones[e.DeskID])
		if e.OutAt != 0 {
			d = e.OutAt.Date(b.Zones[e.DeskID])
		}
		if d < sc.first || d > sc.last() {
			continue
		}
		f := flag{X: sc.x(d), Tone: "plain", Title: e.Title + ", " + english.Date(d)}
		switch {
		case e.Stage == relay.Out:
			f.Tone = "out"
		case e.Pace == plan.Short:
			f.Tone, f.Title = "short", f.Title+", short"
		}
		r.Flags = append(r.Flags, f)
	}
	r.Label = fmt.Sprintf("%s, %s to %s: %s", c.Name, english.Date(c.FromDay), english.Date(c.ToDay), r.Says)
	return r
}

// End gives where the last day of the bar ends, for the hand that takes it.
func (r row) End() float64 { return r.X + r.W - 8 }

// sayCampaigns says how many run, and what is amiss with them.
func sayCampaigns(all []reports.Campaign, today day.Date) []kit.Sentence {
	var running []reports.Campaign
	for _, c := range all {
		if c.FromDay <= today && today <= c.ToDay {
			running = append(running, c)
		}
	}
	if len(all) == 0 {
		return nil
	}
	out := []kit.Sentence{{Text: english.UpperFirst(english.CountOf(len(running))) + " " + english.Verb(len(running), "runs", "run") + " now.", Tone: "strong"}}
	for _, c := range running {
		gone := 100 * float64(today-c.FromDay+1) / float64(c.ToDay-c.FromDay+1)
		text := fmt.Sprintf("%s has used %.0f %% of its time", c.Name, gone)
		left := c.Target - len(c.Pieces)
		if c.Target > 0 {
			text += fmt.Sprintf(" and has %d of %s out or on their way", len(c.Pieces), english.Plural(c.Target, "piece"))
		}
		if left > 0 {
			out = append(out, kit.Sentence{Text: text + ";", Tone: "plain"}, kit.Sentence{Text: english.LowerFirst(english.CountOf(left)) + " " + english.Verb(left, "is", "are") + " still to find.", Tone: "short"})
		} else {
			out = append(out, kit.Sentence{Text: text + ".", Tone: "plain"})
		}
	}
	return out
}

// listed is how many pieces of a campaign are shown.
const listed = 8

func (s *Section) one(c *echo.Context, b *newsroom.Setup, id ref.Campaign, form url.Values, refusal *relay.Refusal) (*one, error) {
	ctx, q := c.Request().Context(), c.QueryParams()
	from, _ := day.ParseDate(q.Get("from"))
	to, _ := day.ParseDate(q.Get("to"))
	is, err := s.Reports.Campaign(ctx, kit.Me(c).ID, id, 0, 0)
	if err != nil {
		return nil, err
	}
	x := is
	if from != 0 || to != 0 {
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
	if w := x.Outcome; w.ID != 0 {
		o.Said, o.Learnt = english.UpperFirst(figures.SayOutcome(w.Said)), w.Learnt
		o.SaidTone = map[string]string{store.Worked: "good", store.Partly: "noroom", store.Failed: "short"}[w.Said]
		if form.Get("form") == "" {
			o.Form = url.Values{"said": {w.Said}, "learnt": {w.Learnt}}
		}
	}
	if refusal != nil {
		o.Field, o.Opened = refusal.Field, form.Get("form")
		if o.Opened == "step" {
			o.Steps.Typed, o.Steps.Field, o.Steps.Opened = form, refusal.Field, true
		}
	}
	return o, nil
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

// on does something with a campaign, and shows it again with what was typed where that is refused.
func (s *Section) on(c *echo.Context, said string, do func(id ref.Campaign, form url.Values) error) error {
	id, form, err := kit.Sent[ref.Campaign](c)
	if err != nil {
		return err
	}
	err = do(id, form)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return s.show(c, kit.StatusOf(refusal), form, refusal)
	} else if err != nil {
		return err
	}
	s.Say(c, "%s", said)
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/campaigns/%d", id))
}

// dates gives a campaign other days.
func (s *Section) dates(c *echo.Context) error {
	return s.on(c, "Its days are changed.", func(id ref.Campaign, form url.Values) error {
		b, err := s.Newsroom.Setup(c.Request().Context())
		if err != nil {
			return err
		}
		x := b.Campaign(id)
		if x.FromDay, err = kit.DateOf(form, "from", "the first day"); err != nil {
			return err
		}
		if x.ToDay, err = kit.DateOf(form, "to", "the last day"); err != nil {
			return err
		}
		return s.Settings.SaveCampaign(c.Request().Context(), kit.Me(c).ID, x)
	})
}

func (s *Section) addStep(c *echo.Context) error {
	return s.on(c, "The step is written down.", func(id ref.Campaign, form url.Values) error {
		x, err := kit.StepTyped(form)
		if err != nil {
			return err
		}
		x.CampaignID = id
		_, err = s.Planning.SaveOwnStep(c.Request().Context(), kit.Me(c).ID, x)
		return err
	})
}

func (s *Section) setAim(c *echo.Context) error {
	return s.on(c, "Its targets are changed.", func(id ref.Campaign, form url.Values) error {
		if a := kit.Int[ref.Aim](form, "aim"); a != 0 {
			return s.Figures.DropAim(c.Request().Context(), kit.Me(c).ID, a)
		}
		x := store.Aim{CampaignID: id, MeasureID: kit.Int[ref.Measure](form, "measure")}
		typed := strings.TrimSpace(form.Get("value"))
		n, err := figure.Read(typed)
		if err != nil {
			return kit.NoFigure(err, "value", fmt.Sprintf("Write the target as a number; “%s” is not one.", typed))
		}
		x.Value, _ = n.Float64()
		if x.ByDay, err = kit.DateOf(form, "by", "the day"); err != nil {
			return err
		}
		return s.Figures.SaveAim(c.Request().Context(), kit.Me(c).ID, x)
	})
}

func (s *Section) sayDid(c *echo.Context) error {
	return s.on(c, "Noted.", func(id ref.Campaign, form url.Values) error {
		return s.Figures.SaveOutcome(c.Request().Context(), kit.Me(c).ID, store.Outcome{CampaignID: id, Said: form.Get("said"), Learnt: form.Get("learnt")})
	})
}
