package setup

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/weblog"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/rules"
	"greenbaton/store"
)

// SaveDesk stores how a desk works, or makes another one where it has no id yet;
// whoever makes it belongs to it. It gives the desk's id.
func (h Room) SaveDesk(ctx context.Context, by ref.Person, d store.Desk) (ref.Desk, error) {
	save := func(a *newsroom.Command) error {
		if err := checkDesk(a, &d); err != nil {
			return err
		}
		if d.ID == 0 {
			return addDesk(a, &d)
		}
		was := a.Setup.Desk(d.ID)
		d.Retired = was.Retired
		if was == d {
			return nil
		}
		if err := a.Tx.SaveDesk(a, d); err != nil {
			return err
		}
		if err := a.Tx.Stale(a, d.ID); err != nil {
			return err
		}
		before, after := newsroom.Differ(was, d)
		return a.Log(store.Entry{DeskID: d.ID, Act: "set up", What: "changed how " + d.Name + " works", Before: before, After: after})
	}
	var err error
	if d.ID != 0 {
		err = h.SetUpAct(ctx, by, d.ID, save)
	} else {
		err = h.Do(ctx, by, func(a *newsroom.Command) error {
			if !a.Setup.Person(by).Access.May(relay.SetUpDesk) {
				return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Only leads make another desk."}
			}
			a.SetUp = true
			return save(a)
		})
	}
	return d.ID, err
}

func addDesk(a *newsroom.Command, d *store.Desk) (err error) {
	if d.ID, err = a.Tx.AddDesk(a, *d); err != nil {
		return err
	}
	p := a.Setup.Person(a.Actor)
	p.Desks = append(slices.Clone(p.Desks), d.ID)
	if err := a.Tx.SavePerson(a, p); err != nil {
		return err
	}
	if err := rules.UsualRules(a, d.ID); err != nil {
		return err
	}
	return a.Log(store.Entry{DeskID: d.ID, Act: "set up", What: "made the desk " + d.Name})
}

func checkDesk(a *newsroom.Command, d *store.Desk) error {
	d.Name = strings.TrimSpace(d.Name)
	_, zoneErr := time.LoadLocation(d.Zone)
	_, wrongCode := fee.CurrencyOf(d.Currency, d.Money)
	was := a.Setup.Desk(d.ID)
	_, wrongHost := weblog.Prefixes(d.OwnHosts)
	_, countryErr := day.Holidays(d.Country, 2026, 2026)
	twice := slices.ContainsFunc(a.Setup.Desks, func(x store.Desk) bool { return x.ID != d.ID && strings.EqualFold(x.Name, d.Name) })
	switch {
	case d.Name == "" || len([]rune(d.Name)) > 60:
		return newsroom.Invalid("name", "Give the desk a name of up to 60 characters.")
	case twice:
		return newsroom.Invalid("name", "There is a desk of this name already. Choose another.")
	case d.Zone == "" || d.Zone == "Local" || zoneErr != nil:
		return newsroom.Invalid("zone", "Choose a time zone written like Europe/London.")
	case d.Week() == day.Weekdays{}:
		return newsroom.Invalid("weekdays", "A desk works on at least one weekday. Tick one.")
	case countryErr != nil:
		return newsroom.Invalid("country", "%s.", english.UpperFirst(countryErr.Error()))
	case d.Margin < 0 || d.Margin > 60:
		return newsroom.Invalid("margin", "The margin lies between 0 and 60 working days.")
	case d.QuietAfter < 1 || d.QuietAfter > 60:
		return newsroom.Invalid("quiet", "A leg goes quiet after 1 to 60 working days.")
	case d.NoRoom < 0 || d.NoRoom > 60:
		return newsroom.Invalid("no_room", "“No room” begins between 0 and 60 days in hand.")
	case d.Goal < 0 || d.Goal > 200:
		return newsroom.Invalid("goal", "The goal of the runway lies between 0 and 200 slots.")
	case min(d.WeighReach, d.WeighFit, d.WeighEffort) < 0 || max(d.WeighReach, d.WeighFit, d.WeighEffort) > 10:
		return newsroom.Invalid("weigh", "Reach, fit and effort weigh between 0 and 10 each.")
	case d.HoldMost < 0 || d.HoldMost > 100:
		return newsroom.Invalid("hold_most", "Freelancers may hold between 1 and 100 legs, or 0 for any number.")
	case d.LoseAfter < 0 || d.LoseAfter > 60:
		return newsroom.Invalid("lose_after", "A taken leg goes back after 1 to 60 working days without a record, or never with 0.")
	case wrongHost != "":
		return newsroom.Invalid("own_hosts", "“%s” is no address. Write them like 203.0.113.7 or 203.0.113.0/24, a line each.", english.Cut(wrongHost, 60))
	case d.AskAfter < 0 || d.AskAfter > 365:
		return newsroom.Invalid("ask_after", "It is asked 1 to 365 days after release how a piece did, or never with 0.")
	case d.Language != "" && !slices.Contains(check.Languages, d.Language):
		return newsroom.Invalid("language", "No word list ships for this language. Choose another, or none.")
	case len(d.OwnWords) > copyroom.MostLexicon:
		return newsroom.Invalid("own_words", "The desk has more words of its own than can be kept.")
	case len([]rune(d.Money)) > 4:
		return newsroom.Invalid("money", "Write money with up to four characters in front, like £ or EUR.")
	case wrongCode != nil:
		return newsroom.Invalid("currency", "“%s” is no currency. Give its three letters by ISO 4217, like GBP or EUR.", d.Currency)
	case was.Currency != "" && was.Currency != d.Currency && len(a.Setup.RatesOf(d.ID))+len(a.Setup.BudgetsOf(d.ID)) > 0:
		return newsroom.Invalid("currency", "The rates and budgets are in %s. Take them away first, and set them in the new currency; what was agreed stays in the old one.", was.Currency)
	case d.UnusedShare < 0 || d.UnusedShare > 100:
		return newsroom.Invalid("unused_share", "Of work that is not used, 0 to 100 per cent are paid.")
	case d.ReworkShare < 0 || d.ReworkShare > 100:
		return newsroom.Invalid("rework_share", "Each time work comes back, 0 to 100 per cent of it are paid.")
	case d.PayWithin < 0 || d.PayWithin > 365:
		return newsroom.Invalid("pay_within", "A statement is paid within 0 to 365 days.")
	case d.PassBy != relay.ByHolder && d.PassBy != relay.ByOwner:
		return newsroom.Invalid("pass_by", "Choose who may pass a leg: its holder, or the owner only.")
	}
	_, err := check.ReadStyle(d.HouseStyle)
	return err
}

