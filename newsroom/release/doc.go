// Package release is what goes with a piece when it goes out: its sheet, what its channel asks
// of that, and giving it to the channel for its time.
package release

import "greenbaton/newsroom"

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Register registers what is done here by itself.
func Register(h *newsroom.Newsroom) {
	h.Hooks.Ends = append(h.Hooks.Ends, reconcile)
	h.Hooks.Held = append(h.Hooks.Held, held)
	h.Hooks.Lacks = append(h.Hooks.Lacks, lacks)
	h.Hooks.Moved = append(h.Hooks.Moved, printings)
	h.Hooks.After = append(h.Hooks.After, At(h).DeliverHere)
	h.Hooks.Before = append(h.Hooks.Before, At(h).warn, At(h).count)
}
