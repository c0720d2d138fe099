package demo

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// asked is what a format of Millrace asks of a brief.
type asked struct {
	must, ask []string
	titled    bool
	outline   brief.Outline
	guide     []string // each version, headings beginning with "# "
	example   string   // the title of a piece
}

var briefs = map[string]asked{
	"Feature": {
		must: []string{"angle", "audience"}, ask: []string{"goal", "headings", "phrase", "musts", "call", "next", "like", "links"},
		outline: brief.Outline{
			{Advice: "Open on a person at work. No year before the second paragraph."},
			{Heading: "What is at stake", Advice: "Say in one paragraph why this cannot wait a year."},
			{Heading: "How it works", Advice: "Explain the machine to somebody who has never stood in a mill."},
			{Heading: "Who keeps it going", Advice: "Names, ages, hours. Let them speak in whole sentences."},
			{Heading: "What comes next", Advice: "End on what happens after the reader has closed the page."},
		},
		guide: []string{
			"# What a feature is\nOne place, one person, one question that a reader carries to the end.\n# How it is written\nPresent tense for what you saw, past for what you were told.\nEvery figure has its source in the notes.",
			"# What a feature is\nOne place, one person, one question that a reader carries to the end. It is not a history with people in it.\n# How it is written\nPresent tense for what you saw, past for what you were told.\nEvery figure has its source in the notes, and every name is spelt by the one who bears it.\n# What goes back\nA first paragraph about the weather. A wheel that stands for something.",
		},
		example: "Bread without a mill",
	},
	"Recipe": {
		must: nil, ask: []string{"audience", "items", "musts", "next", "like"},
		outline: brief.Outline{
			{Advice: "Two sentences: what it tastes of, and how long it takes with hands off."},
			{Heading: "You need", Advice: "Weights in grams, as baked. Nothing that is not used below."},
			{Heading: "How to bake it", Advice: "One thing a step. Say what it looks like when it is right."},
			{Heading: "If it goes wrong", Advice: "The one mistake everybody makes, and what to do then."},
		},
		guide: []string{"# Before you write\nIt was baked twice by somebody else.\n# The text\nGrams, not cups. Degrees for a domestic oven, and the sign by which one knows without a clock."},
	},
	"Letter": {
		ask:     []string{"goal", "items", "call", "next"},
		outline: brief.Outline{{Advice: "Greet nobody. Begin with what happened this week."}, {Heading: "From the oven", Advice: "One recipe, three sentences."}, {Heading: "For the diary", Advice: "One date, one place, how to get in."}},
		guide:   []string{"# The letter\nWritten by one person to one person. Three things, none of them longer than a minute."},
	},
	"Audio":         {ask: []string{"angle", "audience", "musts", "links"}, titled: true, guide: []string{"# For the ear\nIf a sentence needs a comma to be understood, it is two sentences."}},
	"Partner piece": {ask: []string{"angle", "audience", "goal", "musts", "call"}, guide: []string{"# In their name\nTheir words, our care. They read every line before it goes, so nothing in it may surprise them."}},
}

// guideText makes a guide of lines, of which headings begin with "# ".
func guideText(s string) copy.Text {
	var t copy.Text
	for _, l := range brief.Lines(s) {
		if l[:2] == "# " {
			t = append(t, copy.Op{Insert: l[2:]}, copy.Op{Insert: "\n", Attributes: copy.Set("header", 2)})
			continue
		}
		t = append(t, copy.Op{Insert: l + "\n"})
	}
	return t
}

// told is what stands in the brief of a piece, and what was prepared for it.
type told struct {
	title    string
	days     int // working days before the start
	answers  map[string]string
	later    map[string]string // changed once the writing had begun
	titles   []string          // "by: title", the votes of others behind a bar
	research []string          // "by: note", with a link behind a bar; "> by: comment" on the one before
}

var writtenBriefs = []told{
	{
		"The last tide mill on the Severn", 8,
		map[string]string{
			"angle": "Not the mill’s past: the eleven years left on the lease, and who decides what happens then.", "audience": "Readers who have never seen a mill work and would like to.",
			"goal": "They know what a tide does for a miller, and when they can see it.", "headings": "4", "phrase": "tide mill", "musts": "Joan Arkell in her own words\nThe lease, read and not retold\nHow long one tide grinds",
			"call": "Come on 12 December, when the sluice is opened for visitors.", "links": "https://archive.millrace.example/skelder-pill",
		},
		map[string]string{"musts": "Joan Arkell in her own words\nThe lease, read and not retold\nHow long one tide grinds\nWhat the harbour board answered on Friday"},
		[]string{"YL: The last tide mill on the Severn|MH,AB", "MH: Twice a day, if the moon allows|RA"},
		[]string{"YL: Joan has the lease in her drawer; clause nine is about the sluice.|", "> MH: Quote it. Do not explain it.", "MH: Tide tables for the week of the pictures.|https://tides.millrace.example/skelder"},
	},
	{
		"How a stone is dressed", 12, map[string]string{"angle": "A day’s work that no machine has taken over, told stroke by stroke.", "audience": "People who work with their hands at something else.", "headings": "3", "musts": "The two bills, and which is which\nHow many strokes a minute", "like": "No. 12"}, nil,
		nil, []string{"PV: Col counts under his breath. Sixty to the minute before noon.|"},
	},
	{
		"Bolting cloth, thread by thread", 2, map[string]string{"goal": "They look at a bag of flour and see a sieve.", "links": "https://archive.millrace.example/silk"}, nil,
		[]string{"YL: Bolting cloth, thread by thread|", "MH: What holds the bran back|AB,YL", "AB: Finer than a hair, and mended by lamplight|"},
		[]string{"AB: A mill in Corran still has a roll of the silk. They would cut us a hand’s breadth.|", "MH: The price list of 1911 names nine finenesses.|https://archive.millrace.example/silk"},
	},
	{"Sourdough after a flood", 3, map[string]string{"angle": "The starter survived; the bakery did not.", "audience": "Anybody who has kept something alive."}, nil, []string{"YL: The starter was on the top shelf|MH,DF", "DF: After the water|"}, nil},
	{"Winter bread letter", 1, map[string]string{"goal": "They bake on Sunday.", "items": "3", "call": "Put 12 December into the diary."}, nil, nil, nil},
}

