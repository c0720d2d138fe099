// Package notify is how people are told: their inbox, the words of messages, mail, chats, and
// the courier, which delivers what is in the outbox. Other rooms tell somebody something
// through newsroom.Command.Notify, and need not know this one.
package notify

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }
