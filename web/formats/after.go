package formats

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// afterView is what is done when a piece of a format is out, as it is set up.
type afterView struct {
	Base   int
	Roles  []string
	Rows   []afterRow
	People []kit.Option
	Makes  []kit.Option // formats of pieces that a leg can begin
}

// afterRow is one leg after release, as it is or as it was typed.
type afterRow struct {
	Key, Name, Role, Usual, Days, Hours, Waits, Steps, Makes string
	Others                                                   []kit.Choice
	Faulty                                                   string
}

// spareRows is how many empty lines are offered.
const spareRows = 2

func newAfterView(b *newsroom.Setup, f store.Format, typed url.Values, wrong string) afterView {
	latest := b.Latest(f.ID)
	v := afterView{Base: latest.Version, Roles: b.RolesOf(f.DeskID)}
	v.People = append(v.People, kit.Option{Value: "0", Name: "Nobody: it is open"}, kit.Option{Value: fmt.Sprint(route.LastInSeries), Name: "Whoever ran the last one"}, kit.Option{Value: fmt.Sprint(route.MostRoom), Name: "Whoever has most room"})
	for _, p := range b.OnDesk(f.DeskID) {
		if p.Access.May(relay.RunLegs) {
			v.People = append(v.People, kit.Option{Value: kit.Str(p.ID), Name: p.Name})
		}
	}
	for _, x := range b.FormatsOf(f.DeskID) {
		v.Makes = append(v.Makes, kit.Option{Value: kit.Str(x.ID), Name: x.Name})
	}
	if typed.Get("form") == "after" {
		v.Base = kit.Int[int](typed, "base")
		for i := range typed["key"] {
			at := func(part string) string { return nth(typed[part], i) }
			v.Rows = append(v.Rows, afterRow{Key: at("key"), Name: at("name"), Role: at("role"), Usual: at("usual"), Days: at("days"), Hours: at("hours"), Waits: at("waits"), Steps: at("steps"), Makes: at("makes")})
		}
	} else {
		for _, l := range latest.Way.After {
			x := afterRow{Key: l.Key, Name: l.Name, Role: l.Role, Usual: kit.Str(l.Usual), Days: fmt.Sprint(l.Allowance), Hours: english.HoursTyped(l.Effort), Waits: newsroom.FirstOf(l.After), Makes: kit.Str(l.Makes)}
			for _, s := range l.Steps {
				x.Steps += s.Text + "\n"
			}
			v.Rows = append(v.Rows, x)
		}
		for range spareRows {
			v.Rows = append(v.Rows, afterRow{})
		}
	}
	for i := range v.Rows {
		x := &v.Rows[i]
		for _, y := range v.Rows {
			if y.Key != "" && y.Key != x.Key {
				x.Others = append(x.Others, kit.Choice{Key: y.Key, Name: y.Name})
			}
		}
		if key, part, ok := strings.Cut(wrong, "."); ok && key == x.Key && key != "" {
			x.Faulty = part
		}
	}
	return v
}

// nth gives one of several values, or nothing.
func nth(xs []string, i int) string {
	if i < len(xs) {
		return strings.TrimSpace(xs[i])
	}
	return ""
}

// readAfter reads the legs after release from their form; lines without a name are none.
func readAfter(r route.Route, typed url.Values) ([]route.Leg, error) {
	r.After = nil
	old := map[string]bool{}
	for _, key := range typed["key"] {
		old[key] = true
	}
	for i := range typed["key"][:min(len(typed["key"]), route.MaxLegs+1)] {
		at := func(part string) string { return nth(typed[part], i) }
		l := route.Leg{Key: at("key"), Name: at("name"), Role: strings.ToLower(at("role"))}
		if l.Name == "" {
			continue
		}
		if l.Key == "" {
			l.Key = r.NewKey(l.Name)
			for n := 2; old[l.Key] && r.Leg(l.Key) == nil; n++ {
				l.Key = fmt.Sprintf("%s%d", r.NewKey(l.Name), n)
			}
		}
		one := url.Values{"usual": {at("usual")}, "days": {at("days")}}
		l.Usual, l.Makes = kit.Int[ref.Person](one, "usual"), kit.Int[ref.Format](url.Values{"makes": {at("makes")}}, "makes")
		var err error
		if l.Allowance, err = kit.Whole(one, "days", l.Key+".days", "the days after release for "+l.Name, 0); err != nil {
			return nil, err
		}
		if l.Effort, err = kit.HoursTyped(at("hours")); err != nil {
			return nil, kit.NoFigure(err, l.Key+".hours", fmt.Sprintf("%s: write its effort in hours, like 3 or 1.5; “%s” is not that.", l.Name, at("hours")))
		}
		if w := at("waits"); w != "" {
			l.After = []string{w}
		}
		for line := range strings.Lines(at("steps")) {
			if line = strings.TrimSpace(line); line != "" {
				l.Steps = append(l.Steps, route.Step{Text: line})
			}
		}
		r.After = append(r.After, l)
	}
	for i := range r.After { // what waited for one that is gone waits for nothing
		r.After[i].After = slices.DeleteFunc(r.After[i].After, func(k string) bool {
			return !slices.ContainsFunc(r.After, func(l route.Leg) bool { return l.Key == k })
		})
	}
	return r.After, nil
}

// saveAfter stores what is done when a piece of a format is out, as a version of its route.
func (s *Section) saveAfter(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.oldFormat, func(b *newsroom.Setup, f store.Format, form url.Values) (string, error) {
		way := b.Latest(f.ID).Way
		after, err := readAfter(way, form)
		if err != nil {
			return "", err
		}
		way.After = after
		base := kit.Int[int](form, "base")
		version, err := s.Settings.SaveRoute(c.Request().Context(), kit.Me(c).ID, f.ID, base, way)
		if err != nil {
			return "", err
		}
		to := fmt.Sprintf("/formats/%d", f.ID)
		if s.Say(c, "Nothing was changed."); version != base {
			s.Say(c, "Saved with version %d of the route. New pieces follow it.", version)
			return to + "/pieces", nil
		}
		return to + "#after", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		return s.showFormat(c, status, r, typed, nil)
	})
}
