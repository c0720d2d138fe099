// Package notification knows when and how somebody is told of something: at once, gathered once a
// day, or only in the inbox; and never in their quiet hours or on their days off, where it
// is held until those are over.
package notification

import (
	"time"

	"greenbaton/core/day"
)

// How says how somebody is told.
type How string

// The ways of telling.
const (
	AtOnce How = "once"   // by mail
	Daily  How = "digest" // by mail, gathered at an hour of theirs
	Chat   How = "chat"   // in the chat of the desk
	Inbox  How = "inbox"  // only in the inbox
)

// Topic is a kind of news for which somebody chooses how they are told.
type Topic string

// The topics.
const (
	Handoff Topic = "handoff" // a leg comes to somebody, or back, or is open to them
	Asked   Topic = "asked"   // a question, a verdict, a pitch waits for them
	Nudge   Topic = "nudge"   // what house rules say
	News    Topic = "news"    // what happens to their pieces otherwise
)

// Topics are all of them with what they are called.
var Topics = []struct {
	Topic Topic
	Says  string
}{
	{Handoff, "A leg comes to me, comes back, or is open to me"}, {Asked, "Somebody asks me something"}, {Nudge, "A house rule has something to say to me"}, {News, "Anything else about pieces of mine"},
}

// TopicOf gives the topic of an item of the inbox by its kind.
func TopicOf(kind string) Topic {
	switch kind {
	case "handoff", "sent back", "offer":
		return Handoff
	case "query", "verdict", "pitch", "request", "lack", "step":
		return Asked
	case "rule", "due":
		return Nudge
	}
	return News
}

// Quiet is when somebody is not to be disturbed.
type Quiet struct {
	From, To int                 // minutes after midnight, to the next day where To is not later; equal is never
	Off      bool                // neither on days on which they do not work
	Works    func(day.Date) bool // nil: every day
	Zone     *time.Location
}

// minutes gives the minutes after midnight of a moment, by the clock on the wall.
func (q Quiet) minutes(m day.Moment) int {
	t := m.In(q.Zone)
	return t.Hour()*60 + t.Minute()
}

func (q Quiet) works(d day.Date) bool { return !q.Off || q.Works == nil || q.Works(d) }

// Free reports whether somebody may be disturbed at a moment.
func (q Quiet) Free(m day.Moment) bool {
	if !q.works(m.Date(q.Zone)) {
		return false
	}
	at := q.minutes(m)
	switch {
	case q.From == q.To:
		return true
	case q.From < q.To:
		return at < q.From || at >= q.To
	}
	return at < q.From && at >= q.To
}

// farthest is how many days ahead a free moment is looked for; who never works is
// disturbed at once.
const farthest = 400

// Next gives the first moment, from one on, at which somebody may be disturbed: that
// moment itself, the end of quiet hours, or the beginning of a day on which they work.
func (q Quiet) Next(m day.Moment) day.Moment {
	if q.Free(m) {
		return m
	}
	today := m.Date(q.Zone)
	for i := range day.Date(farthest) {
		d := today + i
		if !q.works(d) {
			continue
		}
		for _, minutes := range []int{0, q.To} {
			if at := day.Wall(d, minutes, q.Zone); at > m && q.Free(at) {
				return at
			}
		}
	}
	return m
}

// DigestAt gives the moment at which what was gathered is sent next after a moment: at the
// minutes of a day on which they work.
func (q Quiet) DigestAt(after day.Moment, minutes int) day.Moment {
	today := after.Date(q.Zone)
	for i := range day.Date(farthest) {
		if at := day.Wall(today+i, minutes, q.Zone); at > after && q.works(today+i) {
			return at
		}
	}
	return after + 86400
}
