package planning

import (
	"context"
	"fmt"

	"greenbaton/core/check"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Transfer is what moving a piece over to the newest version of its route comes to.
type Transfer struct {
	Row    store.Row
	After  relay.Piece
	Before plan.Projection
	Then   plan.Projection
	Added  []string // legs that are new and will be run
	Past   []string // legs that are new, and that the piece is past
	Gone   []string // legs that are not run any more
}

// Transfers gives the pieces under way of a format that are on an older version of
// its route, and what moving each over would come to.
func (h Moves) Transfers(ctx context.Context, who ref.Person, format ref.Format) ([]Transfer, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	f, latest := b.Format(format), b.Latest(format)
	if err := b.MayLead(who, f.DeskID); err != nil {
		return nil, err
	}
	rows, err := store.UnderWayOn(ctx, h.DB.View(), format, latest.ID)
	if err != nil {
		return nil, err
	}
	house, now := b.Planned[f.DeskID], h.Now()
	s := relay.Scene{Now: now, Today: now.Date(house.Zone), Calendar: house.Calendar}
	var out []Transfer
	for _, row := range rows {
		m, err := house.Reroute(row.Piece, latest.Way, latest.ID, s)
		if err != nil {
			return nil, err
		}
		t := Transfer{Row: row, After: m.Piece, Before: house.Forward(&row.Piece, s.Today), Then: house.Forward(&m.Piece, s.Today)}
		t.compare()
		out = append(out, t)
	}
	return out, nil
}

func (t *Transfer) compare() {
	for i := range t.After.Legs {
		l := &t.After.Legs[i]
		switch was := t.Row.Leg(l.Key); {
		case was == nil && l.State == relay.Skipped && l.Skip != route.SkipUnless:
			t.Past = append(t.Past, l.Name)
		case was == nil && l.State != relay.Skipped:
			t.Added = append(t.Added, l.Name)
		}
	}
	for i := range t.Row.Legs {
		if l := &t.Row.Legs[i]; !l.Done() && (t.After.Leg(l.Key) == nil || t.After.Leg(l.Key).Done()) {
			t.Gone = append(t.Gone, l.Name)
		}
	}
}

// MoveOver moves pieces over to the newest version of their route, by the versions
// they were shown in; one that changed since is refused, and none is moved then.
func (h Moves) MoveOver(ctx context.Context, by ref.Person, format ref.Format, versions map[ref.Piece]int) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	desk := b.Format(format).DeskID
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		if err := a.Setup.MayLead(by, desk); err != nil {
			return err
		}
		latest := a.Setup.Latest(format)
		if len(versions) == 0 {
			return newsroom.Invalid("pieces", "Tick at least one piece.")
		}
		for id, version := range versions {
			was, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: id, Leg: "", Version: version})
			if err != nil {
				return err
			}
			if was.FormatID != format {
				return newsroom.ErrNotFound
			}
			m, err := a.Setup.Planned[desk].Reroute(was.Piece, latest.Way, latest.ID, a.Scene(desk))
			if err != nil {
				return err
			}
			if err := a.Keep(was.Piece, m); err != nil {
				return err
			}
			if err := renewSteps(a, &m.Piece, latest.Way); err != nil {
				return fmt.Errorf("checklists of piece %d: %w", id, err)
			}
		}
		return nil
	})
}

// renewSteps brings the checklists of legs that are not over up to the route.
func renewSteps(a *newsroom.Command, p *relay.Piece, r route.Route) error {
	steps, err := store.Steps(a, a.Tx, p.ID)
	if err != nil {
		return err
	}
	for _, l := range r.Legs {
		if leg := p.Leg(l.Key); leg == nil || leg.Done() {
			continue
		}
		var ids []ref.Step
		var have []route.Step
		var ticked []bool
		for _, s := range steps {
			if s.Leg == l.Key {
				ids, ticked = append(ids, s.ID), append(ticked, s.DoneBy != 0)
				have = append(have, route.Step{Text: s.Text, Must: s.Must, Role: s.Role, Before: s.Before})
			}
		}
		gone, come := check.Renew(have, ticked, l.Steps)
		for _, i := range gone {
			if err := a.Tx.DropStep(a, ids[i]); err != nil {
				return err
			}
		}
		for _, s := range come {
			if err := AddStep(a, p.ID, l.Key, s); err != nil {
				return err
			}
		}
	}
	return nil
}
