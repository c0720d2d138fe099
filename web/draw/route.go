package draw

import (
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// Route is a route drawn as it will run: legs as wide as their allowance,
// side-by-side legs stacked.
type Route struct {
	Width, Height float64
	Boxes         []routeBox
	Lines         []routeLine
	Label         string
}

type routeBox struct {
	X, Y, W, H          float64
	Key, Name, Sub      string
	Skips, Longest, Bad bool
}

type routeLine struct{ Path string }

// WideRoute and NarrowRoute are how wide a route is drawn: in its editor, and in the list of formats.
const WideRoute, NarrowRoute, routeLane, routeTop = 1232.0, 856.0, 52.0, 4.0

// NewRoute draws a route that passed its check in a width; the leg with the key bad is marked.
func NewRoute(r route.Route, width float64, bad string) Route {
	legs := relay.NewLegs(r)
	from, to, total := spread(legs)
	lane, _ := laneOf(legs, from, to)
	unit := (width - 4) / total
	longest := r.LongestWay()
	d := Route{Width: width}
	lanes := 0
	var names []string
	for i, l := range r.Legs {
		lanes = max(lanes, lane[i])
		x := routeBox{
			X: 2 + from[i]*unit, Y: routeTop + float64(lane[i])*routeLane, W: (to[i]-from[i])*unit - 4, H: 42, Key: l.Key,
			Skips: l.Skip != route.SkipNever, Longest: slices.Contains(longest, l.Key), Bad: l.Key == bad,
		}
		x.Name, x.Sub = fit(l.Name, x.W, 7), fit(daysOf(l)+" · "+l.Role, x.W, 6)
		d.Boxes = append(d.Boxes, x)
		names = append(names, fmt.Sprintf("%s, %s", l.Name, daysOf(l)))
	}
	for i := range legs {
		for k := range legs {
			if legs[i].WaitsFor(legs[k].Key) {
				a, b := d.Boxes[k], d.Boxes[i]
				d.Lines = append(d.Lines, routeLine{fmt.Sprintf("M%.1f %.1fH%.1fV%.1fH%.1f", a.X+a.W, a.Y+a.H/2, b.X-2, b.Y+b.H/2, b.X)})
			}
		}
	}
	d.Height = routeTop + float64(lanes+1)*routeLane
	d.Label = "The route as it runs: " + strings.Join(names, "; ")
	return d
}

func daysOf(l route.Leg) string {
	switch l.Allowance {
	case 0:
		return "same day"
	case 1:
		return "1 day"
	}
	return fmt.Sprintf("%d days", l.Allowance)
}

// fit cuts a text to a width, a letter being so wide.
func fit(s string, width, letter float64) string {
	rs := []rune(s)
	room := int((width - 14) / letter)
	switch {
	case room >= len(rs):
		return s
	case room < 3:
		return ""
	}
	return string(rs[:room-1]) + "…"
}

// SayRoute says how long a route is, and what is worth a second look.
func SayRoute(r route.Route) (string, []string) {
	minutes := 0
	var way, notes []string
	for _, l := range r.Legs {
		if minutes += l.Effort; l.Skip == route.SkipUnless {
			minutes -= l.Effort
		}
	}
	for _, k := range r.LongestWay() {
		way = append(way, r.Leg(k).Name)
	}
	if ends := r.Ends(); len(ends) > 1 {
		var names []string
		for _, l := range ends {
			names = append(names, l.Name)
		}
		notes = append(notes, "Nothing waits for "+english.And(names)+": a piece is ready only when all of them are passed.")
	}
	return fmt.Sprintf("%s by the longest way, %s. %s of work in all.", english.Plural(r.Longest(), "working day"), strings.Join(way, " → "), english.Hours(minutes)), notes
}
