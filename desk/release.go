package desk

import (
	"context"
	"fmt"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// SendOut publishes a piece whose legs are all passed, now.
func (h *House) SendOut(ctx context.Context, by, piece int64, version int) error {
	return h.act(ctx, by, func(a *act) error {
		return a.move(order{relay.ActRelease, piece, "", version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			stale, err := a.staleSignOff(&store.Row{Piece: p})
			if err == nil && len(stale) > 0 {
				err = &relay.Refusal{Reason: relay.ErrUnmet, Unmet: stale, Text: "It cannot go out: " + stale[0] + "."}
			}
			if err != nil {
				return relay.Move{}, err
			}
			return relay.SendOut(p, s)
		})
	})
}

// Withdraw takes a piece back from its channel.
func (h *House) Withdraw(ctx context.Context, by, piece int64, version int, why string) error {
	return h.act(ctx, by, func(a *act) error {
		return a.move(order{relay.ActRelease, piece, "", version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.Withdraw(p, why, s)
		})
	})
}

// release queues what the channel has to be told about an event.
func (a *act) release(p *relay.Piece, e relay.Event) error {
	kind := ""
	switch e.Kind {
	case relay.WentOut:
		kind = "publish"
	case relay.Withdrew:
		kind = "withdraw"
	default:
		return nil
	}
	return a.tx.AddMessage(a, store.Message{
		Key: fmt.Sprintf("piece %d version %d %s", p.ID, p.Version, kind), Kind: kind, PieceID: p.ID,
		To: a.b.Channel(p.ChannelID).Slug, Subject: p.Title, At: a.now,
	})
}
