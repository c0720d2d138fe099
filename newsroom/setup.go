package newsroom

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"greenbaton/core/brief"
	"greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// Setup is all that is set up, with the calendars worked out from it. It is
// read once and shared until the set-up changes; nothing in it is changed.
type Setup struct {
	store.Reference
	Zones      map[int64]*time.Location // by desk
	Planned    map[int64]*plan.Desk     // by desk
	desks      map[int64]*store.Desk
	people     map[int64]*store.Person
	formats    map[int64]*store.Format
	Routes     map[int64]*store.Route
	channels   map[int64]*store.Channel
	topics     map[int64]*store.Topic
	campaigns  map[int64]*store.Campaign
	latest     map[int64]*store.Route        // by format
	Forms      map[int64]brief.Form          // of briefs, by format
	Outlines   map[int64]brief.Outline       // by format
	Rules      map[int64]check.Rules         // of checks, by format
	Spellers   map[int64]*check.Speller      // by desk; nil for languages without a list
	Styles     map[int64][]check.Say         // by desk
	HouseRules map[int64][]HouseRule         // by desk, in their order
	Followed   map[int64][]rule.Rule         // those of them that run
	off        map[int64]map[day.Date]string // what each desk's days off are called
	crew       []load.Person                 // everybody, as load reckons with them
	slots      sync.Map                      // slotKey → []day.Moment, worked out when first asked for
}

// The years for which holidays are worked out.
const firstYear, lastYear = 2000, 2080

// NewSetup works out what follows from what is set up: calendars, the newest routes, spellers.
func NewSetup(ref store.Reference) (*Setup, error) {
	b := &Setup{
		Reference: ref, Zones: map[int64]*time.Location{}, Planned: map[int64]*plan.Desk{}, off: map[int64]map[day.Date]string{},
		desks: index(ref.Desks, func(d *store.Desk) int64 { return d.ID }), people: index(ref.People, func(p *store.Person) int64 { return p.ID }),
		formats: index(ref.Formats, func(f *store.Format) int64 { return f.ID }), Routes: index(ref.Routes, func(r *store.Route) int64 { return r.ID }),
		channels: index(ref.Channels, func(c *store.Channel) int64 { return c.ID }), topics: index(ref.Topics, func(t *store.Topic) int64 { return t.ID }), campaigns: index(ref.Campaigns, func(c *store.Campaign) int64 { return c.ID }),
		latest: index(ref.Routes, func(r *store.Route) int64 { return r.FormatID }),
	}
	b.Forms, b.Outlines = map[int64]brief.Form{}, map[int64]brief.Outline{}
	for _, f := range ref.Formats {
		var err error
		if b.Forms[f.ID], err = brief.ReadForm(f.BriefForm); err != nil {
			return nil, err
		}
		if b.Outlines[f.ID], err = brief.ReadOutline(f.Outline); err != nil {
			return nil, err
		}
	}
	if err := b.addChecks(); err != nil {
		return nil, err
	}
	for _, d := range ref.Desks {
		if err := b.addHouse(d); err != nil {
			return nil, fmt.Errorf("desk %s: %w", d.Name, err)
		}
	}
	for _, p := range ref.People {
		x := load.Person{ID: p.ID, Name: p.Name, Roles: p.Roles, Desks: p.Desks, Minutes: p.Minutes()}
		if p.Retired { // what they still have counts, but nothing more is offered to them
			x.Roles = nil
		}
		if len(p.Desks) > 0 {
			x.Days = b.Planned[p.Desks[0]].Holder(p.ID)
		}
		b.crew = append(b.crew, x)
	}
	return b, b.addRules()
}

// index maps rows by a key; of several with one key the last counts.
func index[T any](rows []T, key func(*T) int64) map[int64]*T {
	out := make(map[int64]*T, len(rows))
	for i := range rows {
		out[key(&rows[i])] = &rows[i]
	}
	return out
}

