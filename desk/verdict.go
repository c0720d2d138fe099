package desk

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
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
func (h *House) SayVerdict(ctx context.Context, k Key, v Verdict) error {
	return h.reviewAct(ctx, k, func(a *act, x store.Reviewer, row store.Row) error {
		l := row.Leg(x.Leg)
		if l == nil || !signsNow(*l) || row.Stage != relay.UnderWay {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "No verdict is waited for just now. Thank you for reading it."}
		}
		v.Text = strings.TrimSpace(strings.ReplaceAll(v.Text, "\r\n", "\n"))
		switch {
		case v.Say != relay.SignedIt && v.Say != relay.WithNotes && v.Say != relay.NotYet:
			return bad("say", "Choose one of the three: sign it off, sign it off with notes, or send it back.")
		case v.Say != relay.SignedIt && v.Text == "" && !a.asksOpen(row.ID):
			return bad("text", "%s", map[relay.Say]string{relay.WithNotes: "Write your notes; whoever has it next sees to them.", relay.NotYet: "Say what is to be changed, so that it can be seen to."}[v.Say])
		case len([]rune(v.Text)) > 2_000:
			return bad("text", "Keep it under 2,000 characters; ask about single words in the copy for the rest.")
		}
		return a.sayVerdict(row, l, x, v)
	})
}

// asksOpen reports whether the reviewer has open queries on a piece.
func (a *act) asksOpen(piece int64) bool {
	ids, err := a.openAsked(piece)
	return err == nil && len(ids) > 0
}

func (a *act) openAsked(piece int64) ([]int64, error) {
	qs, err := store.QueriesOf(a, a.tx, piece)
	var out []int64
	for _, q := range qs {
		if q.By == a.by && !q.Settled() {
			out = append(out, q.ID)
		}
	}
	return out, err
}

func (a *act) sayVerdict(row store.Row, l *relay.Leg, x store.Reviewer, v Verdict) error {
	vs, err := a.voicesOf(&row.Piece, l)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(vs, func(y voice) bool { return y.ID == x.ID && y.PersonID == x.PersonID })
	if at < 0 || !slices.Contains(relay.Turns(spoken(vs), a.b.review(&row.Piece, l.Key).InOrder), at) {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Your verdict is not waited for just now: it was given already, or others are asked first."}
	}
	if err := a.sameAsRead(&row, v.Seq); err != nil {
		return err
	}
	kept, err := a.keepVerdict(row, l, x, v)
	if err != nil {
		return err
	}
	vs[at].Verdict = kept
	err = a.goOn(row, l, vs, v)
	a.undo, a.did = undoState{}, nil // a verdict is no slip of the hand
	return err
}

// sameAsRead refuses a verdict on a copy that is another by now.
func (a *act) sameAsRead(row *store.Row, seq int) error {
	_, now, _, err := newest(a, a.tx, row)
	if err != nil {
		return err
	}
	read, err := textAt(a, a.tx, row, seq)
	if err != nil {
		return err
	}
	if contentHash(now) != contentHash(read) {
		return &relay.Refusal{Reason: relay.ErrChanged, Text: "The copy has changed since you opened it, so your verdict does not count yet. What changed is shown; look at it, then say it again."}
	}
	return nil
}

// keepVerdict stores a verdict with the version and the hash of what was read.
func (a *act) keepVerdict(row store.Row, l *relay.Leg, x store.Reviewer, v Verdict) (store.Verdict, error) {
	_, text, seq, err := newest(a, a.tx, &row)
	if err != nil {
		return store.Verdict{}, err
	}
	out := store.Verdict{PieceID: row.ID, Leg: l.Key, Run: l.Run, ReviewerID: x.ID, PersonID: x.PersonID, By: a.by, Say: v.Say, Text: v.Text, CopyVersion: row.CopyVersion, Seq: seq, Hash: contentHash(text), At: a.now}
	if out.ID, err = a.tx.AddVerdict(a, out); err != nil {
		return out, err
	}
	if c, err := store.CopyAt(a, a.tx, row.ID, row.CopyVersion); err == nil { // this version stays as it is
		label := a.b.Person(x.PersonID).Name + " " + SayWhat(v.Say)
		if c.Label != "" {
			label = c.Label + "; " + label
		}
		if err := a.tx.LabelCopy(a, row.ID, row.CopyVersion, label); err != nil {
			return out, err
		}
	}
	what := SayWhat(v.Say) + " in " + l.Name
	if a.by != x.PersonID {
		what += ", for " + a.b.Person(x.PersonID).Name
	}
	e := store.Entry{DeskID: row.DeskID, PieceID: row.ID, Act: "verdict", What: what, Why: v.Text, Version: row.Version, After: fmt.Sprintf("version %d of the copy, SHA-256 %s", row.CopyVersion, out.Hash)}
	a.put.pieces[row.ID] = row.Piece
	return out, a.logEvents(&row.Piece, e, []rule.Event{{Kind: rule.Verdict, Leg: l.Key, To: l.Holder, Why: v.Text, Say: string(v.Say)}})
}

