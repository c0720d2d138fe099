// Package calendars is what calendar programs show of the newsroom: each at a secret address of
// somebody, who sees there what they see here and nothing else.
package calendars

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/calendar"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Room is the newsroom, as calendar programs ask it.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Register lets the newsroom drop calendars that were ended long ago.
func Register(n *newsroom.Newsroom) {
	n.Hooks.Keeps = append(n.Hooks.Keeps, newsroom.Keep{Key: "calendars", Name: "Calendars that were ended", Says: "Those in use stay.", Days: 90, Least: 30, Drop: (*store.Tx).DropCalendars})
}

// What of the past a calendar shows, how long it says what was called off, and how much at most.
const (
	pastDays = 60
	offDays  = 60
	most     = 2000
)

// mostOf is how many calendars somebody has at most.
const mostOf = 40

// Ask is which calendar is asked for: the legs of whoever asks, or pieces as a view or the address of
// a list has them.
type Ask struct {
	Kind  string // store.CalendarLegs or store.CalendarPieces
	Desk  ref.Desk
	Query string // of pieces
	View  ref.View
	Name  string // chosen by whoever asks; one is made where it is empty
}

// Sheet is a calendar as it is given out.
type Sheet struct {
	Name   string
	Events []calendar.Kept
	More   bool // there are more events than a calendar shows
}

// Mine gives the calendars of somebody.
func (h Room) Mine(ctx context.Context, who ref.Person) ([]store.Calendar, error) {
	return store.CalendarsOf(ctx, h.DB.View(), who)
}

// Make makes a calendar and gives its address, which is shown once and kept nowhere.
func (h Room) Make(ctx context.Context, by ref.Person, ask Ask) (address string, err error) {
	token := rand.Text()
	err = h.Do(ctx, by, func(a *newsroom.Command) error {
		if ask.Name = strings.Join(strings.Fields(ask.Name), " "); len([]rune(ask.Name)) > 80 {
			return newsroom.Invalid("name", "Give the calendar a name of up to 80 characters.")
		}
		if _, err := h.look(a, a.Setup, by, ask); err != nil {
			return err
		}
		all, err := store.CalendarsOf(a, a.Tx, by)
		if err != nil {
			return err
		}
		if len(all) >= mostOf {
			return newsroom.Invalid("name", "You have %d calendars. End one that is not used before you make another.", len(all))
		}
		if ask.Name == "" {
			if ask.Name, err = h.nameOf(a, a.Setup, by, ask); err != nil {
				return err
			}
		}
		_, err = a.Tx.AddCalendar(a, store.Calendar{PersonID: by, DeskID: ask.Desk, Kind: ask.Kind, Query: ask.Query, ViewID: ask.View, Name: ask.Name, Hash: newsroom.HashOf(token), MadeAt: a.Now})
		return err
	})
	return h.Base + "/calendar/" + token + ".ics", err
}

// End ends a calendar of somebody's own: its address opens nothing from then on.
func (h Room) End(ctx context.Context, by ref.Person, id ref.Calendar) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		c, err := store.CalendarByID(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) || err == nil && (c.PersonID != by || c.EndedAt != 0) {
			return newsroom.ErrNotFound
		} else if err != nil {
			return err
		}
		return a.Tx.EndCalendar(a, id, a.Now)
	})
}

// ended is said to a calendar program whose address opens nothing, or nothing any more.
var ended = &relay.Refusal{Reason: relay.ErrNotYours, Field: "link", Text: "This address of a calendar opens nothing now: it was ended, or a part of it is missing. Whose it was can make another one under Calendars."}

