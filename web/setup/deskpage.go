package setup

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	checking "greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/review"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

type deskView struct {
	Desk      store.Desk
	Week      string
	Answer    string
	Holidays  []holidayView
	People    []deskPerson
	Gone      []store.Person
	Formats   []deskFormat
	Channels  []deskChannel
	Topics    []store.Topic
	Partners  []store.Partner
	Campaigns []campaignRow
	Lead      bool
	Missing   []string // what a proxy in front lacks
	Behind    string   // that the copy of the data has stayed behind
	Problem   string
	Field     string
	Form      url.Values
}

type holidayView struct {
	day.Holiday
	Own bool
}

type deskPerson struct {
	store.Person
	RolesText string
	HoursText string
	Away      []string
}

type deskFormat struct {
	store.Format
	Channel string
	Says    string
	Drawing draw.Route
}

type deskChannel struct {
	store.Channel
	Slots []slotView
}

// desk shows how the desk works; leads change it from there.
func (s *Section) desk(c *echo.Context) error { return s.showDesk(c, http.StatusOK, nil, nil) }

func (s *Section) showDesk(c *echo.Context, status int, refusal *relay.Refusal, form url.Values) error {
	p := kit.Me(c)
	if kit.Here(c) == 0 || !p.Access.May(relay.SeeAll) {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "How the desk works is for its staff."}
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	d := b.Desk(kit.Here(c))
	today := s.Newsroom.Now().Date(b.Zones[d.ID])
	v := deskView{Partners: review.PartnersOf(b, d.ID), Desk: d, Lead: p.Access.May(relay.SetUpDesk), Week: kit.WeekText(d.Week()), Form: form}
	if v.Lead {
		v.Missing = s.Missing()
		v.Behind, _ = s.copied(b, d.ID)
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	holidays, err := s.Settings.ComingHolidays(c.Request().Context(), d.ID, 10)
	if err != nil {
		return err
	}
	for _, h := range holidays {
		own := slices.ContainsFunc(b.Holidays, func(x store.Holiday) bool { return x.DeskID == d.ID && x.Date == h.Date })
		v.Holidays = append(v.Holidays, holidayView{h, own})
	}
	for _, x := range b.OnDesk(d.ID) {
		v.People = append(v.People, newDeskPerson(b, x, today))
	}
	for _, x := range b.People {
		if x.Retired && slices.Contains(x.Desks, d.ID) {
			v.Gone = append(v.Gone, x)
		}
	}
	for _, f := range b.Formats {
		if f.DeskID == d.ID {
			way := b.Latest(f.ID).Way
			says, _ := draw.SayRoute(way)
			v.Formats = append(v.Formats, deskFormat{f, b.Channel(f.ChannelID).Name, says, draw.NewRoute(way, draw.NarrowRoute, "")})
		}
	}
	done, err := s.Planning.Progress(c.Request().Context(), d.ID)
	if err != nil {
		return err
	}
	v.Topics = b.TopicsOf(d.ID)
	for _, x := range b.CampaignsOf(d.ID) {
		v.Campaigns = append(v.Campaigns, campaignRow{x, planning.SayCampaign(x, done[x.ID])})
	}
	slots := 0
	for _, ch := range b.Channels {
		if ch.DeskID == d.ID {
			x := deskChannel{Channel: ch, Slots: slotsOf(b, ch, s.Newsroom.Now())}
			slots += len(x.Slots)
			v.Channels = append(v.Channels, x)
		}
	}
	v.Answer = fmt.Sprintf("%s on %s, %s, by the clocks of %s.", english.Plural(len(v.People), "person"), english.Plural(len(v.Channels), "channel"), v.Week, d.Zone)
	v.Answer = strings.Replace(v.Answer, "persons", "people", 1)
	return s.Show(c, status, "desk", d.Name, v)
}

func newDeskPerson(b *newsroom.Setup, x store.Person, today day.Date) deskPerson {
	dp := deskPerson{Person: x, RolesText: strings.Join(x.Roles, ", "), HoursText: kit.HoursOfWeek(x.Minutes())}
	for _, a := range b.Absences {
		if a.PersonID == x.ID && a.ToDay >= today {
			dp.Away = append(dp.Away, away(a))
		}
	}
	return dp
}

func away(a store.Absence) string {
	if a.FromDay == a.ToDay {
		return english.Date(a.FromDay)
	}
	return english.Date(a.FromDay) + " to " + english.Date(a.ToDay)
}

type deskForm struct {
	Desk      store.Desk
	New       bool
	Form      url.Values
	Countries []day.Country
	Languages []kit.Option
	Zones     []string
	Weekdays  []kit.Weekday
	Problem   string
	Field     string
	CanRetire bool
}

// deskOf finds the desk of an address among one's own; "new" is none.
func (s *Section) deskOf(c *echo.Context, b *newsroom.Setup) (store.Desk, error) {
	if c.Param("id") == "new" {
		now := b.Desk(kit.Here(c))
		return store.Desk{Language: now.Language, Zone: now.Zone, Country: now.Country, Weekdays: now.Weekdays, QuietAfter: 3, Goal: 20, AskAfter: 28, PassBy: relay.ByHolder}, nil
	}
	id, err := kit.ID[ref.Desk](c)
	d := b.Desk(id)
	if err != nil || d.ID == 0 || !slices.Contains(kit.Me(c).Desks, d.ID) {
		return d, newsroom.ErrNotFound
	}
	return d, nil
}

func (s *Section) deskFormPage(c *echo.Context) error {
	return s.showDeskForm(c, http.StatusOK, nil, nil)
}

func (s *Section) showDeskForm(c *echo.Context, status int, refusal *relay.Refusal, form url.Values) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	d, err := s.deskOf(c, b)
	if err != nil {
		return err
	}
	if form == nil {
		w := intake.Weights(b, d.ID)
		form = url.Values{
			"weigh_reach": {fmt.Sprint(w.Reach)}, "weigh_fit": {fmt.Sprint(w.Fit)}, "weigh_effort": {fmt.Sprint(w.Effort)},
			"name": {d.Name}, "zone": {d.Zone}, "country": {d.Country}, "margin": {fmt.Sprint(d.Margin)}, "quiet": {fmt.Sprint(d.QuietAfter)},
			"no_room": {fmt.Sprint(d.NoRoom)}, "goal": {fmt.Sprint(d.Goal)}, "pass_by": {string(d.PassBy)}, "locked": {kit.Yes(d.DatesLocked)}, "asked": {kit.Yes(d.DaysAsked)}, "people_open": {kit.Yes(d.PeopleOpen)}, "ask_after": {fmt.Sprint(d.AskAfter)}, "own_hosts": {d.OwnHosts},
			"hold_most": {fmt.Sprint(d.HoldMost)}, "lose_after": {fmt.Sprint(d.LoseAfter)}, "money": {d.Money}, "currency": {d.Currency}, "rounding": {string(d.Rounding)}, "unused_share": {fmt.Sprint(d.UnusedShare)}, "rework_share": {fmt.Sprint(d.ReworkShare)}, "pay_within": {fmt.Sprint(d.PayWithin)},
			"language": {d.Language}, "own_words": {d.OwnWords}, "house_style": {d.HouseStyle},
		}
		for i, on := range d.Week() {
			if on {
				form.Add("weekday", fmt.Sprint(i))
			}
		}
	}
	v := deskForm{Desk: d, New: d.ID == 0, Form: form, Countries: day.Countries(), Languages: languages(), Zones: kit.Zones, Weekdays: kit.Weekdays(form["weekday"]), CanRetire: d.ID != 0 && len(b.DesksOf(kit.Me(c).ID)) > 1}
	title := "New desk"
	if !v.New {
		title = "How " + d.Name + " works"
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "deskform", title, v)
}

