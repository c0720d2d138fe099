// Package fees is what work costs: what was agreed when somebody took or was given a leg, what it
// came to when it was accepted, checking, statements and payments, budgets and what is left of them.
// How it is worked out is in core/fee. Nothing of an amount is written into the logbook, which more
// people read than may see money.
package fees

import (
	"context"

	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Register lets fees follow what is done to pieces.
func Register(n *newsroom.Newsroom) {
	h := Room{n}
	n.Hooks.Ends = append(n.Hooks.Ends, follow)
	w := newsroom.PartOf[watch](n)
	n.Hooks.Stored = append(n.Hooks.Stored, func(a *newsroom.Command) { w.touch(a.Spent...) })
	n.Hooks.After = append(n.Hooks.After, h.watchBudgets)
	n.Hooks.Forget = append(n.Hooks.Forget, w.forget)
}

// notYours is said to who may not see money.
var notYours = &relay.Refusal{Reason: relay.ErrNotYours, Text: "What work costs is seen by leads and by those who check or pay it."}

// policy gives what a desk says of work that is not used or comes back.
func policy(d store.Desk) fee.Policy { return fee.Policy{Unused: d.UnusedShare, Rework: d.ReworkShare} }

// houseAct carries out a command on fees of a desk for who may do an act on it.
func (h Room) houseAct(ctx context.Context, by ref.Person, desk ref.Desk, act relay.HouseAct, f func(*newsroom.Command) error) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		if !relay.MayHouse(act, a.Who(desk)) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: map[relay.HouseAct]string{
				relay.CheckFees: "Fees are checked by leads, and by staff a lead names for it.",
				relay.PayFees:   "Statements are made and paid by leads, and by staff a lead names for it.",
			}[act]}
		}
		return f(a)
	})
}
