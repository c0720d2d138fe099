package formats

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

type transferView struct {
	Format  store.Format
	Rows    []transferRow
	Base    int
	Problem string
	Shorter int // how many would end up short, or shorter than they are
}

type transferRow struct {
	planning.Transfer
	Was, Is       string
	WasTone, Tone string
	Before, After draw.Strip
	Says          []string
	Version       int
	Ticked        bool // it does not end up shorter by it
}

// transfers offers to move running pieces over to the newest version of a route.
func (s *Section) transfers(c *echo.Context) error { return s.showTransfers(c, http.StatusOK, "") }

func (s *Section) showTransfers(c *echo.Context, status int, problem string) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	f, err := s.oldFormat(c, b)
	if err != nil {
		return err
	}
	all, err := s.Planning.Transfers(ctx, kit.Me(c).ID, f.ID)
	if err != nil {
		return err
	}
	v := transferView{Format: f, Base: b.Latest(f.ID).Version, Problem: problem}
	for _, t := range all {
		before, after := kit.StandingBy(&t.Row.Piece, t.Before), kit.StandingBy(&t.After, t.Then)
		x := transferRow{
			Transfer: t, Was: newsroom.SayPace(before.Standing), Is: newsroom.SayPace(after.Standing), WasTone: kit.Tone(before.Standing), Tone: kit.Tone(after.Standing),
			Before: draw.NewStrip(b, before, draw.NarrowStrip), After: draw.NewStrip(b, after, draw.NarrowStrip), Version: b.Route(t.Row.RouteID).Version,
		}
		for _, p := range []struct {
			says  string
			names []string
		}{{"will also run ", t.Added}, {"is past ", t.Past}, {"no longer runs ", t.Gone}} {
			if len(p.names) > 0 {
				x.Says = append(x.Says, p.says+english.And(p.names))
			}
		}
		if x.Says == nil {
			x.Says = []string{"runs the same legs, with their new figures"}
		}
		if x.Ticked = t.Then.Pace != plan.Short || t.Then.InHand >= t.Before.InHand; !x.Ticked {
			v.Shorter++
		}
		v.Rows = append(v.Rows, x)
	}
	return s.Show(c, status, "transfer", "Running pieces of "+f.Name, v)
}

// moveOver moves the pieces that were ticked over.
func (s *Section) moveOver(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.oldFormat, func(_ *newsroom.Setup, f store.Format, form url.Values) (string, error) {
		versions := map[ref.Piece]int{}
		for _, x := range form["piece"] {
			var id ref.Piece
			var version int
			if _, err := fmt.Sscanf(x, "%d.%d", &id, &version); err == nil {
				versions[id] = version
			}
		}
		if err := s.Planning.MoveOver(c.Request().Context(), kit.Me(c).ID, f.ID, versions); err != nil {
			return "", err
		}
		s.Say(c, "%s now on the newest version of the route.", english.UpperFirst(english.Plural(len(versions), "piece")+" "+english.Verb(len(versions), "is", "are")))
		return fmt.Sprintf("/formats/%d/pieces", f.ID), nil
	}, func(status int, r *relay.Refusal, _ url.Values) error { return s.showTransfers(c, status, r.Text) })
}
