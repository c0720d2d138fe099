package desk

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// bad refuses what was typed into a field.
func bad(field, format string, args ...any) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: fmt.Sprintf(format, args...)}
}

// setUpAct carries out an act on the set-up of a desk, which is for its leads.
func (h *House) setUpAct(ctx context.Context, by, desk int64, f func(*act) error) error {
	return h.act(ctx, by, func(a *act) error {
		if err := a.b.mayLead(by, desk); err != nil {
			return err
		}
		a.setUp = true
		return f(a)
	})
}

// mayLead refuses who is no lead of a desk.
func (b *Books) mayLead(by, desk int64) error {
	if relay.MayHouse(relay.SetUpDesk, b.Who(by, desk)) {
		return nil
	}
	return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This is for leads of the desk. Ask one of them."}
}

// SaveDesk stores how a desk works, or makes another one where it has no id yet;
// whoever makes it belongs to it. It gives the desk's id.
func (h *House) SaveDesk(ctx context.Context, by int64, d store.Desk) (int64, error) {
	save := func(a *act) error {
		if err := a.checkDesk(&d); err != nil {
			return err
		}
		if d.ID == 0 {
			return a.addDesk(&d)
		}
		was := a.b.Desk(d.ID)
		d.Retired = was.Retired
		if was == d {
			return nil
		}
		if err := a.tx.SaveDesk(a, d); err != nil {
			return err
		}
		if err := a.tx.Stale(a, d.ID); err != nil {
			return err
		}
		before, after := differ(was, d)
		return a.log(store.Entry{DeskID: d.ID, Act: "set up", What: "changed how " + d.Name + " works", Before: before, After: after})
	}
	var err error
	if d.ID != 0 {
		err = h.setUpAct(ctx, by, d.ID, save)
	} else {
		err = h.act(ctx, by, func(a *act) error {
			if !a.b.Person(by).Access.May(relay.SetUpDesk) {
				return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Only leads make another desk."}
			}
			a.setUp = true
			return save(a)
		})
	}
	return d.ID, err
}

func (a *act) addDesk(d *store.Desk) (err error) {
	if d.ID, err = a.tx.AddDesk(a, *d); err != nil {
		return err
	}
	p := a.b.Person(a.by)
	p.Desks = append(slices.Clone(p.Desks), d.ID)
	if err := a.tx.SavePerson(a, p); err != nil {
		return err
	}
	if err := a.usualRules(d.ID); err != nil {
		return err
	}
	return a.log(store.Entry{DeskID: d.ID, Act: "set up", What: "made the desk " + d.Name})
}

func (a *act) checkDesk(d *store.Desk) error {
	d.Name = strings.TrimSpace(d.Name)
	_, zoneErr := time.LoadLocation(d.Zone)
	_, countryErr := day.Holidays(d.Country, 2026, 2026)
	twice := slices.ContainsFunc(a.b.Desks, func(x store.Desk) bool { return x.ID != d.ID && strings.EqualFold(x.Name, d.Name) })
	switch {
	case d.Name == "" || len([]rune(d.Name)) > 60:
		return bad("name", "Give the desk a name of up to 60 characters.")
	case twice:
		return bad("name", "There is a desk of this name already. Choose another.")
	case d.Zone == "" || d.Zone == "Local" || zoneErr != nil:
		return bad("zone", "Choose a time zone written like Europe/London.")
	case d.Week() == day.Weekdays{}:
		return bad("weekdays", "A desk works on at least one weekday. Tick one.")
	case countryErr != nil:
		return bad("country", "%s.", UpperFirst(countryErr.Error()))
	case d.Margin < 0 || d.Margin > 60:
		return bad("margin", "The margin lies between 0 and 60 working days.")
	case d.QuietAfter < 1 || d.QuietAfter > 60:
		return bad("quiet", "A leg goes quiet after 1 to 60 working days.")
	case d.NoRoom < 0 || d.NoRoom > 60:
		return bad("no_room", "“No room” begins between 0 and 60 days in hand.")
	case d.Goal < 0 || d.Goal > 200:
		return bad("goal", "The goal of the runway lies between 0 and 200 slots.")
	case min(d.WeighReach, d.WeighFit, d.WeighEffort) < 0 || max(d.WeighReach, d.WeighFit, d.WeighEffort) > 10:
		return bad("weigh", "Reach, fit and effort weigh between 0 and 10 each.")
	case d.HoldMost < 0 || d.HoldMost > 100:
		return bad("hold_most", "Freelancers may hold between 1 and 100 legs, or 0 for any number.")
	case d.LoseAfter < 0 || d.LoseAfter > 60:
		return bad("lose_after", "A taken leg goes back after 1 to 60 working days without a record, or never with 0.")
	case d.Language != "" && !slices.Contains(check.Languages, d.Language):
		return bad("language", "No word list ships for this language. Choose another, or none.")
	case len(d.OwnWords) > mostLexicon:
		return bad("own_words", "The desk has more words of its own than can be kept.")
	case len([]rune(d.Money)) > 4:
		return bad("money", "Write money with up to four characters in front, like £ or EUR.")
	case d.PassBy != relay.ByHolder && d.PassBy != relay.ByOwner:
		return bad("pass_by", "Choose who may pass a leg: its holder, or the owner only.")
	}
	_, err := check.ReadStyle(d.HouseStyle)
	return err
}