// saveDesk stores how a desk works, makes another, or retires one.
func (s *Section) saveDesk(c *echo.Context) error {
	ctx := c.Request().Context()
	return kit.SetUp(s.Server, c, s.deskOf, func(_ *newsroom.Setup, d store.Desk, form url.Values) (string, error) {
		if retired := form.Get("retired"); retired != "" && d.ID != 0 {
			s.Say(c, "Saved.")
			return "/desk", s.Settings.RetireDesk(ctx, kit.Me(c).ID, d.ID, retired == "yes")
		}
		made := d.ID == 0
		if err := readDesk(form, &d); err != nil {
			return "", err
		}
		id, err := s.Settings.SaveDesk(ctx, kit.Me(c).ID, d)
		if err != nil {
			return "", err
		}
		s.Say(c, "Saved; how every piece stands is worked out anew.")
		if made {
			s.Sessions.Put(ctx, "desk", int64(id))
			s.Say(c, "The desk is made. Give it a channel, people and a format.")
		}
		return "/desk", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		if typed.Get("retired") != "" {
			typed = nil
		}
		return s.showDeskForm(c, status, r, typed)
	})
}

func readDesk(form url.Values, d *store.Desk) error {
	d.Name, d.Zone, d.Country, d.PassBy = form.Get("name"), strings.TrimSpace(form.Get("zone")), form.Get("country"), relay.PassBy(form.Get("pass_by"))
	d.DatesLocked, d.DaysAsked, d.PeopleOpen = form.Get("locked") != "", form.Get("asked") != "", form.Get("people_open") != ""
	bits := []byte("0000000")
	for _, x := range kit.Weekdays(form["weekday"]) {
		bits[x.Index] += byte(kit.Bit(x.Works))
	}
	d.Weekdays, d.Money = string(bits), strings.TrimSpace(form.Get("money"))
	d.Language, d.OwnWords, d.HouseStyle = form.Get("language"), kit.Lines(form.Get("own_words")), kit.Lines(form.Get("house_style"))
	d.OwnHosts = kit.Lines(form.Get("own_hosts"))
	d.Currency, d.Rounding = strings.ToUpper(strings.TrimSpace(form.Get("currency"))), fee.Rounding(kit.OneOf(form, "rounding", string(fee.Even), string(fee.Commercial)))
	for _, n := range []struct {
		field, what string
		into        *int
		usual       int
	}{
		{"margin", "the margin", &d.Margin, 0}, {"quiet", "the days after which a leg is quiet", &d.QuietAfter, 3},
		{"no_room", "the days in hand at which there is no room", &d.NoRoom, 0}, {"goal", "the goal", &d.Goal, 20},
		{"weigh_reach", "how much reach weighs", &d.WeighReach, 0}, {"weigh_fit", "how much fit weighs", &d.WeighFit, 0}, {"weigh_effort", "how much little effort weighs", &d.WeighEffort, 0},
		{"hold_most", "how many legs a freelancer may hold", &d.HoldMost, 0}, {"lose_after", "the days after which a taken leg goes back", &d.LoseAfter, 0}, {"ask_after", "the days after which it is asked how a piece did", &d.AskAfter, 28},
		{"unused_share", "what is paid for work that is not used", &d.UnusedShare, 50}, {"rework_share", "what is paid each time work comes back", &d.ReworkShare, 0}, {"pay_within", "the days from a statement to its payment", &d.PayWithin, 30},
	} {
		v, err := kit.Whole(form, n.field, n.field, n.what, n.usual)
		if err != nil {
			return err
		}
		*n.into = v
	}
	return nil
}

