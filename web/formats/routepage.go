package formats

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/field"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/setup"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

// routeView is the editor of a route.
type routeView struct {
	Format  ref.Format
	Base    int // the version it began from
	Legs    []legView
	Drawing *draw.Route
	Answer  string
	Notes   []string
	Changed bool
	Problem string
	Field   string // "draft.days"
	Roles   []string
	Names   []string // of the people of the desk
}

type legView struct {
	route.Leg
	At                  int
	Days, Least, Effort string // as typed
	SkipText            string
	Waits               []kit.OptionView
	Keys                []string // of Waits
	People              []kit.Option
	Fields              []fieldChoice
	Reviewers           []kit.PartnerTick
	Needs, Backs        []kit.Option
	NeedText            string
	Skips               []kit.Option
	StepRows            []stepRow
	Above               bool // it waits for the leg above it
	First, Last, Only   bool
	Faulty              string // the part of it that is wrong
	More                int    // how many of its further settings are set
}

type fieldChoice struct {
	Key, Name string
	Is        bool
}

type stepRow struct{ Text, Need, Role, Before string }

// newRouteView shows a route in its editor; with what was typed, and what is wrong
// with it, if anything.
func newRouteView(b *newsroom.Setup, format ref.Format, base int, r route.Route, typed url.Values, wrong error) routeView {
	f := b.Format(format)
	v := routeView{Format: format, Base: base, Roles: b.RolesOf(f.DeskID)}
	for _, p := range b.OnDesk(f.DeskID) {
		v.Names = append(v.Names, p.Name)
	}
	if wrong == nil {
		_, wrong = setup.CheckRoute(b, format, r)
	}
	var refusal *relay.Refusal
	if errors.As(wrong, &refusal) {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	bad, _, _ := strings.Cut(v.Field, ".")
	if ordered, err := drawable(r).Check(); err == nil {
		d := draw.NewRoute(ordered, draw.WideRoute, bad)
		v.Drawing = &d
		v.Answer, v.Notes = draw.SayRoute(ordered)
	}
	v.Changed = typed != nil && (fmt.Sprint(r) != fmt.Sprint(b.Latest(format).Way) || v.Problem != "")
	for i, l := range r.Legs {
		v.Legs = append(v.Legs, newLegView(b, f, r, i, l, typed, v.Field))
	}
	return v
}

// drawable is a route with figures that can be drawn, whatever was typed.
func drawable(r route.Route) route.Route {
	out := route.Route{Legs: slices.Clone(r.Legs)}
	for i := range out.Legs {
		l := &out.Legs[i]
		l.Allowance = min(max(l.Allowance, 0), route.MaxDays)
		l.Least, l.Effort, l.Steps = 0, min(max(l.Effort, 0), route.MaxMinutes), nil
		if strings.TrimSpace(l.Name) == "" {
			l.Name = "…"
		}
		if name := []rune(l.Name); len(name) > 40 {
			l.Name = string(name[:40])
		}
		if l.Role == "" {
			l.Role = "?"
		}
	}
	return out
}

func newLegView(b *newsroom.Setup, f store.Format, r route.Route, i int, l route.Leg, typed url.Values, wrong string) legView {
	v := legView{Leg: l, At: i + 1, Days: fmt.Sprint(l.Allowance), Least: fmt.Sprint(l.Least), Effort: english.HoursTyped(l.Effort), First: i == 0, Last: i == len(r.Legs)-1, Only: len(r.Legs) == 1}
	if typed != nil && typed.Has("days-"+l.Key) {
		v.Days, v.Least, v.Effort = typed.Get("days-"+l.Key), typed.Get("least-"+l.Key), typed.Get("effort-"+l.Key)
	}
	if key, part, ok := strings.Cut(wrong, "."); ok && key == l.Key {
		v.Faulty = part
	}
	for _, x := range r.Legs {
		if x.Key != l.Key {
			v.Waits, v.Keys = append(v.Waits, kit.OptionView{Text: x.Name, Is: slices.Contains(l.After, x.Key)}), append(v.Keys, x.Key)
		}
	}
	v.Above = i > 0 && slices.Contains(l.After, r.Legs[i-1].Key)
	v.People = append(v.People, kit.Option{Value: "0", Name: "Nobody: it is open"}, kit.Option{Value: fmt.Sprint(route.LastInSeries), Name: "Whoever ran the last one"}, kit.Option{Value: fmt.Sprint(route.MostRoom), Name: "Whoever has most room"})
	for _, p := range kit.Suited(b, f.DeskID, l.Role, max(l.Usual, 0)) {
		v.People = append(v.People, kit.Option{Value: fmt.Sprint(p.ID), Name: p.Name})
	}
	for _, p := range b.OnDesk(f.DeskID) {
		v.Reviewers = append(v.Reviewers, kit.PartnerTick{ID: int64(p.ID), Name: p.Name, Is: slices.Contains(l.Review.By, p.ID)})
	}
	v.Needs = []kit.Option{{Value: "0", Name: "all of them say yes"}, {Value: "1", Name: "one of them says yes"}}
	for n := 2; n < max(4, len(l.Review.By)); n++ {
		v.Needs = append(v.Needs, kit.Option{Value: fmt.Sprint(n), Name: fmt.Sprintf("%d of them say yes", n)})
	}
	v.NeedText, v.Backs = fmt.Sprint(l.Review.Need), []kit.Option{{Value: "", Name: "where the copy was written"}}
	for _, x := range r.Legs[:i] {
		v.Backs = append(v.Backs, kit.Option{Value: x.Key, Name: x.Name})
	}
	v.Skips = []kit.Option{{Value: "", Name: "Always run"}, {Value: "may", Name: "May be skipped"}, {Value: "unless", Name: "Skipped unless needed"}}
	for _, x := range b.FieldsOf(f.ID) {
		v.Fields = append(v.Fields, fieldChoice{x.Key, x.Name, slices.Contains(l.Requires, x.Key)})
		if x.Kind == field.Yes || x.Kind == field.One || x.Kind == field.Several {
			v.Skips = append(v.Skips, kit.Option{Value: "when:" + x.Key, Name: "Run only when “" + x.Name + "” is"})
		}
	}
	if v.SkipText = string(l.Skip); l.When != "" {
		v.SkipText = "when:" + l.When
	}
	for _, x := range l.Steps {
		row := stepRow{Text: x.Text, Role: x.Role}
		if x.Must {
			row.Need = "yes"
		}
		if x.Before != 0 {
			row.Before = fmt.Sprint(x.Before)
		}
		v.StepRows = append(v.StepRows, row)
	}
	v.StepRows = append(v.StepRows, stepRow{})
	for _, on := range []bool{l.Beside, l.Words, l.Proposes, l.SignOff, len(l.Review.By) > 0, l.Skip != "", len(l.Requires) > 0} {
		v.More += kit.Bit(on)
	}
	v.More += len(l.Steps)
	return v
}

// saveRoute changes the route in its editor, or stores it as a new version.
func (s *Section) saveRoute(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	f, err := s.oldFormat(c, b)
	if err != nil {
		return err
	}
	r, wrong := readRoute(form)
	r.After = b.Latest(f.ID).Way.After
	base := kit.Int[int](form, "base")
	if do := form.Get("do"); do != "save" {
		if strings.HasPrefix(do, "remove:") { // what was wrong may be gone with the leg
			wrong = nil
		}
		v := newRouteView(b, f.ID, base, edit(r, do), form, wrong)
		if c.Request().Header.Get("X-Part") != "" {
			return s.Render(c, http.StatusOK, "format", "legs", v)
		}
		return s.showFormat(c, http.StatusOK, nil, nil, &v)
	}
	version := 0
	if wrong == nil {
		version, wrong = s.Settings.SaveRoute(ctx, kit.Me(c).ID, f.ID, base, r)
	}
	var refusal *relay.Refusal
	if errors.As(wrong, &refusal) {
		v := newRouteView(b, f.ID, base, r, form, refusal)
		return s.showFormat(c, kit.StatusOf(refusal), nil, nil, &v)
	} else if wrong != nil {
		return wrong
	}
	to := fmt.Sprintf("/formats/%d", f.ID)
	if s.Say(c, "Nothing was changed."); version != base {
		s.Say(c, "The route is saved as version %d. New pieces run on it.", version)
		to += "/pieces"
	}
	return c.Redirect(http.StatusSeeOther, to)
}