// RetireDesk takes a desk out of use, or into use again. It is kept for what it
// has published; a desk with pieces under way is not retired.
func (h *House) RetireDesk(ctx context.Context, by, desk int64, retired bool) error {
	return h.setUpAct(ctx, by, desk, func(a *act) error {
		d := a.b.Desk(desk)
		n, err := a.count("SELECT COUNT(*) FROM piece WHERE desk_id = ? AND stage = 'under way'", desk)
		switch {
		case err != nil || d.Retired == retired:
			return err
		case retired && n > 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s has %s under way. Send them out or move them first.", d.Name, Plural(n, "piece"))}
		case retired && len(slices.DeleteFunc(a.b.DesksOf(by), func(x store.Desk) bool { return x.ID == desk })) == 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This is your only desk. Make another one before you retire it."}
		}
		d.Retired = retired
		if err := a.tx.SaveDesk(a, d); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: retire(retired) + d.Name})
	})
}

func retire(retired bool) string {
	if retired {
		return "retired "
	}
	return "brought back "
}

func (a *act) count(query string, args ...any) (int, error) {
	var n int
	err := a.tx.Get(a, &n, query, args...)
	return n, err
}

// AddHoliday adds a day off of a desk's own.
func (h *House) AddHoliday(ctx context.Context, by, desk int64, date day.Date, name string) error {
	return h.setUpAct(ctx, by, desk, func(a *act) error {
		name = strings.TrimSpace(name)
		today := a.now.Date(a.b.Zones[desk])
		switch {
		case date < today-366 || date > today+10*366:
			return bad("date", "Choose a day between last year and ten years from now.")
		case name == "" || len([]rune(name)) > 60:
			return bad("holiday", "Say in up to 60 characters what day it is.")
		case slices.ContainsFunc(a.b.Holidays, func(x store.Holiday) bool { return x.DeskID == desk && x.Date == date }):
			return bad("date", "%s is on the list already.", Short(date))
		}
		if err := a.tx.AddHoliday(a, store.Holiday{DeskID: desk, Date: date, Name: name}); err != nil {
			return err
		}
		if err := a.tx.Stale(a, desk); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: fmt.Sprintf("made %s a day off: %s", Short(date), name)})
	})
}

// DropHoliday takes a day off of a desk's own away again.
func (h *House) DropHoliday(ctx context.Context, by, desk int64, date day.Date) error {
	return h.setUpAct(ctx, by, desk, func(a *act) error {
		if !slices.ContainsFunc(a.b.Holidays, func(x store.Holiday) bool { return x.DeskID == desk && x.Date == date }) {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This day is not on the desk's own list any more."}
		}
		if err := a.tx.DropHoliday(a, desk, date); err != nil {
			return err
		}
		if err := a.tx.Stale(a, desk); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: fmt.Sprintf("made %s a working day again", Short(date))})
	})
}