// Give gives the calendar of an address, with what it has called off; it is noted that it was asked for.
func (h Room) Give(ctx context.Context, token string) (Sheet, error) {
	if len(token) > 64 {
		return Sheet{}, ended
	}
	c, err := store.CalendarAt(ctx, h.DB.View(), newsroom.HashOf(token))
	if errors.Is(err, store.ErrNone) {
		return Sheet{}, ended
	} else if err != nil {
		return Sheet{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Sheet{}, err
	}
	p := b.Person(c.PersonID)
	if c.EndedAt != 0 || !p.SignsIn() || !slices.Contains(p.Desks, c.DeskID) {
		return Sheet{}, ended
	}
	now, more, err := h.events(ctx, b, c.PersonID, Ask{Kind: c.Kind, Desk: c.DeskID, Query: c.Query, View: c.ViewID}, fmt.Sprintf(".c%d", c.ID))
	if errors.Is(err, newsroom.ErrNotFound) {
		return Sheet{}, ended
	} else if err != nil {
		return Sheet{}, err
	}
	var was calendar.Shown
	if c.Shown != "" {
		if err := json.Unmarshal([]byte(c.Shown), &was); err != nil {
			return Sheet{}, fmt.Errorf("read what calendar %d has shown: %w", c.ID, err)
		}
	}
	at := h.Now()
	today := at.Date(b.Zones[c.DeskID])
	is := calendar.Follow(was, now, at, calendar.Span{From: today - pastDays, OffSince: at - offDays*86400})
	if !is.Same(was) || c.UsedAt < at-usedEvery {
		text, err := json.Marshal(is)
		if err != nil {
			return Sheet{}, err
		}
		if err := h.DB.Write(ctx, func(tx *store.Tx) error { return tx.ShowCalendar(ctx, c.ID, string(text), at) }); err != nil {
			return Sheet{}, err
		}
	}
	return Sheet{Name: c.Name, Events: is.Events, More: more}, nil
}

// usedEvery is how often at most it is noted that a calendar is used, in seconds.
const usedEvery = 5 * 60

// File gives a calendar as it is now, for a file.
func (h Room) File(ctx context.Context, who ref.Person, ask Ask) (Sheet, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Sheet{}, err
	}
	now, more, err := h.events(ctx, b, who, ask, "")
	if err != nil {
		return Sheet{}, err
	}
	out := Sheet{More: more}
	if out.Name, err = h.nameOf(ctx, b, who, ask); err != nil {
		return out, err
	}
	out.Events = calendar.Follow(calendar.Shown{}, now, h.Now(), calendar.Span{}).Events
	return out, nil
}

// nameOf names a calendar after what is in it.
func (h Room) nameOf(ctx context.Context, b *newsroom.Setup, who ref.Person, ask Ask) (string, error) {
	desk := b.Desk(ask.Desk).Name
	if ask.Kind == store.CalendarLegs {
		return "My legs", nil
	}
	if ask.View != 0 {
		v, err := planning.At(h.Newsroom).ViewFor(ctx, who, ask.View)
		return v.Name + ", " + desk, err
	}
	q, err := url.ParseQuery(ask.Query)
	if err != nil {
		return "", newsroom.Invalid("query", "This address of a list is not complete. Open the list again and copy it whole.")
	}
	id, _ := strconv.ParseInt(q.Get("channel"), 10, 64)
	switch {
	case len(q) == 1 && q.Get("owner") == strconv.FormatInt(int64(who), 10):
		return "My pieces", nil
	case len(q) == 1 && b.Channel(ref.Channel(id)).DeskID == ask.Desk && id != 0:
		return b.Channel(ref.Channel(id)).Name + ", " + desk, nil
	case len(q) == 0:
		return "All pieces, " + desk, nil
	}
	return "Pieces, " + desk, nil
}

// look gives at what a calendar of pieces looks, and refuses what somebody may not see or what is not
// understood.
func (h Room) look(ctx context.Context, b *newsroom.Setup, who ref.Person, ask Ask) (planning.Look, error) {
	if !slices.Contains(b.Person(who).Desks, ask.Desk) {
		return planning.Look{}, newsroom.ErrNotFound
	}
	if ask.Kind == store.CalendarLegs {
		return planning.Look{}, nil
	}
	query := ask.Query
	if ask.View != 0 {
		v, err := planning.At(h.Newsroom).ViewFor(ctx, who, ask.View)
		if err != nil {
			return planning.Look{}, err
		}
		if v.DeskID != ask.Desk {
			return planning.Look{}, newsroom.ErrNotFound
		}
		query = v.Query
	}
	q, err := url.ParseQuery(query)
	switch {
	case ask.Kind != store.CalendarPieces:
		return planning.Look{}, newsroom.Invalid("kind", "Choose what the calendar shows.")
	case err != nil || len(query) > 2000:
		return planning.Look{}, newsroom.Invalid("query", "This address of a list is not complete. Open the list again and copy it whole.")
	case q.Get("fee") != "" || q.Get("text") != "":
		return planning.Look{}, newsroom.Invalid("query", "A calendar cannot follow what is searched for in words, or fees. Choose by the other filters.")
	}
	return planning.LookOf(b, who, ask.Desk, q, h.Now().Date(b.Zones[ask.Desk]))
}

