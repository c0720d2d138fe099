package desk

import (
	"fmt"
	"slices"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Books is all that is set up, with the calendars worked out from it. It is
// read once and shared until the set-up changes; nothing in it is changed.
type Books struct {
	store.Reference
	Zones    map[int64]*time.Location // by desk
	Houses   map[int64]*plan.House    // by desk
	desks    map[int64]*store.Desk
	people   map[int64]*store.Person
	formats  map[int64]*store.Format
	routes   map[int64]*store.Route
	channels map[int64]*store.Channel
	latest   map[int64]*store.Route // by format
}

// The years for which holidays are worked out.
const firstYear, lastYear = 2000, 2080

func newBooks(ref store.Reference) (*Books, error) {
	b := &Books{
		Reference: ref, Zones: map[int64]*time.Location{}, Houses: map[int64]*plan.House{},
		desks: index(ref.Desks, func(d *store.Desk) int64 { return d.ID }), people: index(ref.People, func(p *store.Person) int64 { return p.ID }),
		formats: index(ref.Formats, func(f *store.Format) int64 { return f.ID }), routes: index(ref.Routes, func(r *store.Route) int64 { return r.ID }),
		channels: index(ref.Channels, func(c *store.Channel) int64 { return c.ID }), latest: index(ref.Routes, func(r *store.Route) int64 { return r.FormatID }),
	}
	for _, d := range ref.Desks {
		if err := b.addHouse(d); err != nil {
			return nil, fmt.Errorf("desk %s: %w", d.Name, err)
		}
	}
	return b, nil
}

// index maps rows by a key; of several with one key the last counts.
func index[T any](rows []T, key func(*T) int64) map[int64]*T {
	out := make(map[int64]*T, len(rows))
	for i := range rows {
		out[key(&rows[i])] = &rows[i]
	}
	return out
}

func (b *Books) addHouse(d store.Desk) error {
	zone, err := time.LoadLocation(d.Zone)
	if err != nil {
		return fmt.Errorf("time zone %q: %w", d.Zone, err)
	}
	days, err := day.Holidays(d.Country, firstYear, lastYear)
	if err != nil {
		return err
	}
	var off []day.Date
	for _, h := range days {
		off = append(off, h.Date)
	}
	for _, h := range b.Holidays {
		if h.DeskID == d.ID {
			off = append(off, h.Date)
		}
	}
	cal := day.NewCalendar(d.Week(), off)
	holders := map[int64]*day.Calendar{}
	for _, p := range b.People {
		holders[p.ID] = cal.For(week(p), b.away(p.ID))
	}
	b.Zones[d.ID] = zone
	b.Houses[d.ID] = &plan.House{
		Calendar: cal, Zone: zone, Margin: d.Margin, Quiet: d.QuietAfter, NoRoom: d.NoRoom,
		Holder: func(id int64) *day.Calendar { return holders[id] },
	}
	return nil
}

func week(p store.Person) day.Weekdays {
	var w day.Weekdays
	for i, m := range p.Minutes() {
		w[i] = m > 0
	}
	return w
}

func (b *Books) away(person int64) []day.Span {
	var out []day.Span
	for _, a := range b.Absences {
		if a.PersonID == person {
			out = append(out, day.Span{From: a.FromDay, To: a.ToDay})
		}
	}
	return out
}

// Person gives a person, or a nameless one for an unknown id.
func (b *Books) Person(id int64) store.Person {
	if p, ok := b.people[id]; ok {
		return *p
	}
	return store.Person{}
}

// Name gives how a person is spoken of: by first name, "nobody" for 0.
func (b *Books) Name(id int64) string {
	if id == 0 {
		return "nobody"
	}
	return First(b.Person(id).Name)
}

// First gives the first of somebody's names.
func First(name string) string {
	for i, r := range name {
		if r == ' ' {
			return name[:i]
		}
	}
	return name
}

// Desk gives a desk by its id.
func (b *Books) Desk(id int64) store.Desk { return deref(b.desks[id]) }

// Format gives a format by its id.
func (b *Books) Format(id int64) store.Format { return deref(b.formats[id]) }

// Route gives a version of a route by its id.
func (b *Books) Route(id int64) store.Route { return deref(b.routes[id]) }

// Latest gives the newest route of a format.
func (b *Books) Latest(format int64) store.Route { return deref(b.latest[format]) }

// Channel gives a channel by its id.
func (b *Books) Channel(id int64) store.Channel { return deref(b.channels[id]) }

func deref[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// OnDesk gives the people of a desk who are not retired.
func (b *Books) OnDesk(desk int64) []store.Person {
	var out []store.Person
	for _, p := range b.People {
		if !p.Retired && slices.Contains(p.Desks, desk) {
			out = append(out, p)
		}
	}
	return out
}

// Owners gives those of a desk who can own a piece: its leads and staff.
func (b *Books) Owners(desk int64) []store.Person {
	return slices.DeleteFunc(b.OnDesk(desk), func(p store.Person) bool { return !p.Access.OnStaff() })
}

// FormatsOf gives the formats of a desk that are still offered.
func (b *Books) FormatsOf(desk int64) []store.Format {
	return slices.DeleteFunc(slices.Clone(b.Formats), func(f store.Format) bool { return f.DeskID != desk || f.Retired })
}

// ChannelsOf gives the channels of a desk.
func (b *Books) ChannelsOf(desk int64) []store.Channel {
	return slices.DeleteFunc(slices.Clone(b.Channels), func(c store.Channel) bool { return c.DeskID != desk })
}

// Leads gives the leads of a desk.
func (b *Books) Leads(desk int64) []int64 {
	var out []int64
	for _, p := range b.OnDesk(desk) {
		if p.Access == relay.Lead {
			out = append(out, p.ID)
		}
	}
	return out
}

// Who gives a person as the rules of the relay see them, on a piece's desk.
func (b *Books) Who(person, desk int64) relay.Who {
	p := b.Person(person)
	return relay.Who{ID: p.ID, Access: p.Access, Roles: p.Roles, OnDesk: slices.Contains(p.Desks, desk)}
}

// Slots gives the publication times of a channel after a moment, in order, for
// a number of days ahead.
func (b *Books) Slots(channel int64, after day.Moment, days int) []day.Moment {
	ch := b.Channel(channel)
	zone := b.Zones[ch.DeskID]
	if zone == nil {
		return nil
	}
	var out []day.Moment
	for _, s := range b.Reference.Slots {
		if s.ChannelID != channel {
			continue
		}
		times, err := day.Slot{Rule: s.Rule, Start: s.Start, At: s.At}.Times(after, after+day.Moment(days*86400), zone)
		if err == nil { // a slot is checked before it is stored
			out = append(out, times...)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
