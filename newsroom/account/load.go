package account

import (
	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
)

// HeldLeg is a leg that somebody has, with the days its work lies on.
type HeldLeg struct {
	Piece    *relay.Piece
	Leg      *relay.Leg
	From, To day.Date
	Pace     plan.Pace
}
