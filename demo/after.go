package demo

import (
	"context"
	"fmt"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// afterwards are what is done when a piece is out, by the name of its format.
var afterwards = map[string][]route.Leg{
	"Feature": {
		also(leg("announce", "Say it is out", "edit", "AB", 0, 0, 0), "Letter, with a line of its own", "The mills’ noticeboards"),
		leg("readers", "Answer readers", "write", "YL", 5, 0, 1),
		leg("figures", "How did it do?", "lead", "MH", 20, 0, 0, "readers"),
	},
	"Recipe": {leg("announce", "Say it is out", "edit", "AB", 0, 0, 0), leg("readers", "Answer bakers", "write", "PV", 4, 0, 0)},
	"Audio":  {leg("announce", "Say it is out", "audio", "DF", 0, 0, 0), leg("listeners", "Answer listeners", "audio", "DF", 5, 0, 1)},
}

// afterFor is for how many days before Start something has been done after release.
const afterFor = 80

// following plans that routes go on behind release for some weeks already, and that each
// morning those who have something left to do at a piece that is out do what is due, but for
// what Yusuf lets lie.
func (p *player) following() {
	first := day.MomentOf(Start).Date(p.zone) - afterFor
	p.add(day.Wall(first, 9*60+5, p.zone), func(ctx context.Context) error {
		for _, f := range p.b.Formats {
			if afterwards[f.Name] == nil {
				continue
			}
			b, err := p.h.Setup(ctx)
			if err != nil {
				return err
			}
			latest := b.Latest(f.ID)
			way := latest.Way
			way.After = afterwards[f.Name]
			if _, err := p.h.Settings.SaveRoute(ctx, byInitials("MH"), f.ID, latest.Version, way); err != nil {
				return err
			}
			if err := p.moveOver(ctx, f); err != nil {
				return err
			}
		}
		return nil
	})
	for d := first; d < day.MomentOf(Start).Date(p.zone); d++ {
		if p.cal.Working(d) {
			p.add(day.Wall(d, 16*60, p.zone), func(ctx context.Context) error { return p.doDue(ctx, d) })
		}
	}
}

// moveOver moves the pieces under way of a format over to its newest route.
func (p *player) moveOver(ctx context.Context, f store.Format) error {
	list, err := p.h.Planning.Transfers(ctx, byInitials("MH"), f.ID)
	if err != nil {
		return err
	}
	versions := map[ref.Piece]int{}
	for _, x := range list {
		versions[x.Row.ID] = 0
	}
	if len(versions) == 0 {
		return nil
	}
	return p.h.Planning.MoveOver(ctx, byInitials("MH"), f.ID, versions)
}

// doDue lets everybody do what is due at pieces that are out.
func (p *player) doDue(ctx context.Context, today day.Date) error {
	left, err := p.h.Planning.AfterRelease(ctx, byInitials("MH"), p.b.Desks[0].ID)
	if err != nil {
		return err
	}
	late := day.MomentOf(Start).Date(p.zone) - 9
	for _, x := range left {
		for _, l := range x.Legs {
			lies := l.Key == "readers" && l.Holder == byInitials("YL") && l.Due >= late
			if l.State != relay.Running || l.Holder == 0 || l.Due > today || lies {
				continue
			}
			if err := p.h.Planning.PassLeg(ctx, l.Holder, planning.Pass{Piece: x.Row.ID, Leg: l.Key}); err != nil {
				return fmt.Errorf("piece %d, %s: %w", x.Row.ID, l.Key, err)
			}
		}
	}
	return nil
}
