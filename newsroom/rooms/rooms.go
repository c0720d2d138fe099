// Package rooms puts the newsroom together: the kernel, and the rooms in which people work,
// each registered at it.
package rooms

import (
	"log/slog"

	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/calendars"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/fees"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/logbook"
	"greenbaton/newsroom/moving"
	"greenbaton/newsroom/notify"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/programs"
	"greenbaton/newsroom/regular"
	"greenbaton/newsroom/release"
	"greenbaton/newsroom/reports"
	"greenbaton/newsroom/review"
	"greenbaton/newsroom/rules"
	"greenbaton/newsroom/setup"
	"greenbaton/store"
)

// Newsroom is a newsroom with all of its rooms.
type Newsroom struct {
	*newsroom.Newsroom
	Account   account.Room
	Calendars calendars.Room
	Copyroom  copyroom.Room
	Fees      fees.Room
	Figures   figures.Room
	Intake    intake.Room
	Logbook   logbook.Room
	Moving    moving.Room
	Notify    notify.Room
	Planning  planning.Room
	Programs  programs.Room
	Regular   regular.Room
	Release   release.Room
	Reports   reports.Room
	Review    review.Room
	Rules     rules.Room
	Settings  setup.Room
}

// Open opens a newsroom on a data file, by the clock of this machine and with nothing to
// deliver to; set its fields before it is used.
func Open(db *store.DB, log *slog.Logger) *Newsroom {
	n := newsroom.Open(db, log)
	for _, register := range []func(*newsroom.Newsroom){
		account.Register, calendars.Register, notify.Register, planning.Register, regular.Register, copyroom.Register, review.Register, release.Register, figures.Register, reports.Register, fees.Register, rules.Register, intake.Register, setup.Register, programs.Register, // which hears of all that the others do

	} {
		register(n)
	}
	return &Newsroom{
		Newsroom: n, Account: account.At(n), Calendars: calendars.At(n), Copyroom: copyroom.At(n), Fees: fees.At(n), Figures: figures.At(n), Intake: intake.At(n), Logbook: logbook.At(n), Moving: moving.At(n), Notify: notify.At(n),
		Planning: planning.At(n), Programs: programs.At(n), Regular: regular.At(n), Release: release.At(n), Reports: reports.At(n), Review: review.At(n), Rules: rules.At(n), Settings: setup.At(n),
	}
}
