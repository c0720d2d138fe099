package desk

import (
	"context"
	"errors"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/core/words"
	"greenbaton/store"
)

// Wordable is a message whose words a desk may change.
type Wordable struct {
	Key   string
	When  string
	Usual string // as near as fields come to what is said where nothing is changed
}

// Wordables are the messages whose words a desk may change.
var Wordables = []Wordable{
	{"handoff", "A leg comes to somebody", "{leg} is with you, from {who}. Due {due}."},
	{"sent back", "A piece comes back to somebody", "It came back to you from {who}, for {leg}."},
	{"nobody", "A leg begins and nobody has it", "{leg} has begun and nobody has it yet."},
	{"ready", "All legs of a piece are passed", "All legs are passed. It goes out {day}."},
	{"out", "A piece is out", "It is out."},
	{"missed", "A piece did not go out at its time", "It was not ready at its time and did not go out."},
}

// MostWording is how long the words of a message may be.
const MostWording = 400

// wording gives the words of a message on a desk; empty where they are the usual.
func (b *Books) wording(desk int64, key string) string {
	i := slices.IndexFunc(b.Wordings, func(w store.Wording) bool { return w.DeskID == desk && w.Key == key })
	if i < 0 {
		return ""
	}
	return b.Wordings[i].Words
}

// Wording gives the words of a message on a desk as they are changed, empty for the usual.
func (b *Books) Wording(desk int64, key string) string { return b.wording(desk, key) }

// worded gives what is said on a desk in place of the usual.
func (a *act) worded(key, usual string, p *relay.Piece, l *relay.Leg, e relay.Event) string {
	w := a.b.wording(p.DeskID, key)
	if w == "" {
		return usual
	}
	return words.Fill(w, a.b.fields(p, l, First(a.b.actor(a.by)), e.Why, 0, a.now, a.free))
}

// fields are what stands for the named fields in words about a piece and a leg of it.
func (b *Books) fields(p *relay.Piece, l *relay.Leg, who, why string, days int, now day.Moment, free func(int64) []day.Moment) map[string]string {
	out := map[string]string{
		"piece": p.Title, "owner": b.Name(p.Owner), "day": b.At(p.GoesOut, p.DeskID), "who": who, "why": why, "days": Number(days),
		"leg": "the piece", "holder": "nobody", "due": "no day yet",
	}
	if s, err := standing(b, *p, now, free); err == nil {
		out["pace"] = SayPace(s)
	}
	if l != nil {
		out["leg"], out["holder"], out["due"] = l.Name, b.Name(l.Holder), Short(l.Due)
	} else if run := p.Running(); len(run) > 0 {
		var names []string
		for _, x := range run {
			names = append(names, b.Name(x.Holder))
		}
		out["holder"] = Names(names)
	}
	return out
}

func checkWording(key, text string) error {
	i := slices.IndexFunc(Wordables, func(w Wordable) bool { return w.Key == key })
	switch {
	case i < 0:
		return ErrNotFound
	case len([]rune(text)) > MostWording:
		return bad("words", "Keep the words under %d characters.", MostWording)
	case strings.ContainsAny(text, "\r\n"):
		return bad("words", "Write them in one line; they are the subject of mails too.")
	}
	if err := words.Check(text, rule.Named[:len(rule.Named)-1]); err != nil {
		return bad("words", "%s.", UpperFirst(err.Error()))
	}
	return nil
}

// SaveWording changes the words of a message on a desk; empty ones make them the usual again.
func (h *House) SaveWording(ctx context.Context, by, desk int64, key, text string) error {
	text = strings.TrimSpace(text)
	if err := checkWording(key, text); err != nil {
		return err
	}
	return h.setUpAct(ctx, by, desk, func(a *act) error {
		was := a.b.wording(desk, key)
		if was == text {
			return nil
		}
		if err := a.tx.SetWording(a, store.Wording{DeskID: desk, Key: key, Words: text}); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: "changed the words of a message", Before: was, After: text})
	})
}

// PreviewWording fills the words of a message with a real piece of the desk, the one that
// was named or else the next that is due.
func (h *House) PreviewWording(ctx context.Context, by, desk int64, key, text string, piece int64) (said, title string, err error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return "", "", err
	}
	if err := b.mayLead(by, desk); err != nil {
		return "", "", err
	}
	if err := checkWording(key, strings.TrimSpace(text)); err != nil {
		var r *relay.Refusal
		if errors.As(err, &r) {
			return r.Text, "", nil
		}
		return "", "", err
	}
	var best *relay.Piece
	for _, p := range board.Pieces {
		if p.DeskID == desk && p.Stage == relay.UnderWay && len(p.Running()) > 0 && (best == nil || p.ID == piece) {
			best = p
		}
	}
	if best == nil {
		return "No piece is under way to show it with.", "", nil
	}
	f := b.fields(best, best.Running()[0], First(b.Person(by).Name), "", 0, h.Now(), func(int64) []day.Moment { return nil })
	return words.Fill(text, f), best.Title, nil
}