// SaveChannel stores a channel of a desk, or makes one where it has no id yet. It
// gives the channel's id.
func (h *House) SaveChannel(ctx context.Context, by int64, c store.Channel) (int64, error) {
	err := h.setUpAct(ctx, by, c.DeskID, func(a *act) (err error) {
		c.Name = strings.TrimSpace(c.Name)
		was := a.b.Channel(c.ID)
		twice := slices.ContainsFunc(a.b.ChannelsOf(c.DeskID), func(x store.Channel) bool { return x.ID != c.ID && strings.EqualFold(x.Name, c.Name) })
		switch {
		case c.Name == "" || len([]rune(c.Name)) > 40:
			return bad("name", "Give the channel a name of up to 40 characters.")
		case twice:
			return bad("name", "There is a channel of this name already. Choose another.")
		case c.ID != 0 && was.DeskID != c.DeskID:
			return ErrNotFound
		}
		if c.ID == 0 {
			c.Slug = a.freeSlug(c.Name)
			if c.ID, err = a.tx.AddChannel(a, c); err != nil {
				return err
			}
			return a.log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "made the channel " + c.Name})
		}
		c.Slug = was.Slug
		if c.Retired && !was.Retired {
			for _, f := range a.b.FormatsOf(c.DeskID) {
				if f.ChannelID == c.ID {
					return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("Pieces of the format %s go out on %s. Give it another channel first.", f.Name, was.Name)}
				}
			}
		}
		if err := a.tx.SaveChannel(a, c); err != nil {
			return err
		}
		before, after := differ(was, c)
		return a.log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "changed the channel " + c.Name, Before: before, After: after})
	})
	return c.ID, err
}

// freeSlug makes the address of a channel that no other has.
func (a *act) freeSlug(name string) string {
	base := strings.TrimPrefix(Slug(name, 0), "0-")
	if base == "" || base == "0" {
		base = "channel"
	}
	slug := base
	for n := 2; slices.ContainsFunc(a.b.Channels, func(c store.Channel) bool { return c.Slug == slug }); n++ {
		slug = fmt.Sprintf("%s-%d", base, n)
	}
	return slug
}

// SaveSlot stores a recurring time of a channel, or adds one where it has no id yet.
func (h *House) SaveSlot(ctx context.Context, by int64, s store.Slot) error {
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	desk := b.Channel(s.ChannelID).DeskID
	return h.setUpAct(ctx, by, desk, func(a *act) error {
		slot := day.Slot{Rule: s.Rule, Start: s.Start, At: s.At}
		if s.Start == 0 {
			return bad("start", "Say from which day on it counts.")
		}
		if err := slot.Check(); err != nil {
			return bad("rule", "%s.", UpperFirst(err.Error()))
		}
		what := fmt.Sprintf("set a slot of %s: %s at %s", a.b.Channel(s.ChannelID).Name, s.Rule, clock(s.At))
		if s.Retired {
			what = fmt.Sprintf("retired a slot of %s: %s at %s", a.b.Channel(s.ChannelID).Name, s.Rule, clock(s.At))
		}
		if s.ID == 0 {
			err = a.tx.AddSlot(a, s)
		} else {
			err = a.tx.SaveSlot(a, s)
		}
		if err != nil {
			return err
		}
		if err := a.tx.Stale(a, desk); err != nil { // what could go out when is worked out from slots
			return err
		}
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: what})
	})
}

func clock(minutes int) string { return fmt.Sprintf("%02d:%02d", minutes/60, minutes%60) }

// SlotSample gives the next times of a slot that is being set up.
func SlotSample(b *Books, s store.Slot, now day.Moment, n int) ([]day.Moment, error) {
	slot := day.Slot{Rule: s.Rule, Start: s.Start, At: s.At}
	if err := slot.Check(); err != nil {
		return nil, err
	}
	times, err := slot.Times(now, now+daysAhead*86400, b.Zones[b.Channel(s.ChannelID).DeskID])
	return times[:min(n, len(times))], err
}

// differ writes the fields in which two structs of one type differ, a line each, as
// they were and as they are. Passwords are left out.
func differ(was, is any) (before, after string) {
	x, y := reflect.ValueOf(was), reflect.ValueOf(is)
	var xs, ys []string
	for i := range x.NumField() {
		name := x.Type().Field(i).Name
		if a, b := x.Field(i).Interface(), y.Field(i).Interface(); name != "Password" && !reflect.DeepEqual(a, b) {
			xs, ys = append(xs, fmt.Sprintf("%s: %v", strings.ToLower(name), a)), append(ys, fmt.Sprintf("%s: %v", strings.ToLower(name), b))
		}
	}
	return strings.Join(xs, "\n"), strings.Join(ys, "\n")
}
