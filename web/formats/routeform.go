package formats

import (
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/figure"
	"greenbaton/core/ref"
	"greenbaton/core/route"
	"greenbaton/web/kit"
)

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
			Key: key, Name: strings.TrimSpace(form.Get(at("name"))), Role: strings.ToLower(strings.TrimSpace(form.Get(at("role")))), Usual: kit.Int[ref.Person](form, at("usual")),
			After: form[at("after")], Beside: form.Get(at("overlap")) != "", Words: form.Get(at("words")) != "", Proposes: form.Get(at("proposes")) != "", SignOff: form.Get(at("signoff")) != "", Requires: form[at("requires")],
		}
		if l.SignOff {
			l.Review = route.Review{By: kit.IdsTyped[ref.Person](form[at("reviewer")]), InOrder: form.Get(at("inorder")) != "", Again: form.Get(at("again")) != "", Back: form.Get(at("back"))}
			l.Review.Need, _ = strconv.Atoi(form.Get(at("need"))) // a choice
		}
		for _, n := range []struct {
			part, what string
			into       *int
		}{{"days", "allowance", &l.Allowance}, {"least", "least", &l.Least}} {
			v, err := kit.Whole(form, at(n.part), key+"."+n.part, fmt.Sprintf("the %s of %s in working days", n.what, l.Name), 0)
			if err != nil {
				note(err)
			}
			*n.into = v
		}
		minutes, err := kit.HoursTyped(form.Get(at("effort")))
		if err != nil {
			note(kit.NoFigure(err, key+".effort", fmt.Sprintf("%s: write its effort in hours, like 3 or 1.5; “%s” is not that.", l.Name, form.Get(at("effort")))))
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
			first = kit.NoFigure(err, key+".steps", fmt.Sprintf("%s: write how many working days before the leg is due “%s” is done; “%s” is no number.", leg, text, get(befores, i)))
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
