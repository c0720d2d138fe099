// Package rules carries out house rules: whatever happened in a command is followed at its
// end (newsroom.Hooks.Ends), events of time when a day begins, and a rule can be tried on the
// logbook before it is switched on.
package rules

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