// goOn does what the verdicts of a leg come to: the piece goes on, with notes as queries
// for whoever has it next, or back to the leg that the route names, or the next are asked.
func (a *act) goOn(row store.Row, l *relay.Leg, vs []voice, v Verdict) error {
	review := a.b.review(&row.Piece, l.Key)
	a.trusted = true
	defer func() { a.trusted = false }()
	switch relay.Tally(spoken(vs), review.Need) {
	case relay.Forward:
		return a.signedOff(row, l, vs)
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
		open, err := a.openAsked(row.ID)
		if err != nil {
			return err
		}
		return a.sendBack(Back{Piece: row.ID, From: l.Key, To: to, Reasons: strings.Join(reasons, "\n\n"), Queries: open}, relay.ActSendBack)
	}
	if err := a.tellOwner(&row.Piece, l, v); err != nil {
		return err
	}
	return a.askTurns(&row.Piece, l)
}

// tellOwner tells the owner and the holder of a verdict that decides nothing yet.
func (a *act) tellOwner(p *relay.Piece, l *relay.Leg, v Verdict) error {
	ns := []note{{to: p.Owner, kind: "verdict", text: fmt.Sprintf("%s %s. %s waits for others still.", First(a.b.actor(a.by)), SayWhat(v.Say), l.Name), why: v.Text}}
	if l.Holder != p.Owner {
		ns = append(ns, ns[0])
		ns[1].to = l.Holder
	}
	for _, n := range a.others(ns...) {
		if err := a.send(p, n); err != nil {
			return err
		}
	}
	return nil
}

// signedOff passes a leg whose verdicts suffice. What its checklist and fields still ask
// for is left to its holder, who is told.
func (a *act) signedOff(row store.Row, l *relay.Leg, vs []voice) error {
	unmet, err := a.unmet(row.Piece, l.Key)
	if err != nil {
		return err
	}
	if len(unmet) > 0 {
		to := l.Holder
		if x := a.b.Person(to); to == 0 || !x.Access.May(relay.RunLegs) {
			to = row.Owner
		}
		return a.send(&row.Piece, note{to: to, kind: "verdict", text: fmt.Sprintf("%s is signed off. Before it is passed: %s.", l.Name, Names(unmet)), mail: true})
	}
	err = a.move(order{relay.ActPass, row.ID, l.Key, 0}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
		return relay.Pass(p, l.Key, nil, nil, "", s)
	})
	if err != nil {
		return err
	}
	is := a.put.pieces[row.ID]
	for _, x := range vs {
		if x.Verdict.Say != relay.WithNotes || x.Verdict.Text == "" {
			continue
		}
		if err := a.noteAsQuery(is, x.Verdict); err != nil {
			return err
		}
	}
	return nil
}

// noteAsQuery makes the notes of a verdict a query for whoever has the piece next. Their
// leg is not passed, and the piece does not go out, before it is answered or settled.
func (a *act) noteAsQuery(p relay.Piece, v store.Verdict) error {
	q := query.Query{PieceID: p.ID, About: query.Piece, Text: v.Text, By: v.PersonID, At: a.now, HeardAt: a.now, ForID: p.Owner, Note: true}
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
	if q.ID, err = a.tx.AddQuery(a, q); err != nil {
		return err
	}
	return a.tellQuery(store.Row{Piece: p}, q, nil, q.Text)
}

// ownVerdict keeps the verdict of whoever passes or sends back a leg that signs the copy
// off, and says whose are still owed before it is passed.
func (a *act) ownVerdict(piece int64, leg string, say relay.Say, text string) (owed []string, err error) {
	row, err := store.Piece(a, a.tx, piece)
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
		_, now, _, err := newest(a, a.tx, &row)
		if err != nil {
			return nil, err
		}
		return a.b.staleSignOff(a, a.tx, &row, now)
	}
	if err := a.settle(piece); err != nil {
		return nil, err
	}
	if row, err = store.Piece(a, a.tx, piece); err != nil {
		return nil, err
	}
	vs, err := a.voicesOf(&row.Piece, l)
	if err != nil {
		return nil, err
	}
	today := a.now.Date(a.b.Zones[row.DeskID])
	at := slices.IndexFunc(vs, func(v voice) bool {
		return v.Verdict.ID == 0 && (v.PersonID == a.by || a.b.standsIn(v.PersonID, today) == a.by)
	})
	if at < 0 && say.Yes() && len(vs) == 1 && vs[0].ID == 0 { // owner or lead notes what the holder said
		at = 0
	}
	if at >= 0 {
		if vs[at].Verdict, err = a.keepVerdict(row, l, vs[at].Reviewer, Verdict{Say: say, Text: strings.TrimSpace(text)}); err != nil {
			return nil, err
		}
	}
	if relay.Tally(spoken(vs), a.b.review(&row.Piece, l.Key).Need) == relay.Forward {
		return nil, nil
	}
	for _, v := range vs {
		if !v.Verdict.Say.Yes() {
			owed = append(owed, "the verdict of "+a.b.Person(v.PersonID).Name+" is waited for")
		}
	}
	if at >= 0 && say.Yes() && len(owed) > 0 { // what is refused keeps nothing
		owed = append(owed, "your own is not given by passing; give it by “Read it and give your verdict”")
	}
	return owed, nil
}

// staleSignOff says which sign-offs of a piece need another one, because the copy is
// another since and the route asks for that.
func (b *Books) staleSignOff(ctx context.Context, r store.Reader, row *store.Row, now copy.Text) ([]string, error) {
	l := row.SignedOff()
	if l == nil || !b.review(&row.Piece, l.Key).Again {
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