// briefing plays what formats ask of briefs, their guides, and what is in some briefs.
func (p *player) briefing() {
	lead := byInitials("MH")
	for _, f := range p.b.Formats {
		x := briefs[f.Name]
		form := func(strict bool) brief.Form {
			var out brief.Form
			for _, k := range x.must {
				out = append(out, brief.Asked{Key: k, Must: strict})
			}
			for _, k := range x.ask {
				out = append(out, brief.Asked{Key: k})
			}
			return out
		}
		p.add(p.offset(-6, 0), func(ctx context.Context) error {
			return p.h.Settings.SaveFormatBrief(ctx, lead, f.ID, form(false), false, x.outline)
		})
		p.add(day.MomentOf(Start)-600, func(ctx context.Context) error {
			return p.h.Settings.SaveFormatBrief(ctx, lead, f.ID, form(true), x.titled, x.outline)
		})
		for v, text := range x.guide {
			p.add(p.offset(-30+27*v, 1), func(ctx context.Context) error {
				var example ref.Piece
				if x.example != "" && v > 0 {
					var err error
					if example, err = p.titled(ctx, x.example); err != nil {
						return err
					}
				}
				_, err := p.h.Settings.SaveGuide(ctx, lead, f.ID, v, guideText(text).JSON(), example)
				return err
			})
		}
	}
	for _, w := range writtenBriefs {
		p.told(w)
	}
	p.add(day.MomentOf(Start)-900, func(ctx context.Context) error {
		id, err := p.titled(ctx, "Bolting cloth, thread by thread")
		if err != nil {
			return err
		}
		return p.h.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: id, Leg: "draft", To: []ref.Person{byInitials("PV"), byInitials("AB")}, Fee: 18_000})
	})
}

// titled finds the piece of a title.
func (p *player) titled(ctx context.Context, title string) (ref.Piece, error) {
	var id ref.Piece
	err := p.h.DB.View().Get(ctx, &id, "SELECT id FROM piece WHERE title = ?", title)
	return id, err
}

func (p *player) told(w told) {
	edit := func(answers map[string]string) func(context.Context) error {
		return func(ctx context.Context) error {
			id, err := p.titled(ctx, w.title)
			if err != nil {
				return fmt.Errorf("the brief of %s: %w", w.title, err)
			}
			row, err := store.Piece(ctx, p.h.DB.View(), id)
			if err != nil {
				return err
			}
			all := map[string]string{}
			for k, v := range w.answers {
				all[k] = v
			}
			for k, v := range answers {
				all[k] = v
			}
			return p.h.Planning.EditBrief(ctx, row.Owner, id, 0, planning.Brief{Title: row.Title, Brief: row.Brief, Summary: row.Summary, WordsFrom: row.WordsFrom, WordsTo: row.WordsTo, Owner: row.Owner, Answers: all})
		}
	}
	p.add(p.offset(-w.days, 0), edit(nil))
	if w.later != nil {
		p.add(p.offset(-1, 6), edit(w.later))
	}
	p.add(p.offset(min(-w.days+2, -1), 5), func(ctx context.Context) error { return p.prepared(ctx, w) })
}

// prepared plays the titles and the research of a piece.
func (p *player) prepared(ctx context.Context, w told) error {
	id, err := p.titled(ctx, w.title)
	if err != nil {
		return err
	}
	for _, t := range w.titles {
		by, text, votes := said(t)
		if err := p.h.Planning.AddCandidate(ctx, by, id, "title", text, nil); err != nil {
			return err
		}
		all, err := store.Candidates(ctx, p.h.DB.View(), id)
		if err != nil {
			return err
		}
		for _, v := range votes {
			if err := p.h.Planning.Vote(ctx, byInitials(v), id, all[len(all)-1].ID, true); err != nil {
				return err
			}
		}
	}
	var last ref.Finding
	for _, n := range w.research {
		comment := n[:2] == "> "
		if comment {
			n = n[2:]
		}
		by, text, link := said(n)
		about := ref.Finding(0)
		if comment {
			about = last
		}
		if err := p.h.Planning.Note(ctx, by, id, about, text, first(link), nil); err != nil {
			return err
		}
		if !comment {
			all, err := store.Findings(ctx, p.h.DB.View(), id)
			if err != nil {
				return err
			}
			last = all[len(all)-1].ID
		}
	}
	return nil
}

// said reads "YL: some words|more,of,it": by whom, the words, and what is behind the bar.
func said(s string) (by ref.Person, text string, more []string) {
	who, text, _ := strings.Cut(s, ": ")
	text, rest, _ := strings.Cut(text, "|")
	if rest != "" {
		more = strings.Split(rest, ",")
	}
	return byInitials(who), text, more
}

func first(xs []string) string {
	if len(xs) == 0 {
		return ""
	}
	return xs[0]
}
