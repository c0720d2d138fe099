// Package planning is a piece on its way: making it, giving it a day and people, passing and
// sending back (Moves), what is prepared before it is written (Preparation), and the views in
// which all that is seen (Overview). Changes of the plan are previewed and stored as they
// were shown (Moves.Preview, Moves.ChangePlan).
package planning

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct {
	*newsroom.Newsroom
	Moves
	Overview
	Preparation
}

// Moves is what is done with a piece: making, placing, giving, passing, sending back.
type Moves struct{ *newsroom.Newsroom }

// Overview is what is asked of many pieces at once: lineup, track, load, lists, today.
type Overview struct{ *newsroom.Newsroom }

// Preparation is what is gathered before a piece is written: brief, titles, research.
type Preparation struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n, Moves{n}, Overview{n}, Preparation{n}} }
