package newsroom

import (
	"cmp"
	"encoding/json"
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
	"greenbaton/core/ref"
	"greenbaton/core/release"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// Setup is all that is set up, with the calendars worked out from it. It is
// read once and shared until the set-up changes; nothing in it is changed.
type Setup struct {
	store.Reference
	Zones      map[ref.Desk]*time.Location // by desk
	Planned    map[ref.Desk]*plan.Desk     // by desk
	desks      map[ref.Desk]*store.Desk
	people     map[ref.Person]*store.Person
	formats    map[ref.Format]*store.Format
	Routes     map[ref.Route]*store.Route
	channels   map[ref.Channel]*store.Channel
	Outlets    map[ref.Channel]release.Outlet // by what the pieces of channels get there
	topics     map[ref.Topic]*store.Topic
	campaigns  map[ref.Campaign]*store.Campaign
	latest     map[ref.Format]*store.Route      // by format
	Forms      map[ref.Format]brief.Form        // of briefs, by format
	Outlines   map[ref.Format]brief.Outline     // by format
	Rules      map[ref.Format]check.Rules       // of checks, by format
	Spellers   map[ref.Desk]*check.Speller      // by desk; nil for languages without a list
	Styles     map[ref.Desk][]check.Say         // by desk
	HouseRules map[ref.Desk][]HouseRule         // by desk, in their order
	Followed   map[ref.Desk][]rule.Rule         // those of them that run
	off        map[ref.Desk]map[day.Date]string // what each desk's days off are called
	crew       []load.Person                    // everybody, as load reckons with them
	slots      sync.Map                         // slotKey → []day.Moment, worked out when first asked for
}

// The years for which holidays are worked out.
const firstYear, lastYear = 2000, 2080

// NewSetup works out what follows from what is set up: calendars, the newest routes, spellers.
func NewSetup(all store.Reference) (*Setup, error) {
	b := &Setup{
		Reference: all, Zones: map[ref.Desk]*time.Location{}, Planned: map[ref.Desk]*plan.Desk{}, off: map[ref.Desk]map[day.Date]string{},
		desks: index(all.Desks, func(d *store.Desk) ref.Desk { return d.ID }), people: index(all.People, func(p *store.Person) ref.Person { return p.ID }),
		formats: index(all.Formats, func(f *store.Format) ref.Format { return f.ID }), Routes: index(all.Routes, func(r *store.Route) ref.Route { return r.ID }),
		channels: index(all.Channels, func(c *store.Channel) ref.Channel { return c.ID }), topics: index(all.Topics, func(t *store.Topic) ref.Topic { return t.ID }), campaigns: index(all.Campaigns, func(c *store.Campaign) ref.Campaign { return c.ID }),
		latest: index(all.Routes, func(r *store.Route) ref.Format { return r.FormatID }),
	}
	b.Outlets = map[ref.Channel]release.Outlet{}
	for _, c := range all.Channels {
		o := release.Outlet{Kind: release.Site}
		if c.Outlet != "" {
			if err := json.Unmarshal([]byte(c.Outlet), &o); err != nil {
				return nil, fmt.Errorf("how pieces get to %s: %w", c.Name, err)
			}
		}
		b.Outlets[c.ID] = o
	}
	b.Forms, b.Outlines = map[ref.Format]brief.Form{}, map[ref.Format]brief.Outline{}
	for _, f := range all.Formats {
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
	for _, d := range all.Desks {
		if err := b.addHouse(d); err != nil {
			return nil, fmt.Errorf("desk %s: %w", d.Name, err)
		}
	}
	for _, p := range all.People {
		x := load.Person{ID: p.ID, Name: p.Name, Roles: p.Roles, Desks: p.Desks, Minutes: p.Minutes()}
		if p.Retired { // what they still have counts, but nothing more is offered to them
			x.Roles = nil
		}
		for i, d := range p.Desks {
			days := b.Planned[d].Holder(p.ID)
			switch {
			case i == 0:
				x.Days = days
			case i == 1:
				x.On = map[ref.Desk]*day.Calendar{p.Desks[0]: x.Days}
				fallthrough
			default:
				x.On[d] = days
			}
		}
		b.crew = append(b.crew, x)
	}
	return b, b.addRules()
}

// index maps rows by a key; of several with one key the last counts.
func index[K comparable, T any](rows []T, key func(*T) K) map[K]*T {
	out := make(map[K]*T, len(rows))
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
	holders := map[ref.Person]*day.Calendar{}
	for _, p := range b.People {
		holders[p.ID] = cal.For(week(p), b.away(p.ID))
	}
	b.Zones[d.ID] = zone
	b.Planned[d.ID] = &plan.Desk{
		Calendar: cal, Zone: zone, Margin: d.Margin, Quiet: d.QuietAfter, NoRoom: d.NoRoom,
		Holder: func(id ref.Person) *day.Calendar { return holders[id] },
	}
	return nil
}

// Desk gives a desk by its id.
func (b *Setup) Desk(id ref.Desk) store.Desk { return deref(b.desks[id]) }

// Format gives a format by its id.
func (b *Setup) Format(id ref.Format) store.Format { return deref(b.formats[id]) }

// BriefForm gives what a format asks of a brief.
func (b *Setup) BriefForm(format ref.Format) brief.Form { return b.Forms[format] }

// Outline gives the sections with which the copies of a format begin.
func (b *Setup) Outline(format ref.Format) brief.Outline { return b.Outlines[format] }

// Route gives a version of a route by its id.
func (b *Setup) Route(id ref.Route) store.Route { return deref(b.Routes[id]) }

// Latest gives the newest route of a format.
func (b *Setup) Latest(format ref.Format) store.Route { return deref(b.latest[format]) }

// Channel gives a channel by its id.
func (b *Setup) Channel(id ref.Channel) store.Channel { return deref(b.channels[id]) }

// Topic gives a topic by its id.
func (b *Setup) Topic(id ref.Topic) store.Topic { return deref(b.topics[id]) }

// Campaign gives a campaign by its id.
func (b *Setup) Campaign(id ref.Campaign) store.Campaign { return deref(b.campaigns[id]) }

// Measure gives a measure by its id, the zero value where there is none.
func (b *Setup) Measure(id ref.Measure) store.Measure {
	for _, m := range b.Measures {
		if m.ID == id {
			return m
		}
	}
	return store.Measure{}
}

// MeasuresOf gives the measures of a desk that are in use, the main one first.
func (b *Setup) MeasuresOf(desk ref.Desk) []store.Measure {
	return slices.DeleteFunc(slices.Clone(b.Measures), func(m store.Measure) bool { return m.DeskID != desk || m.Retired })
}

// TopicsOf gives the topics of a desk that are in use.
func (b *Setup) TopicsOf(desk ref.Desk) []store.Topic {
	return slices.DeleteFunc(slices.Clone(b.Topics), func(t store.Topic) bool { return t.DeskID != desk || t.Retired })
}

// CampaignsOf gives the campaigns of a desk that are in use, by their first day.
func (b *Setup) CampaignsOf(desk ref.Desk) []store.Campaign {
	return slices.DeleteFunc(slices.Clone(b.Campaigns), func(c store.Campaign) bool { return c.DeskID != desk || c.Retired })
}

// Field gives an extra field by its id.
func (b *Setup) Field(id ref.Field) store.Field {
	i := slices.IndexFunc(b.Fields, func(f store.Field) bool { return f.ID == id })
	if i < 0 {
		return store.Field{}
	}
	return b.Fields[i]
}

// LegNames gives what the legs of a desk's formats are called, in the order in which
// they come.
func (b *Setup) LegNames(desk ref.Desk) []string {
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
func (b *Setup) DayOff(desk ref.Desk, d day.Date) string {
	if name := b.off[desk][d]; name != "" {
		return name
	}
	return "Day off"
}

// FormatsOf gives the formats of a desk that are still offered.
func (b *Setup) FormatsOf(desk ref.Desk) []store.Format {
	return slices.DeleteFunc(slices.Clone(b.Formats), func(f store.Format) bool { return f.DeskID != desk || f.Retired })
}

// ChannelsOf gives the channels of a desk that are still offered.
func (b *Setup) ChannelsOf(desk ref.Desk) []store.Channel {
	return slices.DeleteFunc(slices.Clone(b.Channels), func(c store.Channel) bool { return c.DeskID != desk || c.Retired })
}

// ChannelsFor gives the channels on which pieces of a format can go out.
func (b *Setup) ChannelsFor(f store.Format) []store.Channel {
	return slices.DeleteFunc(b.ChannelsOf(f.DeskID), func(c store.Channel) bool { return !f.GoesOn(c.ID) })
}

// FormatsOn gives the formats of a desk whose pieces can go out on a channel.
func (b *Setup) FormatsOn(desk ref.Desk, channel ref.Channel) []store.Format {
	return slices.DeleteFunc(b.FormatsOf(desk), func(f store.Format) bool { return !f.GoesOn(channel) })
}

// NameOfField gives the name of an extra field, with its format's where only one has it.
func (b *Setup) NameOfField(f store.Field) string {
	if f.Also != "" {
		return f.Name
	}
	return b.Format(f.FormatID).Name + ": " + f.Name
}

// FieldsOf gives the extra fields of a format that are in use, in their order.
func (b *Setup) FieldsOf(format ref.Format) []store.Field {
	return slices.DeleteFunc(slices.Clone(b.Fields), func(f store.Field) bool { return !f.Of(format) || f.Retired })
}

// NameOf gives the name of what a column points at, by its kind and id.
func (b *Setup) NameOf(of string, id int64) string {
	switch of {
	case "format":
		return b.Format(ref.Format(id)).Name
	case "channel":
		return b.Channel(ref.Channel(id)).Name
	case "topic":
		return b.Topic(ref.Topic(id)).Name
	case "campaign":
		return b.Campaign(ref.Campaign(id)).Name
	case "desk":
		return b.Desk(ref.Desk(id)).Name
	}
	return b.Person(ref.Person(id)).Name
}

// addChecks works out what copies are checked by.
func (b *Setup) addChecks() error {
	b.Spellers, b.Styles, b.Rules = map[ref.Desk]*check.Speller{}, map[ref.Desk][]check.Say{}, map[ref.Format]check.Rules{}
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