// holiday adds a day off of the desk's own, or makes one a working day again.
func (s *Section) holiday(c *echo.Context) error {
	ctx := c.Request().Context()
	return kit.SetUp(s.Server, c, func(c *echo.Context, _ *newsroom.Setup) (ref.Desk, error) { return kit.Here(c), nil }, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		date, err := kit.DateOf(form, "date", "the day")
		if err == nil && date == 0 {
			err = kit.Input("date", "Choose the day.")
		}
		if err != nil {
			return "", err
		}
		if form.Get("do") == "drop" {
			if err := s.Settings.DropHoliday(ctx, kit.Me(c).ID, d, date); err != nil {
				return "", err
			}
			s.Say(c, "%s is a working day again.", english.Date(date))
			return "/desk", nil
		}
		to, err := kit.DateOf(form, "to", "the last day")
		if err != nil {
			return "", err
		}
		if to == 0 {
			to = date
		}
		if err := s.Settings.AddHolidays(ctx, kit.Me(c).ID, d, date, to, form.Get("holiday")); err != nil {
			return "", err
		}
		said := english.Date(date) + " is a day off now"
		if to > date {
			said = "The desk is closed from " + english.Date(date) + " to " + english.Date(to)
		}
		s.Say(c, "%s; how every piece stands is worked out anew.", said)
		return "/desk", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showDesk(c, status, r, typed) })
}

// languages are those whose spelling can be checked.
func languages() []kit.Option {
	var out []kit.Option
	for _, l := range checking.Languages {
		out = append(out, kit.Option{Value: l, Name: checking.LanguageName(l)})
	}
	return out
}
