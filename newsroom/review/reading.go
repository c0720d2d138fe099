package review

import (
	"context"
	"errors"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Key opens what somebody is asked about: a private link, or that they are signed in.
type Key struct {
	Token string
	Who   ref.Person
	Piece ref.Piece
}

// Reading is what a reviewer has before them.
type Reading struct {
	Reviewer store.Reviewer // without an id for the holder of a leg, who is asked by having it
	Person   ref.Person     // who reads: the reviewer, or who stands in for them
	Row      store.Row
	Leg      *relay.Leg // that waits for their verdict; nil when they are only asked to read
	Text     copy.Text  // proposals left
	Seq      int
	Words    int
	Queries  []copyroom.QuerySheet // of theirs
	Said     store.Verdict         // in this run; without an id while they have said nothing
	Earlier  []store.Verdict       // theirs, the newest first
	Since    *copyroom.Comparison  // what changed since they last said something; nil if they never did
	SinceSeq int
	Turn     bool // their verdict is asked for now
	After    []string
}

// reviewing finds what a key opens, and who it is.
func (h Room) reviewing(ctx context.Context, r store.Reader, b *newsroom.Setup, k Key) (store.Reviewer, store.Row, error) {
	var row store.Row
	if k.Token != "" {
		l, err := account.At(h.Newsroom).Link(ctx, r, store.LinkReview, k.Token)
		if err != nil {
			return store.Reviewer{}, row, err
		}
		x, err := store.ReviewerAt(ctx, r, ref.Reviewer(l.About))
		if errors.Is(err, store.ErrNone) {
			return x, row, account.DeadLink
		} else if err != nil {
			return x, row, err
		}
		gone := b.Person(x.PersonID).Retired || b.Person(x.PersonID).BarredAt != 0
		if gone {
			l.RevokedAt = h.Now()
		}
		if gone || x.RevokedAt != 0 || x.Ends != 0 && x.Ends <= h.Now() {
			return x, row, account.At(h.Newsroom).SayEnded(ctx, r, b, l)
		}
		row, err = store.Piece(ctx, r, x.PieceID)
		return x, row, err
	}
	row, err := store.Piece(ctx, r, k.Piece)
	if errors.Is(err, store.ErrNone) {
		return store.Reviewer{}, row, newsroom.ErrNotFound
	} else if err != nil {
		return store.Reviewer{}, row, err
	}
	asked, err := store.ReviewersOf(ctx, r, k.Piece)
	if err != nil {
		return store.Reviewer{}, row, err
	}
	today := h.Now().Date(b.Zones[row.DeskID])
	mine := func(person ref.Person) bool { return person == k.Who || standsIn(b, person, today) == k.Who }
	var best store.Reviewer
	for i := range row.Legs {
		l := &row.Legs[i]
		if !signsNow(*l) {
			continue
		}
		for _, v := range voices(b, &row.Piece, l, asked, nil) {
			if mine(v.PersonID) && v.AskedAt != 0 {
				return v.Reviewer, row, nil
			}
		}
	}
	for _, x := range asked {
		if mine(x.PersonID) && x.RevokedAt == 0 && (x.AskedAt != 0 || best.ID == 0) {
			best = x
		}
	}
	if best.ID != 0 {
		return best, row, nil
	}
	return h.spoke(ctx, r, b, row, mine)
}

// spoke finds who has given a verdict as the holder of a leg: what they said and what comes
// of it is theirs to see as long as they belong to the desk.
func (h Room) spoke(ctx context.Context, r store.Reader, b *newsroom.Setup, row store.Row, mine func(ref.Person) bool) (store.Reviewer, store.Row, error) {
	said, err := store.VerdictsOf(ctx, r, row.ID)
	if err != nil {
		return store.Reviewer{}, row, err
	}
	for _, v := range slices.Backward(said) {
		if l := row.Leg(v.Leg); v.ReviewerID == 0 && l != nil && mine(v.PersonID) && b.Available(v.PersonID, row.DeskID) {
			return store.Reviewer{PieceID: row.ID, Leg: v.Leg, PersonID: v.PersonID, May: store.MayComment, AskedAt: v.At, Run: v.Run}, row, nil
		}
	}
	return store.Reviewer{}, row, newsroom.ErrNotFound
}

// Review gives what a key opens. It writes nothing: that it was opened is noted by Opened.
func (h Room) Review(ctx context.Context, k Key) (Reading, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Reading{}, err
	}
	view := h.DB.View()
	x, row, err := h.reviewing(ctx, view, b, k)
	if err != nil {
		return Reading{}, err
	}
	out := Reading{Reviewer: x, Person: x.PersonID, Row: row}
	if k.Token == "" {
		out.Person = k.Who
	}
	_, text, seq, err := newsroom.Newest(ctx, view, &row)
	if err != nil {
		return out, err
	}
	out.Text, out.Seq, out.Words = text.Left(), seq, text.Left().Words()
	said, err := store.VerdictsOf(ctx, view, row.ID)
	if err != nil {
		return out, err
	}
	for _, v := range slices.Backward(said) {
		if v.PersonID == x.PersonID {
			out.Earlier = append(out.Earlier, v)
		}
	}
	if l := row.Leg(x.Leg); x.Leg != "" && l != nil {
		out.Leg = l
		if len(out.Earlier) > 0 && out.Earlier[0].Leg == l.Key && out.Earlier[0].Run == l.Run {
			out.Said = out.Earlier[0]
		}
		out.Turn = l.State == relay.Running && out.Said.ID == 0 && row.Stage == relay.UnderWay
	}
	return out, h.readAgain(ctx, b, &out, text)
}

