package demo

import (
	"context"
	"fmt"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/fee"
	"greenbaton/core/field"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// Password is that of everybody in the demo.
const Password = "millrace-demo"

// Zone is where Millrace is.
const Zone = "Europe/London"

// Start is the moment at which the demo begins: Tuesday 24 November 2026, 09:42 in London.
var Start = time.Date(2026, 11, 24, 9, 42, 0, 0, time.UTC)

// person is a person of Millrace, named by the initials in the scripts.
type person struct {
	initials, name, mail, does string
	access                     relay.Access
	roles                      []string
	minutes                    int
	week                       day.Weekdays
}

var monToThu = day.Weekdays{false, true, true, true, true, false, false}

var people = []person{
	{"MH", "Maren Holt", "maren@millrace.example", "Leads", relay.Lead, []string{"lead", "edit"}, 360, day.MondayToFriday},
	{"AB", "Adaeze Brandt", "adaeze@millrace.example", "Edits", relay.Staff, []string{"edit", "write"}, 360, day.MondayToFriday},
	{"YL", "Yusuf Lindqvist", "yusuf@millrace.example", "Writes", relay.Staff, []string{"write"}, 360, day.MondayToFriday},
	{"PV", "Petra Vance", "petra@vance.example", "Writes, freelance", relay.Freelance, []string{"write"}, 240, monToThu},
	{"HM", "Hollis Mbeki", "hollis@millrace.example", "Copy editor", relay.Staff, []string{"copy edit", "release"}, 360, day.MondayToFriday},
	{"RA", "Ruth Ainsley", "ruth@millrace.example", "Pictures", relay.Staff, []string{"pictures", "bake"}, 360, day.MondayToFriday},
	{"DF", "Dao Fennimore", "dao@millrace.example", "Audio", relay.Staff, []string{"audio", "pictures"}, 300, day.MondayToFriday},
	{"SP", "Sian Prowse", "sian@prowse.example", "Welsh translation", relay.Freelance, []string{"welsh"}, 180, day.MondayToFriday},
	{"BT", "Bram Tollet", "bram@oldweir.example", "At Old Weir Co-op", relay.Outside, []string{"partner"}, 120, day.MondayToFriday},
}

var absences = []struct {
	who, note string
	from, to  day.Date
}{
	{"RA", "holiday", date(2026, 12, 1), date(2026, 12, 3)},
	{"PV", "teaching", date(2026, 11, 26), date(2026, 11, 26)},
	{"AB", "summer", date(2026, 8, 3), date(2026, 8, 14)},
	{"YL", "summer", date(2026, 7, 20), date(2026, 7, 31)},
	{"MH", "summer", date(2025, 8, 11), date(2025, 8, 22)},
	{"HM", "winter", date(2026, 2, 16), date(2026, 2, 20)},
	{"SP", "Eisteddfod", date(2026, 8, 1), date(2026, 8, 8)},
}

var holidays = []store.Holiday{
	{Date: date(2025, 12, 29), Name: "House closed"}, {Date: date(2025, 12, 30), Name: "House closed"}, {Date: date(2025, 12, 31), Name: "House closed"},
	{Date: date(2026, 9, 14), Name: "Mill open day"},
	{Date: date(2026, 12, 29), Name: "House closed"}, {Date: date(2026, 12, 30), Name: "House closed"}, {Date: date(2026, 12, 31), Name: "House closed"},
}

var channels = []struct {
	name, slug, rule string
	at               int
}{
	{"Web", "web", "FREQ=WEEKLY;BYDAY=MO,WE,TH,FR", 8 * 60},
	{"Letter", "letter", "FREQ=WEEKLY;BYDAY=TU", 7*60 + 30},
	{"Audio", "audio", "FREQ=WEEKLY;INTERVAL=2;BYDAY=TH", 6 * 60},
	{"Old Weir", "old-weir", "FREQ=WEEKLY;BYDAY=TH", 10 * 60},
	{"Tern School", "tern-school", "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO", 10 * 60},
}

// ownWords are spelt right at Millrace.
const ownWords = "Skelder\nleat\npenstock\nquern\nbolter\nsourdough\nWeir\nhopperboy\nco-op"

// houseStyle is what Millrace says otherwise.
const houseStyle = "utilize → use (it is shorter)\nvery unique → unique\nartisanal → made by hand (say who, and how)\nmouth-watering →\nwater wheel → waterwheel"

// firstSlot is the Thursday from which every second one has audio.
var firstSlot = date(2024, 11, 28)

// leg writes a leg of a route: hours of effort, usual person by initials.
func leg(key, name, role, usual string, days, least, hours int, after ...string) route.Leg {
	return route.Leg{Key: key, Name: name, Role: role, Usual: byInitials(usual), Allowance: days, Least: least, Effort: hours * 60, After: after}
}

func byInitials(s string) ref.Person {
	for i, p := range people {
		if p.initials == s {
			return ref.Person(i + 1)
		}
	}
	return 0
}

func must(l route.Leg, text string) route.Leg {
	l.Steps = append(l.Steps, route.Step{Text: text, Must: true})
	return l
}

func also(l route.Leg, texts ...string) route.Leg {
	for _, t := range texts {
		l.Steps = append(l.Steps, route.Step{Text: t})
	}
	return l
}

// beside lets a leg overlap with what it waits for when time is short.
func beside(l route.Leg) route.Leg { l.Beside = true; return l }

// asks makes a leg ask for fields.
func asks(l route.Leg, fields ...string) route.Leg { l.Requires = fields; return l }

// by says for which role a leg's last step is, and how many days before it is due.
func by(l route.Leg, role string, days int) route.Leg {
	s := &l.Steps[len(l.Steps)-1]
	s.Role, s.Before = role, days
	return l
}

func written(l route.Leg) route.Leg { l.Words = true; return l }

// besideCopy is a leg in which nobody writes.
func besideCopy(l route.Leg) route.Leg { l.Proposes = true; return l }

// signs is a leg whose passing signs the copy off.
func signs(l route.Leg) route.Leg { l.SignOff = true; return l }

// when runs a leg only if a field has a value.
func when(l route.Leg, field, is string) route.Leg {
	l.Skip, l.When, l.Is = route.SkipUnless, field, is
	return l
}

func skip(l route.Leg, s route.Skip) route.Leg { l.Skip = s; return l }

// fields are the extra fields of the formats, by the name of the format.
var fields = map[string][]store.Field{
	"Feature": {
		{Key: "shorttitle", Name: "Short title", Kind: field.Text, Help: "As it stands in lists and at the foot of a page"},
		{Key: "series", Name: "Series", Kind: field.One, Choices: "Winter on the water\nPeople of the mill\nNone"},
	},
	"Recipe": {{Key: "serves", Name: "Serves", Kind: field.Number}},
	"Audio":  {{Key: "episode", Name: "Episode", Kind: field.Number}},
	"Partner piece": {
		{Key: "welshedition", Name: "Welsh edition", Kind: field.Yes, Help: "Yes brings the Welsh leg"},
		{Key: "agreedfee", Name: "Agreed fee", Kind: field.Money},
		{Key: "finaladdress", Name: "Final address", Kind: field.Address},
	},
}

type kind struct {
	name, channel string
	from, to      int // words
	legs          []route.Leg
}

var kinds = []kind{
	{"Feature", "web", 900, 1400, []route.Leg{
		leg("brief", "Brief", "lead", "MH", 1, 1, 1),
		written(also(must(leg("draft", "Draft", "write", "YL", 5, 3, 10, "brief"), "Names checked against the notes"), "Sources listed under the copy")),
		asks(also(leg("edit", "Edit", "edit", "MH", 2, 1, 3, "draft"), "Read aloud once", "First paragraph says what it is about"), "shorttitle"),
		by(also(besideCopy(beside(must(leg("pictures", "Pictures", "pictures", "RA", 2, 1, 4, "edit"), "Lead picture has its text alternative"))), "Captions read by the writer"), "write", 1),
		leg("copyedit", "Copy edit", "copy edit", "HM", 2, 1, 3, "edit"),
		signs(leg("signoff", "Sign-off", "lead", "MH", 1, 1, 1, "pictures", "copyedit")),
		must(leg("release", "Release", "release", "HM", 1, 0, 1, "signoff"), "Description written"),
	}},
	{"Recipe", "web", 350, 600, []route.Leg{
		leg("brief", "Brief", "edit", "AB", 1, 0, 1),
		must(leg("bake", "Bake test", "bake", "RA", 3, 2, 6, "brief"), "Weights written down as baked"),
		written(leg("writeup", "Write-up", "write", "PV", 2, 1, 4, "bake")),
		besideCopy(leg("pictures", "Pictures", "pictures", "RA", 2, 1, 3, "bake")),
		also(leg("copyedit", "Copy edit", "copy edit", "HM", 1, 1, 2, "writeup", "pictures"), "Weights compared with the bake test"),
		leg("release", "Release", "release", "HM", 0, 0, 1, "copyedit"),
	}},
	{"Letter", "letter", 250, 450, []route.Leg{
		leg("brief", "Brief", "lead", "MH", 0, 0, 1),
		written(leg("draft", "Draft", "write", "AB", 3, 2, 4, "brief")),
		also(leg("edit", "Edit", "edit", "MH", 1, 1, 1, "draft"), "Links opened"),
		leg("release", "Release", "release", "HM", 0, 0, 1, "edit"),
	}},
	{"Audio", "audio", 500, 900, []route.Leg{
		written(leg("script", "Script", "write", "YL", 4, 2, 6)),
		leg("record", "Recording", "audio", "DF", 2, 1, 5, "script"),
		also(leg("cut", "Cut", "audio", "DF", 3, 2, 8, "record"), "Levels even"),
		skip(leg("listen", "Second listen", "edit", "AB", 1, 0, 1, "cut"), route.SkipMay),
		signs(leg("signoff", "Sign-off", "lead", "MH", 1, 1, 1, "listen")),
		leg("release", "Release", "release", "HM", 1, 0, 1, "signoff"),
	}},
	{"Partner piece", "old-weir", 400, 800, []route.Leg{
		leg("pitch", "Pitch", "partner", "BT", 2, 1, 1),
		written(leg("draft", "Draft", "write", "AB", 4, 2, 8, "pitch")),
		leg("edit", "Edit", "edit", "MH", 2, 1, 3, "draft"),
		when(beside(leg("welsh", "Welsh", "welsh", "SP", 3, 2, 6, "edit")), "welshedition", "yes"),
		signs(leg("yes", "Their yes", "partner", "BT", 3, 1, 1, "welsh")),
		leg("release", "Release", "release", "HM", 1, 0, 1, "yes"),
	}},
}

// topics are what Millrace writes about, with the pieces aimed at in four weeks.
var topics = []store.Topic{{Name: "Milling", Target: 4}, {Name: "Grain", Target: 4}, {Name: "Baking", Target: 5}, {Name: "People", Target: 3}}

var campaigns = []store.Campaign{
	{Name: "Harvest 2026", Goal: "What the summer brought in, from the field to the first loaf.", FromDay: date(2026, 8, 3), ToDay: date(2026, 9, 30), Target: 8},
	{Name: "Winter on the water", Goal: "Tide mills, weirs and leats for readers who have never seen a wheel turn.", FromDay: date(2026, 11, 2), ToDay: date(2026, 12, 18), Target: 9},
	{Name: "Schools bake", Goal: "Old Weir and Tern Bakery School show what a school kitchen can do.", FromDay: date(2026, 11, 23), ToDay: date(2027, 1, 29), Target: 6},
}

// setUp stores the desk, its people and what they work by.
func setUp(ctx context.Context, h *rooms.Newsroom) error {
	pw, err := account.HashPassword(Password)
	if err != nil {
		return err
	}
	err = h.DB.Write(ctx, func(t *store.Tx) error {
		d, err := t.AddDesk(ctx, store.Desk{Language: "en-GB", OwnWords: ownWords, HouseStyle: houseStyle, Name: "Millrace", Zone: Zone, Weekdays: "0111110", Country: "gb", QuietAfter: 3, AskAfter: 28, PassBy: relay.ByHolder, Goal: 20, HoldMost: 6, LoseAfter: 5, Money: "£", Currency: "GBP", Rounding: fee.Even, UnusedShare: 50, PayWithin: 30})
		if err != nil {
			return err
		}
		for _, x := range holidays {
			x.DeskID = d
			if err := t.AddHoliday(ctx, x); err != nil {
				return err
			}
		}
		for _, p := range people {
			if _, err := t.AddPerson(ctx, store.Person{
				Name: p.name, Initials: p.initials, Mail: p.mail, Password: pw, Access: p.access, Does: p.does,
				Hours: hoursOf(p), Roles: p.roles, Desks: []ref.Desk{d},
			}); err != nil {
				return err
			}
		}
		for _, a := range absences {
			if _, err := t.AddAbsence(ctx, store.Absence{PersonID: byInitials(a.who), FromDay: a.from, ToDay: a.to, Note: a.note}); err != nil {
				return err
			}
		}
		for _, x := range topics {
			x.DeskID = d
			if _, err := t.SaveTopic(ctx, x); err != nil {
				return err
			}
		}
		for _, x := range campaigns {
			x.DeskID = d
			if _, err := t.SaveCampaign(ctx, x); err != nil {
				return err
			}
		}
		return setUpFormats(ctx, t, d)
	})
	h.Forget()
	return err
}

// alsoOn are the channels, beside the usual one, on which pieces of a format can go out.
var alsoOn = map[string][]string{"Feature": {"letter"}, "Recipe": {"letter"}, "Partner piece": {"old-weir", "tern-school"}}

func setUpFormats(ctx context.Context, t *store.Tx, d ref.Desk) error {
	bySlug := map[string]ref.Channel{}
	for _, c := range channels {
		id, err := t.AddChannel(ctx, store.Channel{DeskID: d, Name: c.name, Slug: c.slug})
		if err != nil {
			return err
		}
		bySlug[c.slug] = id
		if err := t.AddSlot(ctx, store.Slot{ChannelID: id, Rule: c.rule, Start: firstSlot, At: c.at}); err != nil {
			return err
		}
	}
	for _, k := range kinds {
		on := []string{fmt.Sprint(bySlug[k.channel])}
		for _, slug := range alsoOn[k.name] {
			on = append(on, fmt.Sprint(bySlug[slug]))
		}
		f, err := t.AddFormat(ctx, store.Format{DeskID: d, ChannelID: bySlug[k.channel], Channels: strings.Join(on, ","), Name: k.name, WordsFrom: k.from, WordsTo: k.to})
		if err != nil {
			return err
		}
		for i, x := range fields[k.name] {
			x.FormatID, x.Position = f, i
			if _, err := t.AddField(ctx, x); err != nil {
				return err
			}
		}
		way, err := route.Route{Legs: k.legs}.Check()
		if err != nil {
			return fmt.Errorf("route of %s: %w", k.name, err)
		}
		if _, err := t.AddRoute(ctx, store.Route{FormatID: f, Version: 1, Way: way}); err != nil {
			return err
		}
	}
	return nil
}

func hoursOf(p person) string {
	out := ""
	for i, works := range p.week {
		if i > 0 {
			out += ","
		}
		if works {
			out += fmt.Sprint(p.minutes)
		} else {
			out += "0"
		}
	}
	return out
}

func date(y int, m time.Month, d int) day.Date { return day.NewDate(y, m, d) }
