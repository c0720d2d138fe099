package draw

import (
	"fmt"
	"html"
	"html/template"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Bar is one leg in a drawing: a box, its state, and who runs it.
type Bar struct {
	X, Y, W, H float64
	State      string // solid, running, waiting or skipped
	Initials   string
	CX, CY     float64 // the middle of the badge
	Label      string
}

// Strip is the baton strip of a piece: its legs as wide as their allowance,
// then a dot line for the days in hand, then the flag of its day.
type Strip struct {
	Width, Height    float64
	Tone             string // "good" or "short"
	Bars             []Bar
	Badges           []Bar // drawn above the bars
	DotsFrom, DotsTo float64
	Flag             float64
	Placed           bool   // it has a day, and so a flag
	Label            string // all of it in words
}

// The widths a strip is drawn in, and its height.
const WideStrip, NarrowStrip, stripHeight = 292.0, 190.0, 24.0

// NewStrip draws the strip of a piece in a width.
func NewStrip(b *newsroom.Setup, r store.Row, width float64) Strip {
	s := Strip{Width: width, Height: stripHeight, Tone: "good", Flag: width - 14, Placed: r.GoesOut != 0}
	if r.Pace == plan.Short {
		s.Tone = "short"
	}
	from, to, total := spread(r.Legs)
	hand := 0.0
	if r.Pace == plan.InHand {
		hand = min(float64(r.InHand), total*0.4)
	}
	unit := (s.Flag - 4) / (total + hand)
	lanes, count := laneOf(r.Legs, from, to)
	for i := range r.Legs {
		l := &r.Legs[i]
		if to[i] == from[i] {
			continue
		}
		h := 8.0
		y := (stripHeight - h) / 2
		switch n := float64(count[i]); {
		case n == 2:
			h = 6
			y = stripHeight/2 - 7 + float64(lanes[i])*8
		case n > 2: // all of them within the strip
			h = (stripHeight-4)/n - 1
			y = 2 + float64(lanes[i])*(stripHeight-4)/n
		}
		x := Bar{X: 1 + from[i]*unit, Y: y, W: max(3, (to[i]-from[i])*unit-1.5), H: h, State: barState(l)}
		if l.State == relay.Running {
			x.Initials = Initials(b, l.Holder)
			x.CX, x.CY = x.X+x.W/2, stripHeight/2
			if count[i] > 1 {
				x.CX += 9 * float64(2*lanes[i]-count[i]+1)
			}
			x.CX = min(max(x.CX, 11), s.Flag-11)
			s.Badges = append(s.Badges, x)
		}
		s.Bars = append(s.Bars, x)
	}
	if hand > 0 {
		s.DotsFrom, s.DotsTo = 2+total*unit, s.Flag-2
	}
	s.Label = stripWords(b, r)
	return s
}

// SVG writes the strip as a picture with its words as text alternative. It is
// written here and not in a template because lists show a hundred of them.
func (s Strip) SVG() template.HTML {
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="%s block max-w-full h-auto" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" role="img" aria-label="%s">`,
		s.Tone, s.Width, s.Height, s.Width, s.Height, html.EscapeString(s.Label))
	for _, x := range s.Bars {
		fill := ""
		if x.State == "running" {
			fill = ` fill="url(#hatch-` + s.Tone + `)"`
		}
		fmt.Fprintf(&b, `<rect class="bar-%s" x="%.1f" y="%.1f" width="%.1f" height="%.1f" rx="1.5"%s/>`, x.State, x.X, x.Y, x.W, x.H, fill)
	}
	if s.DotsTo > 0 {
		fmt.Fprintf(&b, `<line class="dots" x1="%.1f" y1="12" x2="%.1f" y2="12"/>`, s.DotsFrom, s.DotsTo)
	}
	if s.Placed {
		fmt.Fprintf(&b, `<path class="flag" d="M%[1]g 3.5h12l-3.4 4.2 3.4 4.3h-12z"/><line class="flag-pole" x1="%[1]g" y1="3" x2="%[1]g" y2="20"/>`, s.Flag)
	}
	for _, x := range s.Badges {
		fmt.Fprintf(&b, `<circle class="badge-ring" cx="%.1[1]f" cy="%.1[2]f" r="10"/><text class="badge-text" x="%.1[1]f" y="%.1[2]f">%[3]s</text>`, x.CX, x.CY, html.EscapeString(x.Initials))
	}
	b.WriteString("</svg>")
	return template.HTML(b.String())
}

// stripWords says what a strip shows.
func stripWords(b *newsroom.Setup, r store.Row) string {
	done, all := 0, 0
	var run []string
	for i := range r.Legs {
		l := &r.Legs[i]
		if l.State == relay.Skipped {
			continue
		}
		all++
		if l.State == relay.Passed {
			done++
		}
		if l.State == relay.Running {
			run = append(run, l.Name+" with "+b.Name(l.Holder))
		}
	}
	s := fmt.Sprintf("%d of %d legs passed", done, all)
	if len(run) > 0 {
		s += "; " + english.And(run)
	}
	return s + "; " + strings.ToLower(newsroom.SayPace(r.Standing))
}

// Initials gives the initials of a person, a question mark for nobody.
func Initials(b *newsroom.Setup, person ref.Person) string {
	if person == 0 {
		return "?"
	}
	return b.Person(person).Initials
}

func barState(l *relay.Leg) string {
	switch l.State {
	case relay.Passed:
		return "solid"
	case relay.Running:
		return "running"
	}
	return string(l.State)
}

// spread lays the legs out along their longest way: where each begins and ends
// in working days. A same-day leg is drawn as half a day; a skipped one takes nothing.
func spread(legs []relay.Leg) (from, to []float64, total float64) {
	from, to = make([]float64, len(legs)), make([]float64, len(legs))
	for i := range legs {
		for k := range i {
			if legs[i].WaitsFor(legs[k].Key) {
				from[i] = max(from[i], to[k])
			}
		}
		to[i] = from[i]
		if legs[i].State != relay.Skipped {
			to[i] += max(0.5, float64(legs[i].Allowance))
		}
		total = max(total, to[i])
	}
	return from, to, max(total, 1)
}

// laneOf gives each leg a lane among those drawn at the same stretch, and how
// many lanes there are at its stretch.
func laneOf(legs []relay.Leg, from, to []float64) (lane, count []int) {
	lane, count = make([]int, len(legs)), make([]int, len(legs))
	overlap := func(i, k int) bool { return from[i] < to[k] && from[k] < to[i] }
	for i := range legs {
		var used []int
		for k := range i {
			if overlap(i, k) {
				used = append(used, lane[k])
			}
		}
		for slices.Contains(used, lane[i]) {
			lane[i]++
		}
	}
	for i := range legs {
		count[i] = 1
		for k := range legs {
			if overlap(i, k) {
				count[i] = max(count[i], lane[k]+1, lane[i]+1)
			}
		}
	}
	return lane, count
}