// Opened notes that a reviewer has the copy before them as it was after edit seq.
func (h Room) Opened(ctx context.Context, k Key, seq int) error {
	return h.reviewAct(ctx, k, func(a *newsroom.Command, x store.Reviewer, row store.Row) error {
		if x.ID == 0 || x.OpenedAt != 0 && x.OpenedSeq >= seq {
			return nil
		}
		if _, _, newest, err := newsroom.Newest(a, a.Tx, &row); err != nil || seq < 0 || seq > newest {
			return errors.Join(err, newsroom.Invalid("copy", "There is no such edit of the copy. Reload the page."))
		}
		x.OpenedAt, x.OpenedSeq = a.Now, seq
		_, err := a.Tx.SaveReviewer(a, x)
		return err
	})
}

// readAgain adds what a reviewer asked, and what changed since they said something.
func (h Room) readAgain(ctx context.Context, b *newsroom.Setup, out *Reading, text copy.Text) error {
	qs, err := store.QueriesOf(ctx, h.DB.View(), out.Row.ID)
	if err != nil {
		return err
	}
	if qs, err = h.concerning(ctx, h.DB.View(), b, out.Row, qs, out.Person, out.Reviewer.PersonID); err != nil {
		return err
	}
	if out.Queries, err = copyroom.At(h.Newsroom).QuerySheets(ctx, b, out.Person, func(ref.Piece) *store.Row { return &out.Row }, qs); err != nil {
		return err
	}
	places := text.Places()
	for i := range out.Queries {
		q := &out.Queries[i]
		q.Gone = q.About == query.Words && len(places[q.ID]) == 0
	}
	if len(out.Earlier) == 0 {
		return nil
	}
	was, err := copyroom.TextAt(ctx, h.DB.View(), &out.Row, out.Earlier[0].Seq)
	if err != nil {
		return err
	}
	out.SinceSeq = out.Earlier[0].Seq
	c := copyroom.Compare(was.Left(), out.Text)
	out.Since = &c
	return nil
}

// concerning gives those of the queries about a piece that some people asked, are asked, or
// are named in.
func (h Room) concerning(ctx context.Context, r store.Reader, b *newsroom.Setup, row store.Row, qs []query.Query, people ...ref.Person) ([]query.Query, error) {
	asked, err := store.ReviewersOf(ctx, r, row.ID)
	if err != nil {
		return nil, err
	}
	answers, err := copyroom.AnswersTo(ctx, r, qs)
	if err != nil {
		return nil, err
	}
	named := copyroom.Named(b, row.DeskID, asked)
	among := func(id ref.Person) bool { return slices.Contains(people, id) }
	return slices.DeleteFunc(slices.Clone(qs), func(q query.Query) bool {
		return !among(q.By) && !among(q.ForID) && !slices.ContainsFunc(query.Mentions(q.Text, named), among) &&
			!slices.ContainsFunc(answers[q.ID], func(x query.Answer) bool {
				return among(x.By) || slices.ContainsFunc(query.Mentions(x.Text, named), among)
			})
	}), nil
}

// onOwnQuery carries out a command of a reviewer on a query that concerns them.
func (h Room) onOwnQuery(ctx context.Context, k Key, id ref.Query, f func(*newsroom.Command, store.Row, query.Query) error) error {
	return h.reviewAct(ctx, k, func(a *newsroom.Command, x store.Reviewer, row store.Row) error {
		q, err := store.QueryAt(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) || err == nil && q.PieceID != row.ID {
			return newsroom.ErrNotFound
		} else if err != nil {
			return err
		}
		own, err := h.concerning(a, a.Tx, a.Setup, row, []query.Query{q}, a.Actor, x.PersonID)
		if err != nil {
			return err
		}
		if len(own) == 0 {
			return newsroom.ErrNotFound
		}
		a.Put.Pieces[row.ID] = row.Piece // so that open pages look again
		return f(a, row, q)
	})
}

