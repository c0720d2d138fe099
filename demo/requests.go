package demo

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/request"
	"greenbaton/store"
)

// asking is a request that came in so many working days before the start, and what was
// done about it since.
type asking struct {
	days              int
	slug              string
	name, mail, title string
	wanted            day.Date
	answers           []string // by field
	back              string   // asked back
	no                string   // turned down, because
}

var askings = []asking{
	{4, "a-piece-please", "Gwen Corran", "gwen@corran.example", "Where our oats go", date(2026, 12, 11), []string{"A story", "People who buy oats and have never met a grower", "We have grown oats at Corran for sixty years and this is the first winter in which all of them stay in the county. Somebody should see the last load go.", "Print is fine too."}, "", ""},
	{3, "a-piece-please", "Huw Parry", "huw@weirside.example", "A recipe for the carol evening", date(2026, 12, 16), []string{"A recipe", "Forty people with cold hands", "Something that can be held in a glove. We bake in the village oven from four."}, "", ""},
	{2, "for-colleagues", "Dao Fennimore", "dao@millrace.example", "Put the wheel pit recording under the tide mill piece", 0, []string{"It is eleven minutes of water and one word. It wants to stand beside the piece, not after it."}, "Which of the two recordings, the low tide or the high?", ""},
	{6, "a-piece-please", "Marlo Finch", "marlo@finchfairs.example", "Ten reasons to come to the winter fair", date(2026, 12, 4), []string{"A story", "Everybody", "We would send the text."}, "", "We do not print announcements. If there is a baker at the fair with a story, tell us about her."},
}

// requests plays the forms of Millrace and what was asked by them.
func (p *player) requests() {
	lead := byInitials("MH")
	p.add(p.offset(-12, 0), func(ctx context.Context) error {
		for _, f := range []request.Form{
			{Slug: "a-piece-please", Name: "Ask Millrace for a piece", Intro: "Tell us what you have seen, baked or found out. We read everything and answer within a week.", Anyone: true, Fields: []request.Field{
				{Name: "What is it?", Kind: request.Choice, Must: true, Options: []request.Option{{Name: "A story", Format: p.kinds["Feature"].ID}, {Name: "A recipe", Format: p.kinds["Recipe"].ID}, {Name: "Something to listen to", Format: p.kinds["Audio"].ID}, {Name: "I do not know"}}},
				{Name: "For whom is it?", Kind: request.Line, Into: "audience", Help: "Who would miss it if it did not come out?"},
				{Name: "What should we know?", Kind: request.Text, Must: true, Help: "Names, places, dates, and how you know."},
				{Name: "Anything else", Kind: request.Line},
				{Name: "Pictures or papers", Kind: request.Files, Help: "Up to five, 10 MB each."},
			}},
			{Slug: "for-colleagues", Name: "Something for the desk to do", Intro: "For people of the house.", Fields: []request.Field{{Name: "What and why", Kind: request.Text, Must: true}}},
		} {
			f.DeskID, f.Open = 1, true
			if _, err := p.h.Intake.SaveForm(ctx, lead, f); err != nil {
				return err
			}
		}
		return nil
	})
	p.add(p.offset(-3, 4), func(ctx context.Context) error {
		_, err := p.h.Intake.Pitch(ctx, lead, store.Pitch{DeskID: 1, Partner: byInitials("BT"), Title: "Bread for a hundred, step by step", Format: p.kinds["Partner piece"].ID, Month: date(2027, 1, 1),
			Text: "Your harvest supper feeds a hundred from one oven. We would like to write down how, with the weights, so that a school can do it in January."})
		return err
	})
	for _, a := range askings {
		p.add(p.offset(-a.days, 2), func(ctx context.Context) error { return p.asks(ctx, lead, a) })
	}
}

func (p *player) asks(ctx context.Context, lead ref.Person, a asking) error {
	who := ref.Person(0)
	for _, x := range p.b.People {
		if x.Mail == a.mail {
			who = x.ID
		}
	}
	f, err := p.h.Intake.Form(ctx, who, a.slug)
	if err != nil {
		return err
	}
	typed := map[string]string{"who": a.name, "mail": a.mail, "title": a.title}
	if a.wanted != 0 {
		typed["wanted"] = a.wanted.String()
	}
	for i, v := range a.answers {
		typed["f"+string(rune('0'+i))] = v
	}
	x, err := f.Read(func(k string) string { return typed[k] }, nil, day.MomentOf(p.now).Date(p.zone))
	if err != nil {
		return err
	}
	if _, err := p.h.Intake.Ask(ctx, who, f, x, nil); err != nil {
		return err
	}
	all, err := store.Requests(ctx, p.h.DB.View(), "ORDER BY id DESC LIMIT 1")
	if err != nil {
		return err
	}
	switch id := all[0].ID; {
	case a.back != "":
		return p.h.Intake.AskBack(ctx, lead, id, 0, a.back)
	case a.no != "":
		return p.h.Intake.TurnDown(ctx, lead, id, 0, a.no)
	}
	return nil
}
