package track

import (
	"fmt"
	"html"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

type trackView struct {
	views.ViewHead
	Answer  trackAnswer
	By      []kit.Setting
	Outs    []kit.Setting
	OutDays string
	Lanes   []*trackLane
	LanesBy planning.LanesBy
	Help    string // what else can be done by hand
}

type trackAnswer struct {
	Empty           bool // nothing is under way at all
	Running, Behind string
	Piles           []string // where it piles up
}

type trackLane struct {
	Key, Name, Says string
	ID              int64
	Columns         int
	Legs            []*trackCell
	Out             *trackCell // nil where lanes are people
	Off             bool       // a person who is away today
}

// Head is the part that names a lane and counts it.
func (l *trackLane) Head() string { return "h-" + l.Key }

// trackCell is a leg of a lane: its pieces are drawn when it is shown.
type trackCell struct {
	Key, Leg, Name string
	Lane           int64
	Usual          string // how long it usually takes, beside what it may
	Piles          string // said where clearly more than usual are at it
	Count          int
	at             []planning.AtLeg
	out            []*newsroom.Entry
	look           *views.CardLook
	t              *planning.Track
}

func (c *trackCell) has(piece ref.Piece) bool {
	return slices.ContainsFunc(c.at, func(x planning.AtLeg) bool { return x.ID == piece }) || slices.ContainsFunc(c.out, func(e *newsroom.Entry) bool { return e.ID == piece })
}

// outSpans are for how many days back pieces that are out are shown.
var outSpans = []string{"7", "14", "30"}

func (s *Section) track(c *echo.Context) error {
	at, err := s.ViewsPage.Viewing(c, "/track", c.QueryParams())
	if err != nil {
		return err
	}
	by := planning.LanesBy(kit.OneOf(at.Q, "lanes", "format", "person", "campaign", "desk"))
	days := kit.OneOf(at.Q, "since", outSpans...)
	n, err := strconv.Atoi(days)
	if err != nil {
		return err
	}
	t, err := s.Planning.Track(c.Request().Context(), kit.Me(c).ID, at.Desk, at.Look, by, n)
	if err != nil {
		return err
	}
	k := at.Cards(func(see func(*newsroom.Entry)) {
		for _, l := range t.Lanes {
			for _, x := range l.Legs {
				for _, p := range x.At {
					see(p.Entry)
				}
			}
			for _, e := range l.Out {
				see(e)
			}
		}
	})
	v := trackView{LanesBy: by, OutDays: days}
	if err := s.ViewsPage.Head(c, &v.ViewHead, &at, k); err != nil {
		return err
	}
	v.switches(at.At)
	v.Answer = trackAnswer{Running: english.Plural(t.Running, "piece") + " running", Empty: t.Running == 0 && len(at.Look.Sieve.Terms) == 0}
	if t.Behind > 0 {
		v.Answer.Behind = fmt.Sprintf("%d behind", t.Behind)
	}
	for i := range t.Lanes {
		v.Lanes = append(v.Lanes, newTrackLane(at.B, &t, &t.Lanes[i], by, k, &v.Answer))
	}
	return s.ShowView(c, "track", "Track", &v, v.parts())
}

// switches fills in what the track can be switched to.
func (v *trackView) switches(at kit.Address) {
	lanes := []string{"format", "Formats", "person", "People", "campaign", "Campaigns"}
	if len(v.Desks) > 0 {
		lanes = append(lanes, "desk", "Desks")
	}
	v.By = at.Settings("lanes", string(v.LanesBy), lanes...)
	v.Outs = at.Settings("since", v.OutDays, "7", "7 days", "14", "14 days", "30", "30 days")
	if v.LanesBy == planning.ByPerson {
		v.Help = ", onto another lane to give it to that person"
	}
}

func (v *trackView) parts() []kit.Part {
	out := []kit.Part{{Key: "answer", Template: "track-answer", Data: v.Answer, Has: nil}}
	for _, l := range v.Lanes {
		out = append(out, kit.Part{Key: l.Head(), Template: "lane-head", Data: l, Has: nil})
		for _, x := range l.Legs {
			out = append(out, kit.Part{Key: x.Key, Template: "track-cell", Data: x, Has: x.has})
		}
		if l.Out != nil {
			out = append(out, kit.Part{Key: l.Out.Key, Template: "track-cell", Data: l.Out, Has: l.Out.has})
		}
	}
	return out
}

func newTrackLane(b *newsroom.Setup, t *planning.Track, l *planning.Lane, by planning.LanesBy, k *views.CardLook, a *trackAnswer) *trackLane {
	v := &trackLane{ID: l.ID, Key: kit.Str(l.ID), Says: fmt.Sprintf("%d running", l.Pieces), Columns: max(1, len(l.Legs))}
	switch by {
	case planning.ByPerson:
		if v.Name = b.Person(ref.Person(l.ID)).Name; l.ID == 0 {
			v.Name = "Nobody yet"
		}
		v.Says = english.Plural(l.Pieces, "piece")
	case planning.ByCampaign:
		if v.Name = b.Campaign(ref.Campaign(l.ID)).Name; l.ID == 0 {
			v.Name = "No campaign"
		}
	case planning.ByDesk:
		v.Name = b.Desk(ref.Desk(l.ID)).Name
	default:
		v.Name = b.Format(ref.Format(l.ID)).Name
	}
	for _, x := range l.Legs {
		c := &trackCell{Key: fmt.Sprintf("l-%d-%s", l.ID, x.Key), Leg: x.Key, Name: x.Name, Lane: l.ID, Count: len(x.At), at: x.At, look: k, t: t, Usual: allowed(x.Days)}
		if by != planning.ByFormat {
			c.Usual = ""
		} else if x.Flow.Known() && math.Abs(x.Flow.Usual-float64(x.Days)) >= 0.75 {
			c.Usual += ", usually " + inDays(x.Flow.Usual)
		}
		if x.Piles {
			c.Piles = fmt.Sprintf("%d at once, usually %s", len(x.At), atOnce(x.Flow.Expect()))
			a.Piles = append(a.Piles, fmt.Sprintf("%s of %s piles up: %s.", x.Name, v.Name, c.Piles))
		}
		v.Legs = append(v.Legs, c)
	}
	if by != planning.ByPerson {
		v.Out = &trackCell{Key: "o-" + v.Key, Leg: "out", Name: "Out", Lane: l.ID, Count: len(l.Out), out: l.Out, look: k, t: t}
	}
	return v
}

func allowed(days int) string {
	if days == 0 {
		return "same day"
	}
	return fmt.Sprintf("%d d", days)
}

func inDays(d float64) string {
	if d < 0.5 {
		return "same day"
	}
	return inFigures(d) + " d"
}

// inFigures writes a small number to the half: "2½".
func inFigures(x float64) string {
	n := int(math.Round(2 * x))
	if n%2 == 1 {
		if n == 1 {
			return "½"
		}
		return fmt.Sprintf("%d½", n/2)
	}
	return strconv.Itoa(n / 2)
}

// atOnce says how many pieces are usually at a leg at once.
func atOnce(n float64) string {
	if n < 0.75 {
		return "one at most"
	}
	return inFigures(n)
}

// outShown is how many pieces that are out a lane shows.
const outShown = 5

// Cells writes all legs of the lane, each as a part of its own.
func (l *trackLane) Cells() template.HTML {
	var w strings.Builder
	for _, c := range l.Legs {
		fmt.Fprintf(&w, `<div class="leg" data-part="%s" data-drop="leg" data-lane="%d" data-leg="%s" data-name="%s">%s</div>`,
			html.EscapeString(c.Key), c.Lane, html.EscapeString(c.Leg), html.EscapeString(c.Name), c.Draw())
	}
	return template.HTML(w.String())
}

// Draw writes the leg with its pieces. It is written here and not in a template because
// a house of two hundred people has a thousand of them.
func (c *trackCell) Draw() template.HTML {
	var w strings.Builder
	head := c.Usual
	if c.Leg == "out" {
		head = strconv.Itoa(c.Count)
	}
	count := ""
	if len(c.at) > 0 {
		count = fmt.Sprintf(` <span class="leg-count">%d<span class="sr-only"> at it</span></span>`, len(c.at))
	}
	fmt.Fprintf(&w, `<div class="leg-name"><h3>%s%s</h3><span class="muted">%s</span></div>`, html.EscapeString(c.Name), count, html.EscapeString(head))
	if c.Piles != "" {
		fmt.Fprintf(&w, `<p class="piles">piles up: %s</p>`, html.EscapeString(c.Piles))
	}
	for _, x := range c.at[:min(len(c.at), trackShown)] {
		c.draw(&w, x)
	}
	for _, e := range c.out[:min(len(c.out), outShown)] {
		c.drawOut(&w, e)
	}
	if n := max(0, len(c.at)-trackShown) + max(0, len(c.out)-outShown); n > 0 {
		fmt.Fprintf(&w, `<details class="fold"><summary>%d more</summary>`, n)
		for _, x := range c.at[min(len(c.at), trackShown):min(len(c.at), trackShown+views.MostFolded)] {
			c.draw(&w, x)
		}
		for _, e := range c.out[min(len(c.out), outShown):min(len(c.out), outShown+views.MostFolded)] {
			c.drawOut(&w, e)
		}
		w.WriteString(`</details>`)
	}
	return template.HTML(w.String())
}

// trackShown is how many pieces a leg shows whole; the rest is folded.
const trackShown = 8

func (c *trackCell) draw(w *strings.Builder, x planning.AtLeg) {
	b := c.look.B
	tone := views.ToneOf(x.Standing)
	hue, _ := c.look.Class(x.Entry)
	says := []string{}
	switch {
	case x.IsQuiet && tone == "quiet":
		says = append(says, fmt.Sprintf("quiet for %s", english.Plural(x.Quiet, "day")))
	case x.Pace == plan.Unplaced:
		says = append(says, "no day yet")
	default:
		says = append(says, views.ShortPace(x.Standing))
	}
	if x.GoesOut != 0 {
		says = append(says, x.GoesOut.In(b.Zones[x.DeskID]).Format("Mon 2 Jan"))
	}
	if x.Leg.Rework > 0 {
		says = append(says, "came back")
	}
	who := b.Name(x.Leg.Holder)
	if x.Leg.Holder == 0 {
		who = "nobody yet"
	}
	fmt.Fprintf(w, `<div class="card at%s" data-piece="%d" data-version="%d" data-leg="%s" data-take data-drop="turn" data-name="%s, at %s">%s<a class="title" href="/pieces/%d">%s</a><span class="line-says text-%s">%s<span class="sr-only">, %s with %s</span></span>`,
		hue, x.ID, x.Version, x.Leg.Key, html.EscapeString(x.Title), html.EscapeString(x.Leg.Name), views.Ring(draw.Initials(b, x.Leg.Holder), tone, x.Share()),
		x.ID, html.EscapeString(x.Title), tone, html.EscapeString(strings.Join(says, " · ")), html.EscapeString(x.Leg.Name), html.EscapeString(who))
	if notes := c.look.Notes(x.Entry); len(notes) > 0 {
		fmt.Fprintf(w, `<p class="card-notes">%s</p>`, html.EscapeString(strings.Join(notes, " · ")))
	}
	w.WriteString(views.More(x.ID, x.Title))
	w.WriteString(`</div>`)
}

func (c *trackCell) drawOut(w *strings.Builder, e *newsroom.Entry) {
	b := c.look.B
	says, class := "out "+b.At(e.OutAt, e.DeskID), "card at gone"
	if e.Stage == relay.UnderWay {
		if says, class = "ready for "+b.At(e.GoesOut, e.DeskID), "card at"; e.GoesOut == 0 {
			says = "ready, no day yet"
		} else if e.MissedAt == e.GoesOut {
			says = "ready, missed " + b.At(e.GoesOut, e.DeskID)
		}
	}
	hue, _ := c.look.Class(e)
	fmt.Fprintf(w, `<div class="%s%s" data-piece="%d" data-version="%d" data-name="%s">%s<a class="title" href="/pieces/%d">%s</a><span class="line-says">%s</span></div>`,
		class, hue, e.ID, e.Version, html.EscapeString(e.Title), views.Ring("✓", "good", 1), e.ID, html.EscapeString(e.Title), html.EscapeString(says))
}
