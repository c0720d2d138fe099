// Package account TODO
package account

import "greenbaton/newsroom"

// Room is the newsroom as it is seen from here.
type Room struct{ *newsroom.Newsroom }

// At gives the room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
