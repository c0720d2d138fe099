// Package copyroom is the copy of a piece: several people in it at once (Room.Join,
// Room.EditCopy), its versions, pictures and files, queries and proposals, and what legs ask
// of it before they are passed (AskedOf).
package copyroom

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
