package web

import (
	"cmp"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/figure"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// The form of a route has its legs' keys in order as "key", and for each leg its
// parts under their names with the key behind, "days-draft". Steps of a checklist
// are lists of equal length.

// readRoute reads a route from its form. Figures that are no numbers are reported as
// a refusal at their field, "draft.days", and read as what they may be at least.
func readRoute(form url.Values) (route.Route, error) {
	var r route.Route
	var first error
	note := func(err error) {
		if first == nil {
			first = err
		}
	}
	keys := form["key"]
	for _, key := range keys[:min(len(keys), route.MaxLegs+1)] { // one too many is said; more are not read
		at := func(part string) string { return part + "-" + key }
		l := route.Leg{
			Key: key, Name: strings.TrimSpace(form.Get(at("name"))), Role: strings.ToLower(strings.TrimSpace(form.Get(at("role")))), Usual: int64At(form, at("usual")),
			After: form[at("after")], Beside: form.Get(at("overlap")) != "", Words: form.Get(at("words")) != "", Proposes: form.Get(at("proposes")) != "", SignOff: form.Get(at("signoff")) != "", Requires: form[at("requires")],
		}
		if l.SignOff {
			l.Review = route.Review{By: idsTyped(form[at("reviewer")]), InOrder: form.Get(at("inorder")) != "", Again: form.Get(at("again")) != "", Back: form.Get(at("back"))}
			l.Review.Need, _ = strconv.Atoi(form.Get(at("need"))) // a choice
		}
		for _, n := range []struct {
			part, what string
			into       *int
		}{{"days", "allowance", &l.Allowance}, {"least", "least", &l.Least}} {
			v, err := whole(form, at(n.part), key+"."+n.part, fmt.Sprintf("the %s of %s in working days", n.what, l.Name), 0)
			if err != nil {
				note(err)
			}
			*n.into = v
		}
		minutes, err := hoursTyped(form.Get(at("effort")))
		if err != nil {
			note(noFigure(err, key+".effort", fmt.Sprintf("%s: write its effort in hours, like 3 or 1.5; “%s” is not that.", l.Name, form.Get(at("effort")))))
		}
		l.Effort = minutes
		l.Skip, l.When, l.Is = readSkip(form.Get(at("skip")), form.Get(at("is")))
		if l.Steps, err = readSteps(form, key, l.Name); err != nil {
			note(err)
		}
		r.Legs = append(r.Legs, l)
	}
	return r, first
}

// readSkip reads how a leg may be skipped: a way, or "when:" with a field.
func readSkip(s, is string) (route.Skip, string, string) {
	if f, ok := strings.CutPrefix(s, "when:"); ok {
		return route.SkipUnless, f, strings.TrimSpace(is)
	}
	return route.Skip(s), "", ""
}

// hoursText writes minutes as hours like 3 or 1.5.
func hoursText(minutes int) string {
	return strconv.FormatFloat(math.Round(float64(minutes)/60*100)/100, 'f', -1, 64)
}

func readSteps(form url.Values, key, leg string) ([]route.Step, error) {
	texts, needs, roles, befores := form["step-"+key], form["stepneed-"+key], form["steprole-"+key], form["stepbefore-"+key]
	get := func(xs []string, i int) string {
		if i < len(xs) {
			return strings.TrimSpace(xs[i])
		}
		return ""
	}
	var out []route.Step
	var first error
	for i := range texts {
		text := get(texts, i)
		if text == "" {
			continue
		}
		before, err := figure.Whole(cmp.Or(get(befores, i), "0"))
		if err != nil && first == nil {
			first = noFigure(err, key+".steps", fmt.Sprintf("%s: write how many working days before the leg is due “%s” is done; “%s” is no number.", leg, text, get(befores, i)))
		}
		out = append(out, route.Step{Text: text, Must: get(needs, i) != "", Role: strings.ToLower(get(roles, i)), Before: before})
	}
	return out, first
}

// edit does to a route what a button says: "earlier:draft", "move:draft:3". What it
// does not know changes nothing.
func edit(r route.Route, do string) route.Route {
	what, rest, _ := strings.Cut(do, ":")
	key, to, _ := strings.Cut(rest, ":")
	at := slices.IndexFunc(r.Legs, func(l route.Leg) bool { return l.Key == key })
	switch what {
	case "add":
		l := route.Leg{Key: r.NewKey("new leg"), Name: "New leg", Allowance: 1, Effort: 60}
		if at < 0 {
			at = len(r.Legs) - 1
		}
		if at >= 0 {
			l.Role = r.Legs[at].Role
		}
		return r.Insert(l, at+1)
	case "remove":
		if len(r.Legs) > 1 {
			return r.Remove(key)
		}
	case "earlier":
		return r.MoveTo(key, at-1)
	case "later":
		return r.MoveTo(key, at+1)
	case "move":
		if n, err := strconv.Atoi(to); err == nil {
			return r.MoveTo(key, n)
		}
	case "beside":
		return r.Beside(key)
	case "behind":
		return r.Behind(key)
	}
	return r
}

// routeDrawing is a route drawn as it will run: legs as wide as their allowance,
// side-by-side legs stacked.
type routeDrawing struct {
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

// A route is drawn wide in its editor and narrow in the list of formats.
const wideRoute, narrowRoute, routeLane, routeTop = 1232.0, 856.0, 52.0, 4.0

// drawRoute draws a route that passed its check in a width; the leg with the key bad is marked.
func drawRoute(r route.Route, width float64, bad string) routeDrawing {
	legs := relay.NewLegs(r)
	from, to, total := spread(legs)
	lane, _ := laneOf(legs, from, to)
	unit := (width - 4) / total
	longest := r.LongestWay()
	d := routeDrawing{Width: width}
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
