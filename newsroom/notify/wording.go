package notify

import (
	"context"
	"errors"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/core/words"
	"greenbaton/newsroom"
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
func wording(b *newsroom.Setup, desk ref.Desk, key string) string {
	i := slices.IndexFunc(b.Wordings, func(w store.Wording) bool { return w.DeskID == desk && w.Key == key })
	if i < 0 {
		return ""
	}
	return b.Wordings[i].Words
}

// Wording gives the words of a message on a desk as they are changed, empty for the usual.
func Wording(b *newsroom.Setup, desk ref.Desk, key string) string { return wording(b, desk, key) }

// Worded gives what is said on a desk in place of the usual.
func Worded(a *newsroom.Command, key, usual string, p *relay.Piece, l *relay.Leg, e relay.Event) string {
	w := wording(a.Setup, p.DeskID, key)
	if w == "" {
		return usual
	}
	return words.Fill(w, Fields(a.Setup, p, l, newsroom.First(a.Setup.Actor(a.Actor)), e.Why, 0, a.Now, a.Free))
}

// Fields are what stands for the named fields in words about a piece and a leg of it.
func Fields(b *newsroom.Setup, p *relay.Piece, l *relay.Leg, who, why string, days int, now day.Moment, free func(ref.Channel) []day.Moment) map[string]string {
	out := map[string]string{
		"piece": p.Title, "owner": b.Name(p.Owner), "day": b.At(p.GoesOut, p.DeskID), "who": who, "why": why, "days": english.Number(days),
		"leg": "the piece", "holder": "nobody", "due": "no day yet",
	}
	if s, err := newsroom.Standing(b, b.Planned[p.DeskID], *p, now, free); err == nil {
		out["pace"] = newsroom.SayPace(s)
	}
	if l != nil {
		out["leg"], out["holder"], out["due"] = l.Name, b.Name(l.Holder), b.SayDue(p, l)
	} else if run := p.Running(); len(run) > 0 {
		var names []string
		for _, x := range run {
			names = append(names, b.Name(x.Holder))
		}
		out["holder"] = english.And(names)
	}
	return out
}

func checkWording(key, text string) error {
	i := slices.IndexFunc(Wordables, func(w Wordable) bool { return w.Key == key })
	switch {
	case i < 0:
		return newsroom.ErrNotFound
	case len([]rune(text)) > MostWording:
		return newsroom.Invalid("words", "Keep the words under %d characters.", MostWording)
	case strings.ContainsAny(text, "\r\n"):
		return newsroom.Invalid("words", "Write them in one line; they are the subject of mails too.")
	}
	if err := words.Check(text, rule.NamedInMessages()); err != nil {
		return newsroom.Invalid("words", "%s.", english.UpperFirst(err.Error()))
	}
	return nil
}

// SaveWording changes the words of a message on a desk; empty ones make them the usual again.
func (h Room) SaveWording(ctx context.Context, by ref.Person, desk ref.Desk, key, text string) error {
	text = strings.TrimSpace(text)
	if err := checkWording(key, text); err != nil {
		return err
	}
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		was := wording(a.Setup, desk, key)
		if was == text {
			return nil
		}
		if err := a.Tx.SetWording(a, store.Wording{DeskID: desk, Key: key, Words: text}); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "changed the words of a message", Before: was, After: text})
	})
}

// PreviewWording fills the words of a message with a real piece of the desk, the one that
// was named or else the next that is due.
func (h Room) PreviewWording(ctx context.Context, by ref.Person, desk ref.Desk, key, text string, piece ref.Piece) (said, title string, err error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return "", "", err
	}
	if err := b.MayLead(by, desk); err != nil {
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
	f := Fields(b, best, best.Running()[0], newsroom.First(b.Person(by).Name), "", 0, h.Now(), func(ref.Channel) []day.Moment { return nil })
	return words.Fill(text, f), best.Title, nil
}
