package campaigns

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/reports"
	"greenbaton/web/draw"
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

// wide is how wide the time line is drawn, in its own units.
const wide = 1000.0

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
	sc := draw.Months{First: on.MonthStart(), N: months, Wide: wide}
	at := kit.Address{Path: c.Request().URL.Path, Q: q}
	v := campaignsView{First: sc.First.String(), Lead: kit.Me(c).Access.May(relay.SetUpDesk), Earlier: at.With("on", sc.First.AddMonths(-months/3).String()), Later: at.With("on", sc.First.AddMonths(months/3).String())}
	v.Spans = at.Settings("months", fmt.Sprint(months), "6", "6 months", "3", "3 months", "12", "Year")
	v.Spans[0], v.Spans[1] = v.Spans[1], v.Spans[0]
	for i := range months {
		m := sc.First.AddMonths(i)
		name := m.Format("Jan")
		if i == 0 || m.Month() == 1 {
			name = m.Format("Jan 2006")
		}
		v.Months = append(v.Months, monthTick{sc.X(m), name})
	}
	if today >= sc.First && today <= sc.Last() {
		v.Today, v.TodayName = sc.X(today), english.Date(today)
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
	if from, to := otherDays(q); refusal == nil && to != 0 && to < from {
		refusal = &relay.Refusal{Reason: relay.ErrInput, Field: "to", Text: "The last day lies before the first. Turn them round."}
	}
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

func newRow(b *newsroom.Setup, c reports.Campaign, sc draw.Months, today day.Date, on ref.Campaign) row {
	r := row{ID: c.ID, Name: c.Name, On: c.ID == on, From: c.FromDay.String(), To: c.ToDay.String(), Over: c.ToDay < today, Future: c.FromDay > today}
	from, to := max(c.FromDay, sc.First), min(c.ToDay, sc.Last())
	if from <= to {
		r.X, r.W = sc.X(from), sc.X(to+1)-sc.X(from)
		if today >= from {
			r.Gone = sc.X(min(today, to)+1) - r.X
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
		if d < sc.First || d > sc.Last() {
			continue
		}
		f := flag{X: sc.X(d), Tone: "plain", Title: e.Title + ", " + english.Date(d)}
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