// RetireDesk takes a desk out of use, or into use again. It is kept for what it
// has published; a desk with pieces under way is not retired.
func (h Room) RetireDesk(ctx context.Context, by ref.Person, desk ref.Desk, retired bool) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		d := a.Setup.Desk(desk)
		n, err := count(a, "SELECT COUNT(*) FROM piece WHERE desk_id = ? AND stage = 'running'", desk)
		switch {
		case err != nil || d.Retired == retired:
			return err
		case retired && n > 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s has %s under way. Send them out or move them first.", d.Name, english.Plural(n, "piece"))}
		case retired && len(slices.DeleteFunc(a.Setup.DesksOf(by), func(x store.Desk) bool { return x.ID == desk })) == 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This is your only desk. Make another one before you retire it."}
		}
		d.Retired = retired
		if err := a.Tx.SaveDesk(a, d); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: retire(retired) + d.Name})
	})
}

func retire(retired bool) string {
	if retired {
		return "retired "
	}
	return "brought back "
}

func count(a *newsroom.Command, query string, args ...any) (int, error) {
	var n int
	err := a.Tx.Get(a, &n, query, args...)
	return n, err
}

// mostClosed is how many days a desk can be closed for at a time.
const mostClosed = 60

// AddHolidays adds days off of a desk's own, from one to another, both included; those that
// are on the list already stay as they are, unless all are.
func (h Room) AddHolidays(ctx context.Context, by ref.Person, desk ref.Desk, date, to day.Date, name string) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		name = strings.TrimSpace(name)
		today := a.Now.Date(a.Setup.Zones[desk])
		known := map[day.Date]bool{}
		for _, x := range a.Setup.Holidays {
			known[x.Date] = known[x.Date] || x.DeskID == desk
		}
		var days []day.Date
		for d := date; d <= to && len(days) <= mostClosed; d++ {
			if !known[d] {
				days = append(days, d)
			}
		}
		switch {
		case date < today-366 || date > today+10*366:
			return newsroom.Invalid("date", "Choose a day between last year and ten years from now.")
		case to < date:
			return newsroom.Invalid("to", "The last day lies before the first. Turn them round.")
		case to-date >= mostClosed:
			return newsroom.Invalid("to", "A desk is closed for up to %d days at a time. Add the rest as a span of its own.", mostClosed)
		case name == "" || len([]rune(name)) > 60:
			return newsroom.Invalid("holiday", "Say in up to 60 characters what day it is.")
		case len(days) == 0 && date == to:
			return newsroom.Invalid("date", "%s is on the list already.", english.Date(date))
		case len(days) == 0:
			return newsroom.Invalid("date", "All of these days are on the list already.")
		}
		for _, d := range days {
			if err := a.Tx.AddHoliday(a, store.Holiday{DeskID: desk, Date: d, Name: name}); err != nil {
				return err
			}
		}
		what := fmt.Sprintf("made %s a day off: %s", english.Date(date), name)
		if to > date {
			what = fmt.Sprintf("closed the desk from %s to %s: %s", english.Date(date), english.Date(to), name)
		}
		if err := a.Tx.Stale(a, desk); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: what})
	})
}

