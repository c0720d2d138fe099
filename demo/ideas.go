package demo

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
)

// thought is an idea that somebody of Millrace caught, so many working days before the
// start, and what became of it since.
type thought struct {
	days  int
	who   string
	idea  idea.Idea
	state idea.State
	why   string
	until day.Date
}

func judged(reach, fit, effort int, i idea.Idea) idea.Idea {
	i.Reach, i.Fit, i.Effort = reach, fit, effort
	return i
}

var thoughts = []thought{
	{0, "YL", idea.Idea{Title: "The sound a mill makes when it stops"}, "", "", 0},
	{1, "AB", judged(4, 5, 2, idea.Idea{Title: "What a peel is for", Notes: "Six shapes of oven peel and why bakers keep the old one. Pictures are half of it.", Tags: "tools, ovens"}), "", "", 0},
	{1, "MH", judged(5, 4, 3, idea.Idea{Title: "Why bread goes stale, and why it should", Source: idea.Research, Phrase: "why does bread go stale", Volume: 2400, Difficulty: 31, Tags: "science"}), "", "", 0},
	{2, "PV", idea.Idea{Title: "A week with a flour rep", Notes: "I know one who would have me along."}, "", "", 0},
	{3, "HM", judged(3, 4, 1, idea.Idea{Title: "Twelve words millers gave us", Notes: "Run of the mill, grist, milestone is not one of them.", Tags: "words"}), "", "", 0},
	{4, "MH", judged(4, 4, 2, idea.Idea{Title: "Bread for a hundred: the harvest supper", Source: idea.Partner, Origin: "Old Weir Co-op", Tags: "schools"}), "", "", 0},
	{5, "RA", judged(3, 5, 3, idea.Idea{Title: "One loaf, photographed every hour", Tags: "pictures"}), "", "", 0},
	{6, "AB", judged(5, 3, 4, idea.Idea{Title: "What flour costs now", Source: idea.Reader, Origin: "A letter from Gwen in Corran", Notes: "She keeps her receipts. Five years of them.", Phrase: "price of flour", Volume: 5400, Difficulty: 48, Tags: "prices"}), "", "", 0},
	{8, "DF", judged(3, 4, 2, idea.Idea{Title: "Recording inside a wheel pit", Tags: "audio, tide mills"}), "", "", 0},
	{9, "MH", judged(4, 4, 3, idea.Idea{Title: "The baker who will not raise her prices", Source: idea.Reader, Origin: "Tern Bakery School", Tags: "people, prices"}), "", "", 0},
	{11, "YL", judged(2, 4, 4, idea.Idea{Title: "A parish map of every mill that burnt", Links: "https://archive.millrace.example/fires", Tags: "archive"}), "", "", 0},
	{12, "HM", judged(2, 2, 2, idea.Idea{Title: "Ten breads for ten boats", Notes: "Written on a long train."}), idea.Turned, "We have no boats and no ten breads that belong to them.", 0},
	{14, "AB", judged(4, 5, 2, idea.Idea{Title: "Hot cross buns before anyone asks", Phrase: "hot cross buns", Volume: 74000, Difficulty: 66, Tags: "Easter"}), idea.Resting, "For Easter.", date(2027, 2, 1)},
	{15, "MH", judged(3, 3, 5, idea.Idea{Title: "A whole year in one field", Source: idea.Partner, Origin: "Old Weir Co-op", Tags: "grain"}), idea.Resting, "Ask again when the drill is out.", 0},
	{18, "YL", judged(4, 4, 3, idea.Idea{Title: "Who still grinds at night", Tags: "people, tide mills"}), "", "", 0},
	{21, "RA", judged(2, 3, 3, idea.Idea{Title: "Stamps with mills on them"}), idea.Turned, "Nice to look at, nothing to say yet.", 0},
	{24, "AB", judged(4, 4, 1, idea.Idea{Title: "What to do with a jar of old starter", Source: idea.Research, Phrase: "sourdough discard", Volume: 18100, Difficulty: 57, Tags: "sourdough"}), "", "", 0},
	{10, "RA", judged(4, 4, 1, idea.Idea{Title: "Bannocks, for those without an oven", Tags: "barley, griddle"}), idea.Used, "Barley bannocks", 0},
	{30, "MH", judged(3, 4, 3, idea.Idea{Title: "The ledger of Skelder Pill", Notes: "Joan has it, and would lend it for a week.", Tags: "archive, Severn"}), "", "", 0},
}

// ideas plays what was caught, and what was decided of it.
func (p *player) ideas() {
	desk := ref.Desk(1)
	for i, t := range thoughts {
		at := p.offset(-t.days, i%8)
		if t.days == 0 {
			at = day.MomentOf(Start) - 2400
		}
		p.add(at, func(ctx context.Context) error {
			t.idea.DeskID = desk
			id, _, err := p.h.Intake.Catch(ctx, byInitials(t.who), t.idea, 0)
			if t.state == idea.Used { // why is the title of the piece
				p.caught[t.why] = int64(id)
				return err
			}
			if err != nil || t.state == "" {
				return err
			}
			return p.h.Intake.SettleIdeas(ctx, byInitials("MH"), []ref.Idea{id}, t.state, t.why, t.until)
		})
	}
}
