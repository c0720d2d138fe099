package setup

import (
	"context"
	"net/mail"
	"strings"
	"time"

	"greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/rules"
	"greenbaton/store"
)

// FirstHouse is what the first lead says of an empty house.
type FirstHouse struct {
	Name, Mail, Password string
	Desk, Zone, Country  string
	Weekdays             day.Weekdays
	Channel              string
	At                   int // minutes after midnight at which the channel publishes, on each working day
	Format               string
	Legs                 []route.Leg
}

// Empty reports whether nobody has an account yet.
func (h Room) Empty(ctx context.Context) (bool, error) {
	b, err := h.Setup(ctx)
	return err == nil && len(b.People) == 0, err
}

// FirstLead gives the role that the one who sets up the house runs at first.
const FirstLead = "lead"

// FirstRoute is the route offered for a first format.
func FirstRoute() []route.Leg {
	return []route.Leg{
		{Key: "brief", Name: "Brief", Role: FirstLead, Allowance: 1, Effort: 60},
		{Key: "draft", Name: "Draft", Role: FirstLead, Allowance: 4, Least: 2, Effort: 480, After: []string{"brief"}, Words: true},
		{Key: "edit", Name: "Edit", Role: FirstLead, Allowance: 2, Least: 1, Effort: 180, After: []string{"draft"}},
		{Key: "release", Name: "Release", Role: FirstLead, Allowance: 1, Least: 0, Effort: 30, After: []string{"edit"}},
	}
}

// SetUp makes the first account, desk, channel and format of an empty house and
// gives the lead's id.
func (h Room) SetUp(ctx context.Context, f FirstHouse) (ref.Person, error) {
	if err := f.check(); err != nil {
		return 0, err
	}
	pw, err := account.HashPassword(f.Password)
	if err != nil {
		return 0, err
	}
	var lead ref.Person
	err = h.Do(ctx, 0, func(a *newsroom.Command) error {
		if len(a.Setup.People) > 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "The house is set up already. Sign in instead."}
		}
		a.SetUp = true
		d, err := a.Tx.AddDesk(a, store.Desk{Language: check.Languages[0], Name: f.Desk, Zone: f.Zone, Weekdays: bits(f.Weekdays), Country: f.Country, QuietAfter: 3, AskAfter: 28, PassBy: relay.ByHolder, Goal: 20})
		if err != nil {
			return err
		}
		if lead, err = a.Tx.AddPerson(a, store.Person{
			Name: f.Name, Initials: newsroom.Initials(f.Name), Mail: strings.ToLower(f.Mail), Password: pw, Access: relay.Lead, Does: "Leads",
			Hours: hours(f.Weekdays), Roles: []string{FirstLead}, Desks: []ref.Desk{d},
		}); err != nil {
			return err
		}
		if err := firstFormat(a, f, d, lead); err != nil {
			return err
		}
		if err := rules.UsualRules(a, d); err != nil {
			return err
		}
		a.Actor = lead
		return a.Log(store.Entry{DeskID: d, Act: "set up", What: "set up " + f.Desk})
	})
	return lead, err
}

func firstFormat(a *newsroom.Command, f FirstHouse, d ref.Desk, lead ref.Person) error {
	ch, err := a.Tx.AddChannel(a, store.Channel{DeskID: d, Name: f.Channel, Slug: strings.TrimPrefix(newsroom.Slug(f.Channel, 0), "0-")})
	if err != nil {
		return err
	}
	zone, err := time.LoadLocation(f.Zone)
	if err != nil {
		return err
	}
	var days []string
	for i, works := range f.Weekdays {
		if works {
			days = append(days, [...]string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}[i])
		}
	}
	slot := day.Slot{Rule: "FREQ=WEEKLY;BYDAY=" + strings.Join(days, ","), Start: a.Now.Date(zone), At: f.At}
	if err := slot.Check(); err != nil {
		return &relay.Refusal{Reason: relay.ErrInput, Field: "at", Text: err.Error()}
	}
	if err := a.Tx.AddSlot(a, store.Slot{ChannelID: ch, Rule: slot.Rule, Start: slot.Start, At: slot.At}); err != nil {
		return err
	}
	id, err := a.Tx.AddFormat(a, store.Format{DeskID: d, ChannelID: ch, Name: f.Format})
	if err != nil {
		return err
	}
	legs := append([]route.Leg(nil), f.Legs...)
	for i := range legs {
		legs[i].Usual = lead
	}
	r, err := route.Route{Legs: legs}.Check()
	if err != nil {
		return &relay.Refusal{Reason: relay.ErrInput, Field: "legs", Text: err.Error()}
	}
	_, err = a.Tx.AddRoute(a, store.Route{FormatID: id, Version: 1, Way: r})
	return err
}

func (f *FirstHouse) check() error {
	bad := func(field, text string) error {
		return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
	}
	for _, s := range []*string{&f.Name, &f.Mail, &f.Desk, &f.Channel, &f.Format} {
		*s = strings.TrimSpace(*s)
	}
	addr, mailErr := mail.ParseAddress(f.Mail)
	_, zoneErr := time.LoadLocation(f.Zone)
	passwordErr := account.CheckPassword(f.Password, f.Name, f.Mail, f.Desk)
	_, countryErr := day.Holidays(f.Country, 2026, 2026)
	switch {
	case f.Name == "":
		return bad("name", "Say what you are called.")
	case mailErr != nil || addr.Address != f.Mail:
		return bad("mail", "This is not a mail address like maren@example.org.")
	case f.Desk == "":
		return bad("desk", "Give the desk a name, such as that of your publication.")
	case f.Zone == "" || f.Zone == "Local" || zoneErr != nil:
		return bad("zone", "Choose a time zone written like Europe/London.")
	case f.Weekdays == (day.Weekdays{}):
		return bad("weekdays", "A desk works on at least one weekday. Tick one.")
	case countryErr != nil:
		return bad("country", countryErr.Error())
	case passwordErr != nil:
		return passwordErr
	case f.Channel == "":
		return bad("channel", "Say where pieces go out, such as Web.")
	case f.At < 0 || f.At >= 24*60:
		return bad("at", "Give the time as 08:00.")
	case f.Format == "":
		return bad("format", "Name a first kind of piece, such as Feature.")
	case len(f.Legs) == 0:
		return bad("legs", "Write at least one leg.")
	}
	return nil
}

func bits(w day.Weekdays) string {
	out := ""
	for _, works := range w {
		if works {
			out += "1"
		} else {
			out += "0"
		}
	}
	return out
}

// hours gives a seven-hour day on each weekday worked.
func hours(w day.Weekdays) string {
	var out []string
	for _, works := range w {
		if works {
			out = append(out, "420")
		} else {
			out = append(out, "0")
		}
	}
	return strings.Join(out, ",")
}