func (b *Setup) addHouse(d store.Desk) error {
	zone, err := time.LoadLocation(d.Zone)
	if err != nil {
		return fmt.Errorf("time zone %q: %w", d.Zone, err)
	}
	days, err := day.Holidays(d.Country, firstYear, lastYear)
	if err != nil {
		return err
	}
	for _, h := range b.Holidays {
		if h.DeskID == d.ID {
			days = append(days, day.Holiday{Date: h.Date, Name: h.Name})
		}
	}
	var off []day.Date
	b.off[d.ID] = make(map[day.Date]string, len(days))
	for _, h := range days {
		off = append(off, h.Date)
		b.off[d.ID][h.Date] = h.Name
	}
	cal := day.NewCalendar(d.Week(), off)
	holders := map[int64]*day.Calendar{}
	for _, p := range b.People {
		holders[p.ID] = cal.For(week(p), b.away(p.ID))
	}
	b.Zones[d.ID] = zone
	b.Planned[d.ID] = &plan.Desk{
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

func (b *Setup) away(person int64) []day.Span {
	var out []day.Span
	for _, a := range b.Absences {
		if a.PersonID == person {
			out = append(out, day.Span{From: a.FromDay, To: a.ToDay})
		}
	}
	return out
}

// Person gives a person, or a nameless one for an unknown id.
func (b *Setup) Person(id int64) store.Person {
	if p, ok := b.people[id]; ok {
		return *p
	}
	return store.Person{}
}

// Name gives how a person is spoken of: by first name, "nobody" for 0.
func (b *Setup) Name(id int64) string {
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
func (b *Setup) Desk(id int64) store.Desk { return deref(b.desks[id]) }

// Format gives a format by its id.
func (b *Setup) Format(id int64) store.Format { return deref(b.formats[id]) }

// BriefForm gives what a format asks of a brief.
func (b *Setup) BriefForm(format int64) brief.Form { return b.Forms[format] }

// Outline gives the sections with which the copies of a format begin.
func (b *Setup) Outline(format int64) brief.Outline { return b.Outlines[format] }

// Route gives a version of a route by its id.
func (b *Setup) Route(id int64) store.Route { return deref(b.Routes[id]) }

// Latest gives the newest route of a format.
func (b *Setup) Latest(format int64) store.Route { return deref(b.latest[format]) }

// Channel gives a channel by its id.
func (b *Setup) Channel(id int64) store.Channel { return deref(b.channels[id]) }

// Topic gives a topic by its id.
func (b *Setup) Topic(id int64) store.Topic { return deref(b.topics[id]) }

// Campaign gives a campaign by its id.
func (b *Setup) Campaign(id int64) store.Campaign { return deref(b.campaigns[id]) }

// TopicsOf gives the topics of a desk that are in use.
func (b *Setup) TopicsOf(desk int64) []store.Topic {
	return slices.DeleteFunc(slices.Clone(b.Topics), func(t store.Topic) bool { return t.DeskID != desk || t.Retired })
}

// CampaignsOf gives the campaigns of a desk that are in use, by their first day.
func (b *Setup) CampaignsOf(desk int64) []store.Campaign {
	return slices.DeleteFunc(slices.Clone(b.Campaigns), func(c store.Campaign) bool { return c.DeskID != desk || c.Retired })
}

// Field gives an extra field by its id.
func (b *Setup) Field(id int64) store.Field {
	i := slices.IndexFunc(b.Fields, func(f store.Field) bool { return f.ID == id })
	if i < 0 {
		return store.Field{}
	}
	return b.Fields[i]
}

// LegNames gives what the legs of a desk's formats are called, in the order in which
// they come.
func (b *Setup) LegNames(desk int64) []string {
	at := map[string]float64{}
	var out []string
	for _, f := range b.FormatsOf(desk) {
		legs := b.Latest(f.ID).Way.Legs
		for i, l := range legs {
			if _, known := at[l.Name]; !known {
				at[l.Name] = float64(i) / float64(max(1, len(legs)-1))
				out = append(out, l.Name)
			}
		}
	}
	slices.SortStableFunc(out, func(x, y string) int { return cmp.Compare(at[x], at[y]) })
	return out
}

func deref[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// DayOff gives what a day off of a desk is called.
func (b *Setup) DayOff(desk int64, d day.Date) string {
	if name := b.off[desk][d]; name != "" {
		return name
	}
	return "Day off"
}

// OnDesk gives the people of a desk who are not retired.
func (b *Setup) OnDesk(desk int64) []store.Person {
	var out []store.Person
	for _, p := range b.People {
		if !p.Retired && slices.Contains(p.Desks, desk) {
			out = append(out, p)
		}
	}
	return out
}

// Available reports whether a person belongs to a desk and is not retired.
func (b *Setup) Available(person, desk int64) bool {
	return b.Who(person, desk).OnDesk && !b.Person(person).Retired
}

// Owners gives those of a desk who can own a piece: its leads and staff.
func (b *Setup) Owners(desk int64) []store.Person {
	return slices.DeleteFunc(b.OnDesk(desk), func(p store.Person) bool { return !p.Access.May(relay.OwnPieces) })
}

// FormatsOf gives the formats of a desk that are still offered.
func (b *Setup) FormatsOf(desk int64) []store.Format {
	return slices.DeleteFunc(slices.Clone(b.Formats), func(f store.Format) bool { return f.DeskID != desk || f.Retired })
}

// ChannelsOf gives the channels of a desk that are still offered.
func (b *Setup) ChannelsOf(desk int64) []store.Channel {
	return slices.DeleteFunc(slices.Clone(b.Channels), func(c store.Channel) bool { return c.DeskID != desk || c.Retired })
}

// DesksOf gives the desks of a person that are in use, in the order they were made.
func (b *Setup) DesksOf(person int64) []store.Desk {
	mine := b.Person(person).Desks
	return slices.DeleteFunc(slices.Clone(b.Desks), func(d store.Desk) bool { return d.Retired || !slices.Contains(mine, d.ID) })
}

// FieldsOf gives the extra fields of a format that are in use, in their order.
func (b *Setup) FieldsOf(format int64) []store.Field {
	return slices.DeleteFunc(slices.Clone(b.Fields), func(f store.Field) bool { return f.FormatID != format || f.Retired })
}

// RolesOf gives the roles that people of a desk run or legs of its formats ask
// for, by name.
func (b *Setup) RolesOf(desk int64) []string {
	var out []string
	for _, p := range b.OnDesk(desk) {
		out = append(out, p.Roles...)
	}
	for _, f := range b.FormatsOf(desk) {
		for _, l := range b.Latest(f.ID).Way.Legs {
			out = append(out, l.Role)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Leads gives the leads of a desk.
func (b *Setup) Leads(desk int64) []int64 {
	var out []int64
	for _, p := range b.OnDesk(desk) {
		if p.Access.May(relay.LeadDesk) {
			out = append(out, p.ID)
		}
	}
	return out
}

// Who gives a person as the rules of the relay see them, on a piece's desk.
func (b *Setup) Who(person, desk int64) relay.Who {
	p := b.Person(person)
	return relay.Who{ID: p.ID, Access: p.Access, Roles: p.Roles, OnDesk: slices.Contains(p.Desks, desk)}
}

// Partner gives a partner by its id; without one if there is none.
func (b *Setup) Partner(id int64) store.Partner {
	i := slices.IndexFunc(b.Partners, func(p store.Partner) bool { return p.ID == id })
	if id == 0 || i < 0 {
		return store.Partner{}
	}
	return b.Partners[i]
}

// NameOf gives the name of what a column points at, by its kind and id.
func (b *Setup) NameOf(of string, id int64) string {
	switch of {
	case "format":
		return b.Format(id).Name
	case "channel":
		return b.Channel(id).Name
	case "topic":
		return b.Topic(id).Name
	case "campaign":
		return b.Campaign(id).Name
	case "desk":
		return b.Desk(id).Name
	}
	return b.Person(id).Name
}

// addChecks works out what copies are checked by.
func (b *Setup) addChecks() error {
	b.Spellers, b.Styles, b.Rules = map[int64]*check.Speller{}, map[int64][]check.Say{}, map[int64]check.Rules{}
	for _, d := range b.Desks {
		b.Spellers[d.ID] = check.NewSpeller(d.Language, strings.Fields(d.OwnWords))
		says, err := check.ReadStyle(d.HouseStyle)
		if err != nil {
			return fmt.Errorf("house style of %s: %w", d.Name, err)
		}
		b.Styles[d.ID] = says
	}
	for _, f := range b.Formats {
		rules, err := check.ReadRules(f.Checks)
		if err != nil {
			return fmt.Errorf("format %s: %w", f.Name, err)
		}
		b.Rules[f.ID] = rules
	}
	return nil
}