// SettleInReview settles a query for a reviewer who may, or opens it again.
func (h Room) SettleInReview(ctx context.Context, k Key, id ref.Query, settled bool) error {
	return h.onOwnQuery(ctx, k, id, func(a *newsroom.Command, row store.Row, q query.Query) error {
		return copyroom.SettleQuery(a, row, q, settled)
	})
}

// reviewAct carries out a command of a reviewer, as whoever reads.
func (h Room) reviewAct(ctx context.Context, k Key, f func(*newsroom.Command, store.Reviewer, store.Row) error) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	by := k.Who
	if k.Token != "" {
		x, _, err := h.reviewing(ctx, h.DB.View(), b, k)
		if err != nil {
			return err
		}
		by = x.PersonID
	}
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		x, row, err := h.reviewing(a, a.Tx, a.Setup, k)
		if err != nil {
			return err
		}
		if err := copyroom.Settle(a, row.ID); err != nil {
			return err
		}
		if row, err = store.Piece(a, a.Tx, row.ID); err != nil {
			return err
		}
		a.Reviewer = &x
		return f(a, x, row)
	})
}

// AskInReview asks about a copy, for a reviewer who may comment. The place is one in the
// copy as it was shown, proposals left.
func (h Room) AskInReview(ctx context.Context, k Key, o copyroom.Ask) (ref.Query, error) {
	var id ref.Query
	err := h.reviewAct(ctx, k, func(a *newsroom.Command, x store.Reviewer, row store.Row) (err error) {
		if x.May != store.MayComment {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "You are asked to read this, not to comment on it. Say what you think in your verdict, or write to whoever asked you."}
		}
		if row.Stage != relay.UnderWay {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "The piece is " + string(row.Stage) + "; it can no longer be commented on."}
		}
		if o.About == query.Words {
			text, err := copyroom.TextAt(a, a.Tx, &row, o.Seq)
			if err != nil {
				return err
			}
			o.Place = text.FromLeft(o.Place)
		}
		o.ForID = answers(a, &row.Piece)
		id, err = copyroom.AskAbout(a, row, o)
		return err
	})
	return id, err
}

// answers gives who answers what a reviewer asks: who wrote the copy, or the owner.
func answers(a *newsroom.Command, p *relay.Piece) ref.Person {
	for i := len(p.Legs) - 1; i >= 0; i-- {
		if l := &p.Legs[i]; l.Words && l.Holder != 0 && l.State == relay.Passed && a.Setup.Available(l.Holder, p.DeskID) {
			return l.Holder
		}
	}
	return p.Owner
}

// AnswerInReview answers a query that a reviewer asked, is asked, or is named in.
func (h Room) AnswerInReview(ctx context.Context, k Key, id ref.Query, text string) error {
	return h.onOwnQuery(ctx, k, id, func(a *newsroom.Command, row store.Row, q query.Query) error {
		if text = strings.TrimSpace(strings.ReplaceAll(text, "\r\n", "\n")); text == "" || len([]rune(text)) > query.MaxText {
			return newsroom.Invalid("text", "Write an answer of up to 2,000 characters.")
		}
		answers, err := store.AnswersTo(a, a.Tx, id)
		if err != nil {
			return err
		}
		if err := copyroom.Answer(a, q, text, nil); err != nil {
			return err
		}
		return copyroom.TellQuery(a, row, q, append(answers[id], query.Answer{By: a.Actor}), text)
	})
}

// ReviewFile gives a file that came with an answer to a query that concerns a reviewer.
func (h Room) ReviewFile(ctx context.Context, k Key, file ref.File) (store.File, error) {
	r, err := h.Review(ctx, k)
	if err != nil {
		return store.File{}, err
	}
	for _, q := range r.Queries {
		if _, ok := q.Files[file]; ok && slices.ContainsFunc(q.Answers, func(x query.Answer) bool { return x.FileID == file }) {
			return store.FileByID(ctx, h.DB.View(), file)
		}
	}
	return store.File{}, newsroom.ErrNotFound
}

// ReviewPicture gives a picture that is in the copy a key opens, as it is shown.
func (h Room) ReviewPicture(ctx context.Context, k Key, file ref.File) (store.File, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return store.File{}, err
	}
	_, row, err := h.reviewing(ctx, h.DB.View(), b, k)
	if err != nil {
		return store.File{}, err
	}
	_, text, _, err := newsroom.Newest(ctx, h.DB.View(), &row)
	if err != nil {
		return store.File{}, err
	}
	if text.Left().Find(file) < 0 {
		return store.File{}, newsroom.ErrNotFound
	}
	f, err := store.PictureOf(ctx, h.DB.View(), row.ID, file)
	if errors.Is(err, store.ErrNone) {
		return f, newsroom.ErrNotFound
	} else if err != nil {
		return f, err
	}
	return copyroom.At(h.Newsroom).Shown(ctx, f)
}
