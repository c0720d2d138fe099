package planning

import (
	"context"
	"fmt"
	"slices"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Place is a leg of a piece in the desk's order.
type Place struct {
	Piece ref.Piece
	Leg   string
}

// OrderLegs puts running legs into an order by hand, the first first: those named get
// places from one on, for leads and for owners of all the pieces. The pieces stay as
// they are otherwise, and what others are about to do with them is not disturbed.
func (h Moves) OrderLegs(ctx context.Context, by ref.Person, places []Place) error {
	if len(places) == 0 || len(places) > mostEdits {
		return newsroom.Invalid("", "Choose between one and two hundred pieces.")
	}
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		desks := map[ref.Desk]string{}
		for i, x := range places {
			was, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: x.Piece, Leg: x.Leg, Version: 0})
			if err != nil {
				return err
			}
			is := was.Piece
			is.Legs = slices.Clone(is.Legs)
			l := is.Leg(x.Leg)
			if l == nil || l.State != relay.Running {
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("“%s” is no longer at this leg. Look again.", was.Title)}
			}
			if l.Turn == i+1 {
				continue
			}
			l.Turn = i + 1
			if err := a.Save(was.Piece, is); err != nil {
				return err
			}
			desks[was.DeskID] = l.Name
			a.Remember("", newsroom.UndoPiece{Version: was.Version, Was: was.Piece})
		}
		for desk, leg := range desks {
			a.Did = append(a.Did, "put "+leg+" into order by hand")
			if err := a.Log(store.Entry{DeskID: desk, Act: "edited", What: "put " + leg + " into order by hand"}); err != nil {
				return err
			}
		}
		return nil
	})
}
