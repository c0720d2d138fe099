package copyroom

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/store"
)

// Ask is the order to ask about a copy.
type Ask struct {
	query.Query     // About, Text, ForID, Only; of a picture FileID and the point
	Seq         int // the newest edit that who asks knew
	copy.Place      // of words, at that edit
	File        *Upload
}

// AskAbout asks about a copy, and gives the query's number. Words are marked with it, so
// that it stays with them.
func (h Room) AskAbout(ctx context.Context, by ref.Person, piece ref.Piece, o Ask) (ref.Query, error) {
	var id ref.Query
	err := h.Do(ctx, by, func(a *newsroom.Command) (err error) {
		was, err := a.Load(newsroom.Order{Act: relay.ActAsk, Piece: piece})
		if err != nil {
			return err
		}
		id, err = AskAbout(a, was, o)
		return err
	})
	return id, err
}

// AskAbout asks a query about a piece and gives its id.
func AskAbout(a *newsroom.Command, was store.Row, o Ask) (ref.Query, error) {
	s, err := Stage(a, was.ID)
	if err != nil {
		return 0, err
	}
	at := o.Place
	switch o.About {
	case query.Words:
		later, err := s.After(a, o.Seq)
		if err != nil {
			return 0, err
		}
		for _, e := range later {
			end := e.Change.Position(at.At+at.Len, true)
			at.At = e.Change.Position(at.At, false)
			at.Len = end - at.At
		}
		if o.Quote = s.Text.Read(at); strings.TrimSpace(o.Quote) == "" {
			return 0, newsroom.Invalid("text", "Choose the words you ask about. If somebody has just taken them away, ask about the words around them.")
		}
	case query.Picture:
		if !slices.ContainsFunc(s.Text, func(x copy.Op) bool { return copy.Picture(x) == o.FileID }) {
			return 0, newsroom.Invalid("text", "The picture is no longer in the copy.")
		}
	case query.Piece:
	default:
		return 0, newsroom.Invalid("text", "Ask about words, a picture, or the whole piece.")
	}
	asked, err := store.ReviewersOf(a, a.Tx, was.ID)
	if err != nil {
		return 0, err
	}
	if o.ForID != 0 && !a.Setup.Available(o.ForID, was.DeskID) && reviewerIn(asked, o.ForID, a.Now) == nil {
		return 0, newsroom.Invalid("for", "This person neither belongs to the desk nor is asked about this piece. Choose somebody else, or ask them to read it first.")
	}
	q := o.Query
	q.PieceID, q.By, q.At, q.HeardAt = was.ID, a.Actor, a.Now, a.Now
	if q, err = q.Check(); err != nil {
		return 0, err
	}
	if q.ID, err = a.Tx.AddQuery(a, q); err != nil {
		return 0, err
	}
	if o.About == query.Words {
		mark := copy.Change{}.Keep(at.At, nil).Keep(at.Len, copy.Set(copy.QueryName(q.ID), true))
		if _, err := PutEdit(a, s, newsroom.Taken{By: a.Actor, Client: fmt.Sprintf("query %d", q.ID), Turn: 1, Change: mark}); err != nil {
			return 0, err
		}
		s.asked = append(s.asked, q.ID)
	}
	if o.File != nil {
		if err := Answer(a, q, "", o.File); err != nil {
			return 0, err
		}
	}
	a.Put.Pieces[was.ID] = was.Piece // so that open pages look again
	if err := TellQuery(a, was, q, nil, q.Text); err != nil {
		return 0, err
	}
	to := ""
	if q.ForID != 0 && q.ForID != a.Actor {
		to = " " + newsroom.First(a.Setup.Name(q.ForID))
	}
	e := store.Entry{DeskID: was.DeskID, PieceID: was.ID, Act: "asked", What: "asked" + to + aboutWhat(&q), Why: q.Text, Version: was.Version}
	return q.ID, a.LogEvents(&was.Piece, e, []rule.Event{{Kind: rule.Asked, To: q.ForID, Why: q.Text}})
}

func aboutWhat(q *query.Query) string {
	switch q.About {
	case query.Words:
		return fmt.Sprintf(" about “%s”", english.Cut(q.Quote, 60))
	case query.Picture:
		return " about a picture"
	}
	return ""
}

