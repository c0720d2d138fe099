package desk

import (
	"context"
	"errors"
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

// Round does what is due by the house's own time: pieces whose time has come go
// out or are found late, standings of a new day are worked out, and the courier
// brings pages up and down. It is run every second and after the clock moved. Mail
// goes its own way (DeliverMail), so that a slow server holds nothing up.
func (h *House) Round(ctx context.Context) error {
	h.round.Lock()
	defer h.round.Unlock()
	h.SettleCopies(ctx)
	if err := h.SendDue(ctx); err != nil {
		return err
	}
	if err := h.WorkOut(ctx); err != nil {
		return fmt.Errorf("work out the day: %w", err)
	}
	if err := h.GatherMail(ctx); err != nil {
		return fmt.Errorf("gather daily mails: %w", err)
	}
	return h.DeliverPages(ctx)
}

// SendDue does what is due with the pieces whose time has come: those that are
// ready go out, the others are found late, once.
func (h *House) SendDue(ctx context.Context) error {
	ids, err := store.DueToGoOut(ctx, h.DB.View(), h.Now())
	if err != nil {
		return fmt.Errorf("find what goes out: %w", err)
	}
	var failed error
	for _, id := range ids {
		err := h.act(ctx, 0, func(a *act) error {
			return a.move(order{relay.ActRelease, id, "", 0}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
				stale, err := a.staleSignOff(&store.Row{Piece: p})
				if err != nil {
					return relay.Move{}, err
				}
				if p.Ready() && len(stale) > 0 {
					return relay.Miss(p, UpperFirst(stale[0])+".")
				}
				return relay.Due(p, s)
			})
		})
		if err != nil {
			failed = errors.Join(failed, fmt.Errorf("piece %d at its time: %w", id, err))
		}
	}
	return failed
}
