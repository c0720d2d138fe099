package review

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/check"
	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// contentHash is the hash of a copy as it is read: proposals left, no marks.
func contentHash(t copy.Text) string {
	sum := sha256.Sum256(t.Clean().JSON())
	return hex.EncodeToString(sum[:])
}

// Verdict is what somebody says about the copy they had before them.
type Verdict struct {
	Say  relay.Say
	Text string // notes, or reasons
	Seq  int    // the edit up to which they read
}

// SayVerdict takes a verdict on exactly the copy that was read. If the copy is another by
// now, nothing counts until it was read again. The piece goes on, or back, by itself.
func (h Room) SayVerdict(ctx context.Context, k Key, v Verdict) error {
	return h.reviewAct(ctx, k, func(a *newsroom.Command, x store.Reviewer, row store.Row) error {
		l := row.Leg(x.Leg)
		if l == nil || !signsNow(*l) || row.Stage != relay.UnderWay {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "No verdict is waited for just now. Thank you for reading it."}
		}
		v.Text = strings.TrimSpace(strings.ReplaceAll(v.Text, "\r\n", "\n"))
		switch {
		case v.Say != relay.SignedIt && v.Say != relay.WithNotes && v.Say != relay.NotYet:
			return newsroom.Invalid("say", "Choose one of the three: sign it off, sign it off with notes, or send it back.")
		case v.Say != relay.SignedIt && v.Text == "" && !asksOpen(a, row.ID):
			return newsroom.Invalid("text", "%s", map[relay.Say]string{relay.WithNotes: "Write your notes; whoever has it next sees to them.", relay.NotYet: "Say what is to be changed, so that it can be seen to."}[v.Say])
		case len([]rune(v.Text)) > 2_000:
			return newsroom.Invalid("text", "Keep it under 2,000 characters; ask about single words in the copy for the rest.")
		}
		return sayVerdict(a, row, l, x, v)
	})
}

// asksOpen reports whether the reviewer has open queries on a piece.
func asksOpen(a *newsroom.Command, piece ref.Piece) bool {
	ids, err := openAsked(a, piece)
	return err == nil && len(ids) > 0
}

func openAsked(a *newsroom.Command, piece ref.Piece) ([]ref.Query, error) {
	qs, err := store.QueriesOf(a, a.Tx, piece)
	var out []ref.Query
	for _, q := range qs {
		if q.By == a.Actor && !q.Settled() {
			out = append(out, q.ID)
		}
	}
	return out, err
}

func sayVerdict(a *newsroom.Command, row store.Row, l *relay.Leg, x store.Reviewer, v Verdict) error {
	vs, err := voicesOf(a, &row.Piece, l)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(vs, func(y voice) bool { return y.ID == x.ID && y.PersonID == x.PersonID })
	if at < 0 || !slices.Contains(relay.Turns(spoken(vs), review(a.Setup, &row.Piece, l.Key).InOrder), at) {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Your verdict is not waited for just now: it was given already, or others are asked first."}
	}
	if err := sameAsRead(a, &row, v.Seq); err != nil {
		return err
	}
	kept, err := keepVerdict(a, row, l, x, v)
	if err != nil {
		return err
	}
	vs[at].Verdict = kept
	err = goOn(a, row, l, vs, v)
	a.Undo, a.Did = newsroom.UndoState{}, nil // a verdict is no slip of the hand
	return err
}

// sameAsRead refuses a verdict on a copy that is another by now.
func sameAsRead(a *newsroom.Command, row *store.Row, seq int) error {
	_, now, _, err := newsroom.Newest(a, a.Tx, row)
	if err != nil {
		return err
	}
	read, err := copyroom.TextAt(a, a.Tx, row, seq)
	if err != nil {
		return err
	}
	if contentHash(now) != contentHash(read) {
		return &relay.Refusal{Reason: relay.ErrChanged, Text: "The copy has changed since you opened it, so your verdict does not count yet. What changed is shown; look at it, then say it again."}
	}
	return nil
}