// TellQuery tells those whom the newest words on a query concern: whom it is for and who
// asked, who answered before, and whom the words name.
func TellQuery(a *newsroom.Command, row store.Row, q query.Query, answers []query.Answer, words string) error {
	asked, err := store.ReviewersOf(a, a.Tx, row.ID)
	if err != nil {
		return err
	}
	told := []ref.Person{a.Actor}
	say := func(to ref.Person, text string) error {
		if to == 0 || slices.Contains(told, to) {
			return nil
		}
		told = append(told, to)
		p := a.Setup.Person(to)
		if p.ID == 0 || p.Retired {
			return nil
		}
		if relay.May(relay.ActRead, a.Setup.Who(to, row.DeskID), &row.Piece, nil, "") != nil {
			if r := reviewerIn(asked, to, a.Now); r != nil {
				return tellInvited(a, &row.Piece, *r, q.ID, len(answers), text, words)
			}
			return nil
		}
		return a.Notify(store.Item{PersonID: to, PieceID: row.ID, Kind: "query", Text: text, Why: english.Cut(words, 300), At: a.Now, Link: fmt.Sprintf("/pieces/%d#query-%d", row.ID, q.ID)}, false)
	}
	by := newsroom.First(a.Setup.Name(a.Actor))
	first := len(answers) == 0
	if first {
		text := by + " asks you" + aboutWhat(&q) + "."
		if q.Only {
			text += " Only you can settle it."
		}
		if err := say(q.ForID, text); err != nil {
			return err
		}
	}
	for _, id := range query.Mentions(words, Named(a.Setup, row.DeskID, asked)) {
		if err := say(id, by+" names you in a query"+aboutWhat(&q)+"."); err != nil {
			return err
		}
	}
	if first {
		return nil
	}
	for _, id := range append([]ref.Person{q.By, q.ForID}, authors(answers)...) {
		if err := say(id, by+" answered"+aboutWhat(&q)+"."); err != nil {
			return err
		}
	}
	return nil
}

func authors(answers []query.Answer) []ref.Person {
	out := make([]ref.Person, len(answers))
	for i, a := range answers {
		out[i] = a.By
	}
	return out
}

// Named gives those whom words about a piece can name: the people of its desk, and who is
// asked about it from outside.
func Named(b *newsroom.Setup, desk ref.Desk, asked []store.Reviewer) []query.Named {
	var out []query.Named
	for _, p := range b.People {
		if b.Available(p.ID, desk) || !p.Retired && slices.ContainsFunc(asked, func(r store.Reviewer) bool { return r.PersonID == p.ID && r.RevokedAt == 0 }) {
			out = append(out, query.Named{ID: p.ID, Name: p.Name})
		}
	}
	return out
}

// reviewerIn gives how somebody is asked about a piece now; nil if they are not.
func reviewerIn(asked []store.Reviewer, person ref.Person, now day.Moment) *store.Reviewer {
	for i := range asked {
		if r := &asked[i]; r.PersonID == person && r.RevokedAt == 0 && (r.Ends == 0 || r.Ends > now) {
			return r
		}
	}
	return nil
}

// Reviewers gives those who are asked about a piece and do not work on its desk.
func (h Room) Reviewers(ctx context.Context, row *store.Row) ([]store.Person, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	asked, err := store.ReviewersOf(ctx, h.DB.View(), row.ID)
	var out []store.Person
	for _, r := range asked {
		p := b.Person(r.PersonID)
		if p.Retired || b.Available(p.ID, row.DeskID) || reviewerIn(asked, p.ID, h.Now()) == nil || slices.ContainsFunc(out, func(x store.Person) bool { return x.ID == p.ID }) {
			continue
		}
		out = append(out, p)
	}
	return out, err
}

// tellInvited tells somebody who is asked about a piece from outside of the newest words on
// a query: by mail, with a private link where they have no account.
func tellInvited(a *newsroom.Command, p *relay.Piece, r store.Reviewer, id ref.Query, answers int, text, words string) error {
	to := a.Setup.Person(r.PersonID)
	text = fmt.Sprintf("“%s”: %s", p.Title, text)
	link := fmt.Sprintf("/pieces/%d/review#query-%d", p.ID, id)
	if !to.Guest {
		return a.Send(p, newsroom.Note{To: to.ID, Kind: "query", Text: text, Why: english.Cut(words, 300), Mail: true, Link: link})
	}
	return a.Tx.AddMessage(a, store.Message{
		Key: fmt.Sprintf("query %d answers %d to %d at %d", id, answers, r.ID, a.Now), Kind: "mail", PieceID: p.ID, To: newsroom.Address(to), Subject: english.Cut(strings.TrimSuffix(text, "."), 150),
		Body: fmt.Sprintf("%s\n\n%s\n\nRead it and answer here: %s\n\nThe link is for you alone and needs no password.\n", text, words, account.LinkPlace), At: a.Now, LinkKind: store.LinkReview, LinkAbout: int64(r.ID),
	})
}

// onQuery carries out a command on a query, for who may read the copy it is about.
func (h Room) onQuery(ctx context.Context, by ref.Person, id ref.Query, f func(*newsroom.Command, store.Row, query.Query, []query.Answer) error) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		q, err := store.QueryAt(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) {
			return newsroom.ErrNotFound
		} else if err != nil {
			return err
		}
		was, err := a.Load(newsroom.Order{Act: relay.ActRead, Piece: q.PieceID})
		if err != nil {
			return err
		}
		if relay.May(relay.ActAsk, a.Who(was.DeskID), &was.Piece, nil, "") != nil && q.ForID != by && q.By != by {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This query is for others."}
		}
		answers, err := store.AnswersTo(a, a.Tx, id)
		if err != nil {
			return err
		}
		a.Put.Pieces[was.ID] = was.Piece // so that open pages look again
		return f(a, was, q, answers[id])
	})
}

