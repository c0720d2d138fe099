// Package intake is what comes before a piece: ideas and sittings (Backlog), requests, their
// forms and pitches (Inquiries), lists from elsewhere (Imports). All of it becomes a piece by
// planning.CreateOn.
package intake

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct {
	*newsroom.Newsroom
	Backlog
	Imports
	Inquiries
}

// Backlog is what is done with ideas, and what is asked of them.
type Backlog struct{ *newsroom.Newsroom }

// Imports is what comes in from spreadsheets.
type Imports struct{ *newsroom.Newsroom }

// Inquiries is what others ask for, and what is offered to partners.
type Inquiries struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n, Backlog{n}, Imports{n}, Inquiries{n}} }
