// Package account is who people are: signing in, passwords and codes, visits, ended access,
// and the private links by which somebody without an account reaches one thing.
package account

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