// AnswerQuery says something to a query, with a file or without; a settled one opens again.
func (h Room) AnswerQuery(ctx context.Context, by ref.Person, id ref.Query, text string, file *Upload) error {
	return h.onQuery(ctx, by, id, func(a *newsroom.Command, was store.Row, q query.Query, answers []query.Answer) error {
		text = strings.TrimSpace(strings.ReplaceAll(text, "\r\n", "\n"))
		switch {
		case text == "" && file == nil:
			return newsroom.Invalid("text", "Write an answer, or choose a file.")
		case len([]rune(text)) > query.MaxText:
			return newsroom.Invalid("text", "Keep an answer under 2,000 characters.")
		case len(answers) >= 200:
			return newsroom.Invalid("text", "There are 200 answers already. Settle it, and ask anew.")
		}
		if err := Answer(a, q, text, file); err != nil {
			return err
		}
		return TellQuery(a, was, q, append(answers, query.Answer{By: by}), text)
	})
}

// Answer answers a query, with a file or none.
func Answer(a *newsroom.Command, q query.Query, text string, file *Upload) error {
	x := query.Answer{QueryID: q.ID, By: a.Actor, At: a.Now, Text: text}
	var err error
	if file != nil {
		if x.FileID, err = AddFile(a, *file, q.PieceID, 0); err != nil {
			return err
		}
	}
	if _, err := a.Tx.AddAnswer(a, x); err != nil {
		return err
	}
	q.HeardAt = a.Now
	return a.Tx.SaveQuery(a, q)
}

// SettleQuery settles a query, or opens it again.
func (h Room) SettleQuery(ctx context.Context, by ref.Person, id ref.Query, settled bool) error {
	return h.onQuery(ctx, by, id, func(a *newsroom.Command, was store.Row, q query.Query, answers []query.Answer) error {
		return SettleQuery(a, was, q, settled)
	})
}

// SettleQuery settles a query, or opens it again.
func SettleQuery(a *newsroom.Command, was store.Row, q query.Query, settled bool) error {
	asked, err := store.ReviewersOf(a, a.Tx, was.ID)
	if err != nil {
		return err
	}
	if !maySettle(a.Setup, &was, q, a.Actor, asked, a.Now) {
		if q.Only {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Only " + newsroom.First(a.Setup.Name(q.ForID)) + " may settle this."}
		}
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Who asked, whom it is for, and who writes here may settle it."}
	}
	if q.Settled() == settled {
		return nil
	}
	q.SettledBy, q.SettledAt, q.HeardAt = 0, 0, a.Now
	what := "opened a query again"
	if settled {
		q.SettledBy, q.SettledAt, what = a.Actor, a.Now, "settled a query"
	}
	if err := a.Tx.SaveQuery(a, q); err != nil {
		return err
	}
	a.Undo.Queries = append(a.Undo.Queries, newsroom.UndoQuery{ID: q.ID, Settled: !settled})
	a.Did = []string{what + aboutWhat(&q) + " on “" + was.Title + "”"}
	return a.Log(store.Entry{DeskID: was.DeskID, PieceID: was.ID, Act: "settled", What: what + aboutWhat(&q), Why: q.Text, Version: was.Version})
}

// undoQueries settles or opens queries as they were.
func undoQueries(a *newsroom.Command, s *newsroom.UndoState) ([]ref.Piece, error) {
	for _, q := range s.Queries {
		if err := putBackQuery(a, q); err != nil {
			return nil, err
		}
	}
	return nil, nil
}

// putBackQuery makes a query settled, or open, again.
func putBackQuery(a *newsroom.Command, u newsroom.UndoQuery) error {
	q, err := store.QueryAt(a, a.Tx, u.ID)
	if err != nil {
		return err
	}
	was, err := a.Load(newsroom.Order{Act: relay.ActRead, Piece: q.PieceID})
	if err != nil {
		return err
	}
	if q.Settled() == u.Settled {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Somebody has decided on this query meanwhile."}
	}
	q.SettledBy, q.SettledAt, q.HeardAt = 0, 0, a.Now
	if u.Settled {
		q.SettledBy, q.SettledAt = a.Actor, a.Now
	}
	a.Put.Pieces[q.PieceID] = was.Piece
	if err := a.Tx.SaveQuery(a, q); err != nil {
		return err
	}
	return a.Log(store.Entry{DeskID: was.DeskID, PieceID: q.PieceID, Act: "undone", What: "took back what was decided on a query" + aboutWhat(&q), Version: was.Version})
}

// maySettle reports whether somebody may settle a query. What only somebody may settle who
// is gone, or was asked from outside and no longer is, leads may.
func maySettle(b *newsroom.Setup, row *store.Row, q query.Query, who ref.Person, asked []store.Reviewer, now day.Moment) bool {
	hand, _ := HandOf(b, row, who) // whoever may do nothing decides on nothing
	w := b.Who(who, row.DeskID)
	p := b.Person(q.ForID)
	gone := p.ID == 0 || p.Retired || !b.Available(p.ID, row.DeskID) && reviewerIn(asked, p.ID, now) == nil
	return q.MaySettle(who, hand.Decides, relay.MayHouse(relay.LeadDesk, w), gone)
}