// keepVerdict stores a verdict with the version and the hash of what was read.
func keepVerdict(a *newsroom.Command, row store.Row, l *relay.Leg, x store.Reviewer, v Verdict) (store.Verdict, error) {
	_, text, seq, err := newsroom.Newest(a, a.Tx, &row)
	if err != nil {
		return store.Verdict{}, err
	}
	out := store.Verdict{PieceID: row.ID, Leg: l.Key, Run: l.Run, ReviewerID: x.ID, PersonID: x.PersonID, By: a.Actor, Say: v.Say, Text: v.Text, CopyVersion: row.CopyVersion, Seq: seq, Hash: contentHash(text), At: a.Now}
	if out.ID, err = a.Tx.AddVerdict(a, out); err != nil {
		return out, err
	}
	if c, err := store.CopyAt(a, a.Tx, row.ID, row.CopyVersion); err == nil { // this version stays as it is
		label := a.Setup.Person(x.PersonID).Name + " " + newsroom.SayWhat(v.Say)
		if c.Label != "" {
			label = c.Label + "; " + label
		}
		if err := a.Tx.LabelCopy(a, row.ID, row.CopyVersion, label); err != nil {
			return out, err
		}
	}
	what := newsroom.SayWhat(v.Say) + " in " + l.Name
	if a.Actor != x.PersonID {
		what += ", for " + a.Setup.Person(x.PersonID).Name
	}
	e := store.Entry{DeskID: row.DeskID, PieceID: row.ID, Act: "verdict", What: what, Why: v.Text, Version: row.Version, After: fmt.Sprintf("version %d of the copy, SHA-256 %s", row.CopyVersion, out.Hash)}
	a.Put.Pieces[row.ID] = row.Piece
	return out, a.LogEvents(&row.Piece, e, []rule.Event{{Kind: rule.Verdict, Leg: l.Key, To: l.Holder, Why: v.Text, Say: string(v.Say)}})
}

// goOn does what the verdicts of a leg come to: the piece goes on, with notes as queries
// for whoever has it next, or back to the leg that the route names, or the next are asked.
func goOn(a *newsroom.Command, row store.Row, l *relay.Leg, vs []voice, v Verdict) error {
	review := review(a.Setup, &row.Piece, l.Key)
	a.Trusted = true
	defer func() { a.Trusted = false }()
	switch relay.Tally(spoken(vs), review.Need) {
	case relay.Forward:
		return signedOff(a, row, l, vs)
	case relay.Backward:
		to := row.BackTo(l.Key, review.Back)
		if to == "" {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Nothing was passed before, so there is nowhere to send it back to. Tell whoever asked you."}
		}
		var reasons []string
		for _, x := range vs {
			if x.Verdict.Say == relay.NotYet && x.Verdict.Text != "" {
				reasons = append(reasons, x.Verdict.Text)
			}
		}
		open, err := openAsked(a, row.ID)
		if err != nil {
			return err
		}
		return planning.SendBack(a, planning.Back{Piece: row.ID, From: l.Key, To: to, Reasons: strings.Join(reasons, "\n\n"), Queries: open}, relay.ActSendBack)
	}
	if err := tellOwner(a, &row.Piece, l, v); err != nil {
		return err
	}
	return askTurns(a, &row.Piece, l)
}

// tellOwner tells the owner and the holder of a verdict that decides nothing yet.
func tellOwner(a *newsroom.Command, p *relay.Piece, l *relay.Leg, v Verdict) error {
	ns := []newsroom.Note{{To: p.Owner, Kind: "verdict", Text: fmt.Sprintf("%s %s. %s waits for others still.", newsroom.First(a.Setup.Actor(a.Actor)), newsroom.SayWhat(v.Say), l.Name), Why: v.Text}}
	if l.Holder != p.Owner {
		ns = append(ns, ns[0])
		ns[1].To = l.Holder
	}
	for _, n := range planning.Others(a, ns...) {
		if err := a.Send(p, n); err != nil {
			return err
		}
	}
	return nil
}

// signedOff passes a leg whose verdicts suffice. What its checklist and fields still ask
// for is left to its holder, who is told.
func signedOff(a *newsroom.Command, row store.Row, l *relay.Leg, vs []voice) error {
	unmet, err := planning.Unmet(a, row.Piece, l.Key)
	if err != nil {
		return err
	}
	if len(unmet) > 0 {
		to := l.Holder
		if x := a.Setup.Person(to); to == 0 || !x.Access.May(relay.RunLegs) {
			to = row.Owner
		}
		return a.Send(&row.Piece, newsroom.Note{To: to, Kind: "verdict", Text: fmt.Sprintf("%s is signed off. Before it is passed: %s.", l.Name, english.And(check.Texts(unmet))), Mail: true})
	}
	err = a.Move(newsroom.Order{Act: relay.ActPass, Piece: row.ID, Leg: l.Key, Version: 0}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
		return relay.Pass(p, l.Key, nil, nil, "", s)
	})
	if err != nil {
		return err
	}
	is := a.Put.Pieces[row.ID]
	for _, x := range vs {
		if x.Verdict.Say != relay.WithNotes || x.Verdict.Text == "" {
			continue
		}
		if err := noteAsQuery(a, is, x.Verdict); err != nil {
			return err
		}
	}
	return nil
}

