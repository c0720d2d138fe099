// Package intake is what comes before a piece: ideas, requests and their forms, pitches, lists
// from elsewhere, sittings. All of it becomes a piece by planning.CreateOn.
package intake

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
