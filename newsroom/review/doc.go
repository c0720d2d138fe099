// Package review is what others say of a copy, and its going out: who is asked, by account or
// by private link, verdicts, the pages of partners, release and withdrawal.
package review

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
