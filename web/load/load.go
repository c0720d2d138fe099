package load

import (
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

type loadView struct {
	views.ViewHead
	Answer  loadAnswer
	Span    string
	Counts  []kit.Setting
	Spans   []kit.Setting
	Heads   []loadHead
	Width   float64
	Rows    []*loadRow
	Open    openView
	Propose string // what the button says; "" where there is nothing to propose
}

type loadAnswer struct {
	Over string // who is over, and on how many days
	Good bool
	Most string // who has most room
}

type loadHead struct {
	X     float64
	Label string
	Today bool
}

// loadRow is one person: their days as bars, and their legs where they are unfolded.
type loadRow struct {
	Key, Name, Says, Initials string
	ID                        ref.Person
	Chart                     template.HTML
	Height                    float64
	Unfolded                  bool
	Toggle                    string
	Leads                     bool // who looks may enter days off for them
	Legs                      []loadLeg
	Steps                     []loadStep
	Days                      []loadDay
	legs                      []account.HeldLeg
}

// loadLeg is a leg of an unfolded person, as a bar over the days.
type loadLeg struct {
	Piece       ref.Piece
	Version     int
	Leg, Name   string
	Title, Says string
	Tone        string
	X, W        float64
	Moves       bool
}

// loadStep is a step of an unfolded person that belongs to no leg.
type loadStep struct {
	Name, Title, Link, Says string
	X, W                    float64
}

// loadDay is a day on which a leg can be let end.
type loadDay struct {
	Date, Name string
	X, W       float64
}

type openView struct {
	Rows []openRow
	More int
}

type openRow struct {
	Piece            ref.Piece
	Version          int
	Leg, Title, Says string
	Name             string
	Fits             []kit.Sentence
	Waits            bool
}

// The chart of a person is loadWidth units wide, and an hour loadHour high.
const (
	loadWidth = 1020.0
	loadHour  = 4.6
	loadRoof  = 14.0 // above the bars, for the figures of days that are over
	loadGap   = 12.0 // between weeks
	mostHours = 12   // of a day that is drawn to scale; more is cut and said in figures
)

func (s *Section) load(c *echo.Context) error {
	at, err := s.ViewsPage.Viewing(c, "/load", c.QueryParams())
	if err != nil {
		return err
	}
	weeks, err := strconv.Atoi(kit.OneOf(at.Q, "weeks", "4", "2", "8"))
	if err != nil {
		return err
	}
	unfolded, who := kit.Ids[ref.Person](at.Q.Get("unfold")), kit.Me(c)
	l, err := s.Planning.Loads(c.Request().Context(), who.ID, at.Desk, at.Look, weeks, unfolded)
	if err != nil {
		return err
	}
	v := loadView{Width: loadWidth, Span: english.Date(l.Dates[0]) + " – " + english.Date(l.Dates[len(l.Dates)-1])}
	if err := s.ViewsPage.Head(c, &v.ViewHead, &at, nil); err != nil {
		return err
	}
	count := kit.OneOf(at.Q, "count", "hours", "pieces")
	v.Counts = at.At.Settings("count", count, "hours", "Hours", "pieces", "Pieces")
	v.Spans = at.At.Settings("weeks", strconv.Itoa(weeks), "4", "4 weeks", "2", "2 weeks", "8", "8 weeks")
	v.Spans[0], v.Spans[1] = v.Spans[1], v.Spans[0]
	g := newLoadGrid(l.Dates, l.Today)
	v.Heads = g.heads()
	for i := range l.People {
		v.Rows = append(v.Rows, newLoadRow(at.B, g, &l.People[i], count == "pieces", at.At, unfolded, who))
	}
	v.Answer, v.Open = sayLoad(at.B, &l), newOpen(at.B, &l)
	if n := len(l.Open) + l.MoreOpen; n > 0 && who.Access.May(relay.SetUpDesk) {
		v.Propose = "Propose people for " + english.Plural(n, "open leg")
	}
	return s.ShowView(c, "load", "Load", &v, v.parts())
}

func (v *loadView) parts() []kit.Part {
	out := append(v.Parts(), kit.Part{Key: "answer", Template: "load-answer", Data: v.Answer, Has: nil}, kit.Part{Key: "open", Template: "open-legs", Data: v.Open, Has: nil})
	for _, r := range v.Rows { // a leg that is given or moved weighs on others too
		out = append(out, kit.Part{Key: r.Key, Template: "load-row", Data: r, Has: nil})
	}
	return out
}

// loadGrid places days on the width of the charts.
type loadGrid struct {
	dates []day.Date
	today day.Date
	x     []float64
	w     float64
}

func newLoadGrid(dates []day.Date, today day.Date) *loadGrid {
	g := &loadGrid{dates: dates, today: today}
	gaps := 0
	for i := 1; i < len(dates); i++ {
		gaps += kit.Bit(dates[i].Monday() != dates[i-1].Monday())
	}
	unit := (loadWidth - float64(gaps)*loadGap) / float64(len(dates))
	x := 0.0
	for i, d := range dates {
		if i > 0 && d.Monday() != dates[i-1].Monday() {
			x += loadGap
		}
		g.x = append(g.x, x)
		x += unit
	}
	g.w = unit - 4
	return g
}

func (g *loadGrid) heads() []loadHead {
	var out []loadHead
	for i, d := range g.dates {
		h := loadHead{X: g.x[i] + g.w/2, Label: d.Format("Mon 2")[:2] + d.Format(" 2"), Today: d == g.today}
		if g.w < 30 {
			h.Label = d.Format("2")
		}
		out = append(out, h)
	}
	return out
}

// bar gives where a run of days lies: from the first that is shown to the last.
func (g *loadGrid) bar(from, to day.Date) (x, w float64, ok bool) {
	first, last := -1, -1
	for i, d := range g.dates {
		if d >= from && d <= to {
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	if first < 0 {
		if to < g.dates[0] { // overdue: it falls on today
			return g.x[0], g.w, true
		}
		return 0, 0, false
	}
	return g.x[first], g.x[last] + g.w - g.x[first], true
}

func newLoadRow(b *newsroom.Setup, g *loadGrid, p *planning.PersonLoad, pieces bool, at kit.Address, unfolded []ref.Person, who store.Person) *loadRow {
	r := &loadRow{Key: "p-" + kit.Str(p.Person.ID), ID: p.Person.ID, Name: p.Person.Name, Initials: p.Person.Initials, legs: p.Legs}
	r.Leads = who.Access.May(relay.LeadDesk) || who.ID == p.Person.ID
	r.Says = p.Person.Does + " · " + kit.HoursOfWeek(p.Person.Minutes())
	r.Chart, r.Height = drawLoad(g, p, pieces)
	open := slices.DeleteFunc(slices.Clone(unfolded), func(id ref.Person) bool { return id == p.Person.ID })
	if r.Unfolded = len(open) < len(unfolded); !r.Unfolded {
		open = append(open, p.Person.ID)
	}
	var list []string
	for _, id := range open {
		list = append(list, kit.Str(id))
	}
	r.Toggle = at.With("unfold", strings.Join(list, ",")) + "#" + r.Key
	if !r.Unfolded {
		return r
	}
	for _, x := range p.Legs {
		y := loadLeg{Piece: x.Piece.ID, Version: x.Piece.Version, Leg: x.Leg.Key, Name: x.Leg.Name, Title: x.Piece.Title, Tone: "good"}
		y.Tone = kit.Tone(store.Standing{Pace: x.Pace})
		y.Says = fmt.Sprintf("%s, %s left", x.Leg.Name, english.Hours(x.Leg.Remaining()))
		if x.Leg.Due != 0 {
			y.Says += ", due " + english.Date(x.Leg.Due)
		}
		if x.Leg.State == relay.Waiting {
			y.Says += ", not begun"
		}
		var shown bool
		if y.X, y.W, shown = g.bar(x.From, x.To); !shown {
			y.X, y.W = g.x[len(g.x)-1]+g.w-6, 6
			y.Says += ", later than shown"
		}
		y.Moves = relay.May(relay.ActGive, b.Who(who.ID, x.Piece.DeskID), x.Piece, x.Leg, b.Desk(x.Piece.DeskID).PassBy) == nil
		r.Legs = append(r.Legs, y)
	}
	for _, x := range p.Steps {
		y := loadStep{Name: x.Text, Title: x.On, Link: x.Link, Says: english.Hours(x.Minutes)}
		if x.Day != 0 {
			y.Says += ", due " + english.Date(x.Day)
			y.X, y.W, _ = g.bar(min(g.dates[0], x.Day), x.Day)
		}
		r.Steps = append(r.Steps, y)
	}
	for i, d := range g.dates {
		r.Days = append(r.Days, loadDay{d.String(), d.Format("Monday 2 January"), g.x[i], g.w})
	}
	return r
}

// drawLoad draws the days of a person: what they have in the box of what they work, what
// is over it hatched above with its figure, and where they are away.
func drawLoad(g *loadGrid, p *planning.PersonLoad, pieces bool) (template.HTML, float64) {
	most := 0
	for _, d := range p.Days {
		most = max(most, d.Works, min(d.Minutes, mostHours*60), min(d.Was, mostHours*60))
	}
	roof := loadRoof
	base := roof + float64(max(most, 180))/60*loadHour
	var w, texts strings.Builder // what is written comes last, over the days beside it
	var over []string
	for i, d := range p.Days {
		x := g.x[i]
		box := float64(d.Works) / 60 * loadHour
		switch {
		case d.Works == 0 && d.Minutes == 0:
			if d.Away != "" {
				fmt.Fprintf(&w, `<rect class="load-away" x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="url(#hatch-off)"/>`, x, base-22, g.w, 22.0)
				if d.Away == "away" && (i == 0 || p.Days[i-1].Away != "away") {
					fmt.Fprintf(&texts, `<text class="load-text" x="%.1f" y="%.1f">away</text>`, x+4, base-8)
				}
			}
			continue
		case pieces:
			if d.Legs > 0 {
				fmt.Fprintf(&w, `<rect class="load-legs-%d" x="%.1f" y="%.1f" width="%.1f" height="22" rx="2"/><text class="load-count" x="%.1f" y="%.1f">%d</text>`, min(d.Legs, 5), x, base-22, g.w, x+g.w/2, base-11, d.Legs)
			} else {
				fmt.Fprintf(&w, `<rect class="load-box" x="%.1f" y="%.1f" width="%.1f" height="22" rx="2"/>`, x, base-22, g.w)
			}
			continue
		}
		has := float64(min(d.Minutes, d.Works)) / 60 * loadHour
		fmt.Fprintf(&w, `<rect class="load-box" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, x, base-box, g.w, box)
		class := "load-has"
		if d.Minutes >= d.Works {
			class = "load-full"
		}
		if has > 0 {
			fmt.Fprintf(&w, `<rect class="%s" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, class, x, base-has, g.w, has)
		}
		if was := float64(min(d.Was, mostHours*60)) / 60 * loadHour; d.Was-d.Minutes >= plan.FewMinutes || d.Minutes-d.Was >= plan.FewMinutes { // in a sketch
			fmt.Fprintf(&w, `<path class="load-was" d="M%.1f %.1fh%.1f"/>`, x-2, base-was, g.w+4)
		}
		if d.Minutes > d.Works+9 {
			h := float64(min(d.Minutes, mostHours*60)-d.Works) / 60 * loadHour
			fmt.Fprintf(&w, `<rect class="load-over" x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="url(#hatch-short)"/>`, x, base-box-h, g.w, h)
			figure := english.Hours(d.Minutes)
			if g.w < 34 {
				figure = strings.TrimSuffix(figure, " h")
			}
			fmt.Fprintf(&texts, `<text class="load-figure" x="%.1f" y="%.1f">%s</text>`, x+g.w/2, base-box-h-3, figure)
			over = append(over, fmt.Sprintf("%s on %s", english.Hours(d.Minutes), english.Date(g.dates[i])))
		}
	}
	label := fmt.Sprintf("%s of %s taken.", english.Hours(p.Span.Minutes), english.Hours(p.Span.Works))
	if len(over) > 0 {
		label += " Over: " + strings.Join(over, ", ") + "."
	}
	height := base + 2
	return template.HTML(fmt.Sprintf(`<svg class="load-chart" viewBox="0 0 %.0f %.1f" role="img" aria-label="%s">%s</svg>`, loadWidth, height, label, w.String()+texts.String())), height
}

// sayLoad says who is over, and who has most room.
func sayLoad(b *newsroom.Setup, l *planning.Loads) loadAnswer {
	people := slices.Clone(l.People)
	slices.SortStableFunc(people, func(x, y planning.PersonLoad) int { return y.Span.Over - x.Span.Over })
	var over []string
	for _, p := range people {
		if p.Span.Over > 0 {
			over = append(over, fmt.Sprintf("%s on %s", b.Name(p.Person.ID), english.Plural(p.Span.Over, "day")))
		}
	}
	a := loadAnswer{Good: len(over) == 0}
	switch n := len(over); {
	case n == 0:
		a.Over = "Nobody is over."
	case n > 4:
		a.Over = fmt.Sprintf("%s are over: %s, and %d more.", english.CountOf(n), strings.Join(over[:3], ", "), n-3)
	default:
		a.Over = "Over: " + english.And(over) + "."
	}
	var most *planning.PersonLoad
	for i := range l.People {
		if p := &l.People[i]; most == nil || p.Span.Works-p.Span.Minutes > most.Span.Works-most.Span.Minutes {
			most = p
		}
	}
	if most != nil && most.Span.Works > most.Span.Minutes {
		a.Most = fmt.Sprintf("%s has most room, %s.", b.Name(most.Person.ID), english.Hours(most.Span.Works-most.Span.Minutes))
	}
	return a
}

func newOpen(b *newsroom.Setup, l *planning.Loads) openView {
	v := openView{More: l.MoreOpen}
	for _, x := range l.Open {
		r := openRow{Piece: x.Piece.ID, Version: x.Piece.Version, Leg: x.Leg.Key, Title: x.Piece.Title, Name: x.Leg.Name, Waits: x.Leg.State == relay.Waiting}
		r.Says = fmt.Sprintf("%s leg · %s – %s", x.Leg.Name, english.Date(max(x.From, l.Today)), english.Date(x.To))
		if x.To < l.Today {
			r.Says = fmt.Sprintf("%s leg · was due %s", x.Leg.Name, english.Date(x.To))
		}
		for _, f := range x.Fits {
			r.Fits = append(r.Fits, kit.Sentence{Text: b.Name(f.Person) + ": " + planning.SayCandidate(f), Tone: kit.ToneOfCandidate(f)})
		}
		v.Rows = append(v.Rows, r)
	}
	return v
}

// fits says how a leg would fit everybody who could run it, while a hand holds it.
func (s *Section) fits(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	fits, err := s.Planning.Fits(c.Request().Context(), kit.Me(c).ID, id, c.QueryParam("leg"), kit.Int[ref.Sketch](c.QueryParams(), "sketch"))
	if err != nil {
		return err
	}
	out := map[string]kit.SentenceOf{}
	for _, f := range fits {
		out[kit.Str(f.Person)] = kit.SentenceOf{Says: planning.SayCandidate(f), Tone: kit.ToneOfCandidate(f)}
	}
	return c.JSON(http.StatusOK, map[string]any{"people": out})
}
