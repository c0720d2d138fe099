// Package regular is pieces that make themselves: setting them up with what would follow, and
// making them at the beginning of a working day, each date once, however long the program was
// down. On which days they come, core/regular says.
package regular

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Register lets the newsroom make what is due when a day begins.
func Register(n *newsroom.Newsroom) {
	n.Hooks.Before = append(n.Hooks.Before, Room{n}.MakeDue)
	n.Hooks.Expects = append(n.Hooks.Expects, Room{n}.expects)
}