// noteAsQuery makes the notes of a verdict a query for whoever has the piece next. Their
// leg is not passed, and the piece does not go out, before it is answered or settled.
func noteAsQuery(a *newsroom.Command, p relay.Piece, v store.Verdict) error {
	q := query.Query{PieceID: p.ID, About: query.Piece, Text: v.Text, By: v.PersonID, At: a.Now, HeardAt: a.Now, ForID: p.Owner, Note: true}
	for _, l := range p.Running() {
		if q.Leg == "" || q.ForID == p.Owner && l.Holder != 0 {
			q.Leg, q.Reason = l.Key, l.Run
		}
		if l.Holder != 0 {
			q.ForID = l.Holder
			break
		}
	}
	q, err := q.Check()
	if err != nil {
		return err
	}
	if q.ID, err = a.Tx.AddQuery(a, q); err != nil {
		return err
	}
	return copyroom.TellQuery(a, store.Row{Piece: p}, q, nil, q.Text)
}

// ownVerdict keeps the verdict of whoever passes or sends back a leg that signs the copy
// off, and says whose are still owed before it is passed.
func ownVerdict(a *newsroom.Command, piece ref.Piece, leg string, say relay.Say, text string) (owed []string, err error) {
	row, err := store.Piece(a, a.Tx, piece)
	if errors.Is(err, store.ErrNone) {
		return nil, nil // said by who moves it
	} else if err != nil {
		return nil, err
	}
	l := row.Leg(leg)
	if l == nil || l.State != relay.Running {
		return nil, nil
	}
	if !l.SignOff {
		_, now, _, err := newsroom.Newest(a, a.Tx, &row)
		if err != nil {
			return nil, err
		}
		return staleSignOff(a.Setup, a, a.Tx, &row, now)
	}
	if err := copyroom.Settle(a, piece); err != nil {
		return nil, err
	}
	if row, err = store.Piece(a, a.Tx, piece); err != nil {
		return nil, err
	}
	vs, err := voicesOf(a, &row.Piece, l)
	if err != nil {
		return nil, err
	}
	today := a.Now.Date(a.Setup.Zones[row.DeskID])
	at := slices.IndexFunc(vs, func(v voice) bool {
		return v.Verdict.ID == 0 && (v.PersonID == a.Actor || standsIn(a.Setup, v.PersonID, today) == a.Actor)
	})
	if at < 0 && say.Yes() && len(vs) == 1 && vs[0].ID == 0 { // owner or lead notes what the holder said
		at = 0
	}
	if at >= 0 {
		if vs[at].Verdict, err = keepVerdict(a, row, l, vs[at].Reviewer, Verdict{Say: say, Text: strings.TrimSpace(text)}); err != nil {
			return nil, err
		}
	}
	if relay.Tally(spoken(vs), review(a.Setup, &row.Piece, l.Key).Need) == relay.Forward {
		return nil, nil
	}
	for _, v := range vs {
		if !v.Verdict.Say.Yes() {
			owed = append(owed, "the verdict of "+a.Setup.Person(v.PersonID).Name+" is waited for")
		}
	}
	if at >= 0 && say.Yes() && len(owed) > 0 { // what is refused keeps nothing
		owed = append(owed, "your own is not given by passing; give it by “Read it and give your verdict”")
	}
	return owed, nil
}

// staleSignOff says which sign-offs of a piece need another one, because the copy is
// another since and the route asks for that.
func staleSignOff(b *newsroom.Setup, ctx context.Context, r store.Reader, row *store.Row, now copy.Text) ([]string, error) {
	l := row.SignedOff()
	if l == nil || !review(b, &row.Piece, l.Key).Again {
		return nil, nil
	}
	said, err := store.VerdictsOf(ctx, r, row.ID)
	if err != nil {
		return nil, err
	}
	if s := signedAs(l, said); s.ID == 0 || s.Hash == contentHash(now) {
		return nil, nil
	}
	return []string{"the copy has changed since " + l.Name + "; send it back there for another yes"}, nil
}

// signedAs gives the last yes that signed a leg off; without an id if there is none.
func signedAs(l *relay.Leg, said []store.Verdict) store.Verdict {
	for _, v := range slices.Backward(said) {
		if v.Leg == l.Key && v.Run == l.Run && v.Say.Yes() {
			return v
		}
	}
	return store.Verdict{}
}
