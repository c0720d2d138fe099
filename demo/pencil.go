package demo

import (
	"context"
	"fmt"
	"strconv"

	"greenbaton/core/check"
	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/review"
	"greenbaton/store"
)

// penciled plays what was asked and proposed on the copy that the tour opens, this
// morning, and what features are held to before they leave the copy editor.
func (p *player) penciled() {
	const title = "The last tide mill on the Severn"
	maren, adaeze, yusuf := byInitials("MH"), byInitials("AB"), byInitials("YL")
	start := day.MomentOf(Start)
	p.add(start-30, func(ctx context.Context) error {
		return p.h.Copyroom.SaveFormatChecks(ctx, maren, p.kinds["Feature"].ID, check.Rules{check.Queries: {Leg: "copyedit"}, check.Proposals: {Leg: "copyedit"}, check.Pairs: {Leg: "copyedit"}, check.Spelling: {Leg: "copyedit"}})
	})
	// Outsiders: one is asked to read, another for their verdict when it comes round.
	for _, x := range []struct {
		title string
		review.Invite
	}{
		{title, review.Invite{Name: "Joan Arkell", Mail: "joan@skelderpill.example", May: store.MayComment, Note: "Is anything wrong about the lease, or about you?"}},
		{"A baker’s year in twelve loaves", review.Invite{Leg: "yes", Name: "Nesta Pryce", Mail: "nesta@ternbakery.example", May: store.MayComment, Note: "For your own readers; both languages are in it."}},
	} {
		p.add(start-900, func(ctx context.Context) (err error) {
			if x.Piece, err = p.titled(ctx, x.title); err != nil {
				return err
			}
			_, err = p.h.Review.Invite(ctx, maren, x.Invite)
			return err
		})
	}
	// A question that waited, and was settled when somebody was reminded of it.
	const old = "Who owns the weir"
	var waited ref.Query
	p.add(p.offset(-8, 3), func(ctx context.Context) error {
		id, err := p.titled(ctx, old)
		if err != nil {
			return err
		}
		waited, err = p.h.Copyroom.AskAbout(ctx, byInitials("HM"), id, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Which of the three parishes holds the deed today?", ForID: adaeze}})
		return err
	})
	p.add(p.offset(-5, 3), func(ctx context.Context) error { return p.h.Copyroom.SettleQuery(ctx, byInitials("HM"), waited, true) })
	var lease ref.Query
	p.onWords(start-1_800, title, "since 1747", func(ctx context.Context, id ref.Piece, o copyroom.Ask) (err error) {
		o.Query = query.Query{About: query.Words, Text: "The lease is dated 1742 in your notes. Which?", ForID: yusuf}
		lease, err = p.h.Copyroom.AskAbout(ctx, adaeze, id, o)
		return err
	})
	p.add(start-1_500, func(ctx context.Context) error {
		return p.h.Copyroom.AnswerQuery(ctx, yusuf, lease, "1747. The 2 is mine, sorry.", nil)
	})
	p.onWords(start-120, title, "drops", func(ctx context.Context, id ref.Piece, o copyroom.Ask) error {
		c, err := p.h.Planning.Newest(ctx, adaeze, id)
		if err != nil {
			return err
		}
		text, err := copy.Parse([]byte(c.Text))
		if err != nil {
			return err
		}
		key := fmt.Sprintf("%d.%s", adaeze, strconv.FormatInt((int64(start)-120)*1000, 36))
		change := text.Propose(copy.Change{}.Keep(o.Place.At, nil).Put("falls away", nil).Cut(o.Place.Len), key)
		_, err = p.h.Copyroom.EditCopy(ctx, adaeze, id, copyroom.CopyEdit{Client: "morning", Turn: 1, Base: c.Seq, Change: change})
		return err
	})
	p.onWords(start-60, title, "want to go", func(ctx context.Context, id ref.Piece, o copyroom.Ask) error {
		o.Query = query.Query{About: query.Words, Text: "Is this on the recording?", ForID: yusuf}
		_, err := p.h.Copyroom.AskAbout(ctx, maren, id, o)
		return err
	})
}

// onWords plays something about words of a copy.
func (p *player) onWords(at day.Moment, title, words string, do func(context.Context, ref.Piece, copyroom.Ask) error) {
	p.add(at, func(ctx context.Context) error {
		id, err := p.titled(ctx, title)
		if err != nil {
			return err
		}
		c, err := p.h.Planning.Newest(ctx, byInitials("MH"), id)
		if err != nil {
			return err
		}
		text, err := copy.Parse([]byte(c.Text))
		if err != nil {
			return err
		}
		at := text.Place(words)
		if at.Len == 0 {
			return fmt.Errorf("%q is not in the copy of %s", words, title)
		}
		return do(ctx, id, copyroom.Ask{Seq: c.Seq, Place: at})
	})
}
