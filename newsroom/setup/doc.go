// Package setup is what a desk is made of: desks, holidays, channels and slots, formats with
// routes, fields and guides, people with their hours and days off, topics. Each change asks
// who may lead the desk, and makes the newsroom read its set-up anew.
package setup

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
