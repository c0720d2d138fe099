// Package sift says which pieces a view shows, and in which order: every fact of a
// piece is a column, and a view is written as an address such as
//
//	pace=short,no room & due=..+3 & format=!2 & sort=due,-priority
//
// A column takes one or several values with commas, any of which fits; a leading !
// turns it round. Numbers and dates take a value or a span with two dots, open at
// either end; dates are written like 2026-12-03, as days from today like +3 and
// -7, or as words like next week. "none" is what has no value, "any" what has one.
package sift

import (
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/field"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Facts is a piece as it is sifted.
type Facts struct {
	*relay.Piece
	Low     string // the title in small letters
	Pace    plan.Pace
	InHand  int // working days
	Quiet   int // working days
	IsQuiet bool
	Open    bool
	NextDue day.Date
	Today   day.Date             // on its desk
	Values  map[ref.Field]string // what is filled in, by extra field
}

// Kind is the kind of values a column has.
type Kind string

// The kinds of columns.
const (
	Text   Kind = "text"
	Number Kind = "number"
	Date   Kind = "date"  // sifted by day
	Named  Kind = "named" // something with a name, by its id
	Choice Kind = "choice"
	Yes    Kind = "yes"
)

// Column is one fact of a piece.
type Column struct {
	Key   string
	Name  string
	Kind  Kind
	Field ref.Field                    // the extra field, or 0
	Names func(id int64) string        // of Named: how it is called
	texts func(*Facts, func(string))   // of Text and Choice: each of its values
	num   func(*Facts) (float64, bool) // of Number and Date; a date in days
	ids   func(*Facts, func(int64))    // of Named: each of its values
	yes   func(*Facts) bool            // of Yes
	rank  func(*Facts) int             // of a Choice with an order of its own
}

// Zone turns moments into days of a desk.
type Zone func(day.Moment) day.Date

// Source is what the columns of a desk need to know of it.
type Source struct {
	Zone   Zone
	Name   func(of string, id int64) string // of "format", "channel", "campaign", "topic", "person" and "desk"
	Fields []Extra
}

// Extra is an extra field as a column.
type Extra struct {
	ID   ref.Field
	Name string
	Kind field.Kind
}

// paceRank orders paces from bad to good.
var paceRank = []plan.Pace{plan.Short, plan.NoRoom, plan.InHand, plan.Ready, plan.Unplaced, plan.Out, plan.Withdrawn}

// Columns gives all facts of a piece in a house, the extra fields last.
func Columns(h Source) []Column {
	date := func(m func(*Facts) day.Moment) func(*Facts) (float64, bool) {
		return func(f *Facts) (float64, bool) {
			at := m(f)
			if at == 0 {
				return 0, false
			}
			return float64(h.Zone(at)) + float64(at%86400)/86400, true // a fraction for the order within a day
		}
	}
	whole := func(n func(*Facts) int) func(*Facts) (float64, bool) {
		return func(f *Facts) (float64, bool) { return float64(n(f)), true }
	}
	named := func(key, name, of string, ids func(*Facts, func(int64))) Column {
		return Column{Key: key, Name: name, Kind: Named, ids: ids, Names: func(id int64) string { return h.Name(of, id) }}
	}
	out := []Column{
		{Key: "number", Name: "No.", Kind: Number, num: whole(func(f *Facts) int { return f.Number })},
		{Key: "title", Name: "Piece", Kind: Text, texts: func(f *Facts, put func(string)) { put(f.Title) }},
		named("format", "Format", "format", one(func(f *Facts) ref.Format { return f.FormatID })),
		named("channel", "Channel", "channel", one(func(f *Facts) ref.Channel { return f.ChannelID })),
		named("topic", "Topic", "topic", one(func(f *Facts) ref.Topic { return f.TopicID })),
		named("campaign", "Campaign", "campaign", one(func(f *Facts) ref.Campaign { return f.CampaignID })),
		named("desk", "Desk", "desk", one(func(f *Facts) ref.Desk { return f.DeskID })),
		named("who", "Who has it", "person", holders),
		named("owner", "Owner", "person", one(func(f *Facts) ref.Person { return f.Owner })),
		named("person", "Theirs", "person", theirs),
		{Key: "leg", Name: "Leg", Kind: Choice, texts: running},
		{Key: "pace", Name: "Pace", Kind: Choice, texts: paces, rank: func(f *Facts) int { return slices.Index(paceRank, f.Pace)*10_000 + f.InHand }},
		{Key: "hand", Name: "Days in hand", Kind: Number, num: inHand},
		{Key: "priority", Name: "Priority", Kind: Choice, texts: func(f *Facts, put func(string)) { put(strconv.Itoa(int(f.Priority))) }, rank: func(f *Facts) int { return -int(f.Priority) }},
		{Key: "tags", Name: "Tags", Kind: Choice, texts: func(f *Facts, put func(string)) { eachOf(f.Tags, ",", put) }},
		{Key: "due", Name: "Due", Kind: Date, num: func(f *Facts) (float64, bool) { return float64(f.NextDue), f.NextDue != 0 }},
		{Key: "out", Name: "Goes out", Kind: Date, num: date(func(f *Facts) day.Moment { return f.GoesOut })},
		{Key: "went", Name: "Went out", Kind: Date, num: date(func(f *Facts) day.Moment { return f.OutAt })},
		{Key: "made", Name: "Made", Kind: Date, num: date(func(f *Facts) day.Moment { return f.CreatedAt })},
		{Key: "left", Name: "Hours left", Kind: Number, num: left},
		{Key: "overdue", Name: "Overdue", Kind: Yes, yes: func(f *Facts) bool { return f.Stage == relay.UnderWay && f.NextDue != 0 && f.NextDue < f.Today }},
		{Key: "quiet", Name: "Quiet", Kind: Yes, yes: func(f *Facts) bool { return f.IsQuiet }},
		{Key: "open", Name: "Nobody has it", Kind: Yes, yes: func(f *Facts) bool { return f.Open }},
		{Key: "back", Name: "Came back", Kind: Yes, yes: cameBack},
	}
	for _, x := range h.Fields {
		out = append(out, extra(x))
	}
	return out
}

// one gives the value of a column that has at most one.
func one[T ~int64](id func(*Facts) T) func(*Facts, func(int64)) {
	return func(f *Facts, put func(int64)) {
		if x := id(f); x != 0 {
			put(int64(x))
		}
	}
}

func holders(f *Facts, put func(int64)) {
	for i := range f.Legs {
		if l := &f.Legs[i]; l.State == relay.Running && l.Holder != 0 {
			put(int64(l.Holder))
		}
	}
}

// theirs gives who owns a piece, and who holds, held or will hold a leg of it.
func theirs(f *Facts, put func(int64)) {
	put(int64(f.Owner))
	for i := range f.Legs {
		if l := &f.Legs[i]; l.State != relay.Skipped && l.Holder != 0 {
			put(int64(l.Holder))
		}
	}
}

func running(f *Facts, put func(string)) {
	for i := range f.Legs {
		if f.Legs[i].State == relay.Running {
			put(f.Legs[i].Name)
		}
	}
}

// paces gives the pace of a piece and the words that go beside it.
func paces(f *Facts, put func(string)) {
	put(string(f.Pace))
	if f.Stage == relay.UnderWay {
		put("running")
		if f.MissedAt != 0 && f.MissedAt == f.GoesOut {
			put("missed")
		}
	}
	if f.IsQuiet {
		put("quiet")
	}
	if f.Open {
		put("open")
	}
}

func inHand(f *Facts) (float64, bool) {
	ok := f.Pace == plan.Short || f.Pace == plan.NoRoom || f.Pace == plan.InHand
	return float64(f.InHand), ok
}

// Of gives a column of numbers that are known of some pieces.
func Of(key, name string, number func(ref.Piece) (float64, bool)) Column {
	return Column{Key: key, Name: name, Kind: Number, num: func(f *Facts) (float64, bool) { return number(f.ID) }}
}

// left gives the hours of work that are left in a piece.
func left(f *Facts) (float64, bool) {
	sum := 0
	for i := range f.Legs {
		sum += f.Legs[i].Remaining()
	}
	return float64(sum) / 60, f.Stage == relay.UnderWay
}

func cameBack(f *Facts) bool {
	return slices.ContainsFunc(f.Legs, func(l relay.Leg) bool { return l.State == relay.Running && l.Rework > 0 })
}

// extra gives an extra field as a column.
func extra(x Extra) Column {
	c := Column{Key: "x" + strconv.FormatInt(int64(x.ID), 10), Name: x.Name, Field: x.ID, Kind: Choice}
	c.texts = func(f *Facts, put func(string)) { eachOf(f.Values[x.ID], "\n", put) }
	switch x.Kind {
	case field.Number, field.Money:
		c.Kind = Number
		c.num = func(f *Facts) (float64, bool) {
			n, err := strconv.ParseFloat(f.Values[x.ID], 64)
			return n, err == nil
		}
	case field.Date:
		c.Kind = Date
		c.num = func(f *Facts) (float64, bool) {
			d, err := day.ParseDate(f.Values[x.ID])
			return float64(d), err == nil
		}
	case field.Text, field.Address:
		c.Kind = Text
	}
	return c
}

// eachOf gives each of the values written in one text.
func eachOf(s, sep string, put func(string)) {
	for s != "" {
		var v string
		v, s, _ = strings.Cut(s, sep)
		put(v)
	}
}
