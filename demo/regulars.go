package demo

import (
	"context"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/regular"
	"greenbaton/core/relay"
	room "greenbaton/newsroom/regular"
	"greenbaton/store"
)

// again is a regular of the desk: a format and channel, and on which days it comes.
type again struct {
	name, title, format, channel, owner, leg, runs string
	ahead                                          int
	rule                                           regular.Rule
}

// year is the year of the demo's regulars.
var year = regular.Rule{Every: 1, From: date(2026, 1, 5), To: date(2026, 12, 31)}

// weeks gives a rule for a weekday every so many weeks, from a day.
func weeks(on time.Weekday, every int, from day.Date) regular.Rule {
	r := year
	r.Kind, r.Every, r.From = regular.Weekly, every, from
	r.Days[on] = true
	return r
}

var regulars = []again{
	{"Tuesday letter", "Grain notes, no. {n}", "Letter", "letter", "AB", "", "", 2, weeks(time.Tuesday, 1, date(2026, 1, 6))},
	{"Friday recipe", "Friday loaf {n}", "Recipe", "web", "AB", "bake", "PV", 3, weeks(time.Friday, 1, date(2026, 1, 9))},
	{"Night ovens", "Night ovens {n}", "Audio", "audio", "DF", "", "", 4, weeks(time.Thursday, 2, date(2026, 1, 8))},
	{"Mill of the month", "Mill of the month: {month}", "Feature", "web", "AB", "draft", "YL", 5, func() regular.Rule {
		r := year
		r.Kind, r.Nth, r.Weekday, r.To, r.Rests = regular.Nth, 1, time.Monday, 0, day.After
		return r
	}()},
}

// recurring sets up what comes again and again. What went out on such days this year, and what
// is under way for coming ones, is of it.
func (p *player) recurring() {
	p.add(day.MomentOf(Start)-50, func(ctx context.Context) error {
		entries, err := p.h.Pieces(ctx, p.h.Now())
		if err != nil {
			return err
		}
		today := day.MomentOf(Start).Date(p.zone)
		for _, x := range regulars {
			r := store.Regular{DeskID: p.b.Desks[0].ID, Name: x.name, Title: x.title, At: -1, Ahead: x.ahead, Since: today, MadeDay: today - 1, NextN: 1, Owner: byInitials(x.owner)}
			for _, f := range p.b.Formats {
				if f.Name == x.format {
					r.FormatID = f.ID
				}
			}
			for _, c := range p.b.Channels {
				if c.Slug == x.channel {
					r.ChannelID = c.ID
				}
			}
			people := map[string]ref.Person{}
			if x.leg != "" {
				people[x.leg] = byInitials(x.runs)
			}
			if r, err = room.Encoded(r, x.rule, people); err != nil {
				return err
			}
			of := map[day.Date]ref.Piece{}
			for _, e := range entries {
				if e.FormatID == r.FormatID && e.ChannelID == r.ChannelID && e.Stage != relay.Withdrawn {
					of[max(e.OutAt, e.GoesOut).Date(p.zone)] = e.ID
				}
			}
			if err := p.h.DB.Write(ctx, func(t *store.Tx) error { return p.known(ctx, t, r, x.rule, of, today) }); err != nil {
				return err
			}
		}
		return nil
	})
}

// steps writes down what is to be done beside the legs of pieces.
func (p *player) steps() {
	p.add(day.MomentOf(Start)-45, func(ctx context.Context) error {
		for _, x := range []struct {
			piece, text, by, who string
			on                   day.Date
			hours                int
		}{
			{"The last tide mill on the Severn", "Ask Joan Arkell for the lease", "MH", "YL", date(2026, 11, 25), 0},
			{"The last tide mill on the Severn", "Hire the boat for pictures", "MH", "RA", date(2026, 11, 27), 2},
			{"Six ovens, one village", "Send two copies to Brindle Cross", "MH", "MH", date(2026, 11, 26), 0},
			{"How a stone is dressed", "Send Col Webb his bills back", "PV", "PV", date(2026, 11, 23), 0},
		} {
			id, err := p.titled(ctx, x.piece)
			if err != nil {
				return err
			}
			if _, err := p.h.Planning.SaveOwnStep(ctx, byInitials(x.by), store.OwnStep{PieceID: id, Text: x.text, PersonID: byInitials(x.who), Day: x.on, Minutes: 60 * x.hours}); err != nil {
				return err
			}
		}
		return nil
	})
}

// known stores a regular with what is of it already.
func (p *player) known(ctx context.Context, t *store.Tx, r store.Regular, rule regular.Rule, of map[day.Date]ref.Piece, today day.Date) error {
	id, err := t.SaveRegular(ctx, r)
	if err != nil {
		return err
	}
	r.ID = id
	for _, c := range rule.Between(rule.From, today+7*5, p.b.FreeOf(r.DeskID)) {
		if of[c.On] == 0 || c.Out {
			continue
		}
		if err := t.PutRegularDate(ctx, store.RegularDate{RegularID: id, Key: c.Key, State: store.RegularMade, PieceID: of[c.On], N: r.NextN}); err != nil {
			return err
		}
		r.NextN++
	}
	if r.Name == "Tuesday letter" {
		r.NextN = 106 // the letters of last year were counted too
	}
	_, err = t.SaveRegular(ctx, r)
	return err
}