// DropHoliday takes a day off of a desk's own away again.
func (h Room) DropHoliday(ctx context.Context, by ref.Person, desk ref.Desk, date day.Date) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		if !slices.ContainsFunc(a.Setup.Holidays, func(x store.Holiday) bool { return x.DeskID == desk && x.Date == date }) {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This day is not on the desk's own list any more."}
		}
		if err := a.Tx.DropHoliday(a, desk, date); err != nil {
			return err
		}
		if err := a.Tx.Stale(a, desk); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: fmt.Sprintf("made %s a working day again", english.Date(date))})
	})
}

// SaveChannel stores a channel of a desk, or makes one where it has no id yet. It
// gives the channel's id.
func (h Room) SaveChannel(ctx context.Context, by ref.Person, c store.Channel) (ref.Channel, error) {
	err := h.SetUpAct(ctx, by, c.DeskID, func(a *newsroom.Command) (err error) {
		c.Name = strings.TrimSpace(c.Name)
		was := a.Setup.Channel(c.ID)
		twice := slices.ContainsFunc(a.Setup.ChannelsOf(c.DeskID), func(x store.Channel) bool { return x.ID != c.ID && strings.EqualFold(x.Name, c.Name) })
		switch {
		case c.Name == "" || len([]rune(c.Name)) > 40:
			return newsroom.Invalid("name", "Give the channel a name of up to 40 characters.")
		case twice:
			return newsroom.Invalid("name", "There is a channel of this name already. Choose another.")
		case !slices.Contains([]day.Rest{day.Rests, day.Anyway, day.Before, day.After}, c.Rests):
			return newsroom.Invalid("rests", "Choose one of what may become of slots on days off.")
		case c.ID != 0 && was.DeskID != c.DeskID:
			return newsroom.ErrNotFound
		}
		if c.ID == 0 {
			c.Slug = freeSlug(a, c.Name)
			if c.ID, err = a.Tx.AddChannel(a, c); err != nil {
				return err
			}
			return a.Log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "made the channel " + c.Name})
		}
		c.Slug = was.Slug
		if c.Retired && !was.Retired {
			for _, f := range a.Setup.FormatsOf(c.DeskID) {
				if f.ChannelID == c.ID {
					return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("Pieces of the format %s go out on %s. Give it another channel first.", f.Name, was.Name)}
				}
			}
		}
		if err := a.Tx.SaveChannel(a, c); err != nil {
			return err
		}
		if c.Rests != was.Rests {
			if err := a.Tx.Stale(a, c.DeskID); err != nil { // what could go out when is worked out from slots
				return err
			}
		}
		before, after := newsroom.Differ(was, c)
		return a.Log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "changed the channel " + c.Name, Before: before, After: after})
	})
	return c.ID, err
}

// freeSlug makes the address of a channel that no other has.
func freeSlug(a *newsroom.Command, name string) string {
	base := strings.TrimPrefix(newsroom.Slug(name, 0), "0-")
	if base == "" || base == "0" {
		base = "channel"
	}
	slug := base
	for n := 2; slices.ContainsFunc(a.Setup.Channels, func(c store.Channel) bool { return c.Slug == slug }); n++ {
		slug = fmt.Sprintf("%s-%d", base, n)
	}
	return slug
}

// SaveSlot stores a recurring time of a channel, or adds one where it has no id yet.
func (h Room) SaveSlot(ctx context.Context, by ref.Person, s store.Slot) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	desk := b.Channel(s.ChannelID).DeskID
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		slot := day.Slot{Rule: s.Rule, Start: s.Start, At: s.At}
		if s.Start == 0 {
			return newsroom.Invalid("start", "Say from which day on it counts.")
		}
		if err := slot.Check(); err != nil {
			return newsroom.Invalid("rule", "%s.", english.UpperFirst(err.Error()))
		}
		what := fmt.Sprintf("set a slot of %s: %s at %s", a.Setup.Channel(s.ChannelID).Name, s.Rule, english.Clock(s.At))
		if s.Retired {
			what = fmt.Sprintf("retired a slot of %s: %s at %s", a.Setup.Channel(s.ChannelID).Name, s.Rule, english.Clock(s.At))
		}
		if s.ID == 0 {
			err = a.Tx.AddSlot(a, s)
		} else {
			err = a.Tx.SaveSlot(a, s)
		}
		if err != nil {
			return err
		}
		if err := a.Tx.Stale(a, desk); err != nil { // what could go out when is worked out from slots
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: what})
	})
}

// SlotSample gives the next times of a slot that is being set up.
func SlotSample(b *newsroom.Setup, s store.Slot, now day.Moment, n int) ([]day.Moment, error) {
	slot := day.Slot{Rule: s.Rule, Start: s.Start, At: s.At}
	if err := slot.Check(); err != nil {
		return nil, err
	}
	times, err := b.TimesOf(s, now, now+newsroom.DaysAhead*86400)
	return times[:min(n, len(times))], err
}
