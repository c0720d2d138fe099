// Package account is who people are: signing in, passwords and codes, visits, ended access,
// and the private links by which somebody without an account reaches one thing.
package account

import (
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Register registers what is done here by itself.
func Register(h *newsroom.Newsroom) {
	h.Hooks.Keeps = append(h.Hooks.Keeps,
		// A session ends after fourteen days, used or not: a visit unused for longer goes on nowhere.
		newsroom.Keep{Key: "visits", Name: "Visits that ended", Says: "What somebody did during one stands in the logbook, which stays.", Days: 90, Least: 30, Drop: (*store.Tx).DropVisits},
		newsroom.Keep{Key: "devices", Name: "Devices on which somebody signed in", Says: "Whoever signs in there again does so as on a new one.", Days: 400, Least: 30, Drop: (*store.Tx).DropDevices},
	)
}