// events gives what a calendar shows now, with an ending for the names of its events; and whether
// there is more than it shows.
func (h Room) events(ctx context.Context, b *newsroom.Setup, who ref.Person, ask Ask, ending string) ([]calendar.Event, bool, error) {
	l, err := h.look(ctx, b, who, ask)
	if err != nil {
		return nil, false, err
	}
	today := h.Now().Date(b.Zones[ask.Desk])
	var out []calendar.Event
	if ask.Kind == store.CalendarLegs {
		out, err = h.legs(ctx, b, who, ending, today-pastDays)
	} else {
		out, err = h.pieces(ctx, b, who, l, ending, today-pastDays)
	}
	if err != nil {
		return nil, false, err
	}
	out, more := calendar.Nearest(out, today, most)
	return out, more, nil
}

// legs gives the legs of somebody on all their desks that are to be passed, by the day they are due.
func (h Room) legs(ctx context.Context, b *newsroom.Setup, who ref.Person, ending string, from day.Date) ([]calendar.Event, error) {
	seen, err := planning.At(h.Newsroom).Entries(ctx, b, who, planning.Look{Desks: b.Person(who).Desks})
	if err != nil {
		return nil, err
	}
	var out []calendar.Event
	for _, e := range seen {
		if e.Stage == relay.Withdrawn {
			continue
		}
		for l := range e.Every() {
			if l.Holder != who || l.State != relay.Running && l.State != relay.Waiting || l.Due < from || l.Due == 0 {
				continue
			}
			note := "It is with you."
			if l.State == relay.Waiting {
				note = "It comes to you when what it waits for is passed."
			}
			out = append(out, calendar.Event{
				UID: fmt.Sprintf("leg-%d-%s%s", e.ID, l.Key, ending), Title: l.Name + ": " + e.Title, Day: l.Due,
				Note: "Due at the end of this day. " + note + "\n" + b.Desk(e.DeskID).Name + ", " + b.Format(e.FormatID).Name, Page: h.page(e.ID),
			})
		}
	}
	return out, nil
}

// pieces gives pieces by the time at which they go out, or went.
func (h Room) pieces(ctx context.Context, b *newsroom.Setup, who ref.Person, l planning.Look, ending string, from day.Date) ([]calendar.Event, error) {
	all, err := planning.At(h.Newsroom).Entries(ctx, b, who, l)
	if err != nil {
		return nil, err
	}
	var out []calendar.Event
	for _, e := range all {
		at := e.GoesOut
		if e.Stage == relay.Out && e.OutAt != 0 {
			at = e.OutAt
		}
		on := at.Date(b.Zones[e.DeskID])
		if at == 0 || on < from || e.Stage == relay.Withdrawn {
			continue
		}
		note := b.Format(e.FormatID).Name
		if c := b.Channel(e.ChannelID); c.ID != 0 {
			note += " on " + c.Name
		}
		if e.Owner != 0 && b.Person(who).Access.May(relay.SeeAll) {
			note += "\nOwner: " + b.Person(e.Owner).Name
		}
		if e.Stage == relay.Out {
			note += "\nIt is out."
		}
		out = append(out, calendar.Event{UID: fmt.Sprintf("piece-%d%s", e.ID, ending), Title: e.Title, Day: on, At: at, Zone: b.Zones[e.DeskID].String(), Note: note, Page: h.page(e.ID)})
	}
	return out, nil
}

func (h Room) page(id ref.Piece) string { return fmt.Sprintf("%s/pieces/%d", h.Base, id) }
