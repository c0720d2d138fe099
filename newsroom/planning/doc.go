// Package planning is a piece on its way: making it, giving it a day and people, passing and
// sending back, and the views in which that is seen. Changes of the plan are previewed and
// stored as they were shown (Room.Preview, Room.ChangePlan).
package planning

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
