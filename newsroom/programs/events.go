package programs

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/notify"
	"greenbaton/store"
)

// Kind is a kind of event that programs elsewhere can hear of.
type Kind struct {
	Type string // as it is posted
	Says string
	of   rule.Kind // "" for those that follow from what is stored
}

// Kinds are all kinds of events, in the order in which they are offered.
var Kinds = []Kind{
	{"piece.made", "a piece is made", rule.Created},
	{"leg.begun", "a leg begins", rule.Begins},
	{"leg.passed", "a leg is passed", rule.Passed},
	{"leg.sent_back", "a piece is sent back", rule.SentBack},
	{"leg.given", "a leg is given to somebody", rule.Kind(relay.Given)},
	{"leg.taken", "somebody takes a leg", rule.Kind(relay.Taken)},
	{"leg.skipped", "a leg is left out", rule.Kind(relay.LeftOut)},
	{"piece.moved", "a piece gets another day", rule.DayMoved},
	{"piece.changed", "its title, owner, topic or the like is another", rule.Changed},
	{"piece.ready", "all its legs are passed", rule.Kind(relay.AllPassed)},
	{"piece.published", "a piece goes out", rule.Published},
	{"piece.missed", "a piece misses its time", rule.Kind(relay.Missed)},
	{"piece.withdrawn", "a piece is withdrawn", rule.Kind(relay.Withdrew)},
	{"piece.updated", "anything of a piece is stored", ""},
	{"piece.removed", "the making of a piece is taken back", ""},
	{"query.asked", "somebody asks about a copy", rule.Asked},
	{"copy.proposed", "something is proposed in a copy", rule.Proposed},
	{"verdict.said", "somebody says a verdict", rule.Verdict},
	{"request.received", "somebody asks for something by a form", rule.Requested},
	{"work.accepted", "what a leg gave is accepted", rule.Accepted},
	{"budget.spent", "a budget is nearly used, or over", rule.Spent},
}

// signal is an event as it is posted, in the form of Standard Webhooks: a type, a time and data.
type signal struct {
	Type      string    `json:"type"`
	Timestamp time.Time `json:"timestamp"`
	Data      data      `json:"data"`
}

type data struct {
	Desk    ref.Desk    `json:"desk"`
	Piece   *about      `json:"piece,omitempty"`
	Leg     string      `json:"leg,omitempty"`
	By      ref.Person  `json:"by,omitempty"` // missing where Green Baton did it by itself
	To      ref.Person  `json:"to,omitempty"`
	Why     string      `json:"why,omitempty"`
	Field   string      `json:"field,omitempty"`
	Request ref.Request `json:"request,omitempty"`
}

type about struct {
	ID      ref.Piece  `json:"id"`
	Number  int        `json:"number,omitempty"`
	Title   string     `json:"title,omitempty"`
	Stage   string     `json:"stage,omitempty"`
	GoesOut *time.Time `json:"goes_out,omitempty"`
	Version int        `json:"version,omitempty"`
	URL     string     `json:"url,omitempty"`
}

// hear keeps what happens to a piece besides what house rules hear of.
func hear(a *newsroom.Command, _ relay.Piece, m relay.Move) error {
	for _, e := range m.Events {
		if !newsroom.ForRules(e.Kind) {
			a.Heard = append(a.Heard, rule.Event{Kind: rule.Kind(e.Kind), Leg: e.Leg, To: e.To, Why: e.Why, Piece: m.Piece.ID, At: a.Now, By: a.Actor})
		}
	}
	return nil
}

// signalAll queues what happened in a command for those who hear of it.
func signalAll(a *newsroom.Command) error {
	if a.Hushed || len(a.Setup.Receivers) == 0 {
		return nil
	}
	for _, e := range a.Heard {
		i := slices.IndexFunc(Kinds, func(k Kind) bool { return k.of == e.Kind })
		if i < 0 {
			continue
		}
		about, err := a.About(e)
		if err != nil {
			return err
		}
		d := data{Desk: about.Piece.DeskID, Leg: e.Leg, By: e.By, To: e.To, Why: e.Why, Field: e.Field, Request: e.Request}
		if e.Piece != 0 {
			d.Piece = aboutPiece(a, &about.Piece)
		}
		if err := queue(a, Kinds[i].Type, e.Piece, d); err != nil {
			return err
		}
	}
	for _, id := range a.Put.Ids() {
		p, ok := a.Put.Pieces[id]
		if !ok || a.Unmade[id] {
			continue
		}
		if err := queue(a, "piece.updated", id, data{Desk: p.DeskID, By: a.Actor, Piece: aboutPiece(a, &p)}); err != nil {
			return err
		}
	}
	for id := range a.Unmade {
		p := a.Put.Pieces[id]
		if err := queue(a, "piece.removed", 0, data{Desk: p.DeskID, By: a.Actor, Piece: &about{ID: id, Number: p.Number, Title: p.Title}}); err != nil {
			return err
		}
	}
	return nil
}

func aboutPiece(a *newsroom.Command, p *relay.Piece) *about {
	x := &about{ID: p.ID, Number: p.Number, Title: p.Title, Stage: string(p.Stage), Version: p.Version, URL: fmt.Sprintf("%s/pieces/%d", a.Newsroom.Base, p.ID)}
	if p.GoesOut != 0 {
		x.GoesOut = new(time.Unix(int64(p.GoesOut), 0).UTC())
	}
	return x
}

// queue puts an event into the outbox for each receiver of its desk that hears of it.
func queue(a *newsroom.Command, kind string, piece ref.Piece, d data) error {
	for _, r := range a.Setup.Receivers {
		if r.DeskID != d.Desk || !r.IsOn || !slices.Contains(strings.Split(r.Kinds, ","), kind) {
			continue
		}
		body, err := json.Marshal(signal{kind, time.Unix(int64(a.Now), 0).UTC(), d})
		if err != nil {
			return err
		}
		m := store.Message{Key: "msg_" + rand.Text(), Kind: store.KindEvent, PieceID: piece, To: fmt.Sprint(r.ID), Subject: kind, Body: string(body), At: a.Now}
		if err := a.Tx.AddMessage(a, m); err != nil {
			return err
		}
	}
	return nil
}

// mostReceivers is to how many programs a desk posts at most.
const mostReceivers = 20

// SaveReceiver stores a program to which events of a desk are posted, a new one where it has no id.
// Its secret is made here, and shown to leads.
func (h Room) SaveReceiver(ctx context.Context, by ref.Person, x store.Receiver) error {
	return h.SetUpAct(ctx, by, x.DeskID, func(a *newsroom.Command) error {
		x.Name, x.URL = strings.Join(strings.Fields(x.Name), " "), strings.TrimSpace(x.URL)
		what := "added the receiver "
		all := ReceiversOf(a.Setup, x.DeskID)
		if x.ID != 0 {
			i := slices.IndexFunc(all, func(r store.Receiver) bool { return r.ID == x.ID })
			if i < 0 {
				return newsroom.ErrNotFound
			}
			x.Secret, what = all[i].Secret, "changed the receiver "
		} else {
			key := make([]byte, 32)
			_, _ = rand.Read(key) // it never fails
			x.Secret = "whsec_" + base64.StdEncoding.EncodeToString(key)
		}
		if x.Retired {
			what = "took away the receiver "
		}
		switch {
		case x.Name == "" || len([]rune(x.Name)) > 60:
			return newsroom.Invalid("name", "Say in up to 60 characters which program it is.")
		case x.Kinds == "":
			return newsroom.Invalid("kind", "Choose at least one thing that it hears of.")
		case x.ID == 0 && len(all) >= mostReceivers:
			return newsroom.Invalid("name", "A desk posts to %d programs. Take one away first.", mostReceivers)
		}
		if err := notify.CheckHookURL(a.Newsroom, x.URL); err != nil {
			return err
		}
		if _, err := a.Tx.SaveReceiver(a, x); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: x.DeskID, Act: "set up", What: what + x.Name})
	})
}

// ReceiversOf gives the programs to which events of a desk are posted.
func ReceiversOf(b *newsroom.Setup, desk ref.Desk) []store.Receiver {
	return slices.DeleteFunc(slices.Clone(b.Receivers), func(r store.Receiver) bool { return r.DeskID != desk })
}

// shownPosted is how many events of a receiver are shown.
const shownPosted = 100

// Posted gives leads the last hundred events that were posted to a receiver of a desk, or wait for it.
func (h Room) Posted(ctx context.Context, who ref.Person, desk ref.Desk, id ref.Receiver) ([]store.Message, error) {
	if err := h.mayRead(ctx, who, desk, id); err != nil {
		return nil, err
	}
	return store.PostedTo(ctx, h.DB.View(), id, shownPosted)
}

func (h Room) mayRead(ctx context.Context, who ref.Person, desk ref.Desk, id ref.Receiver) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	if err := b.MayLead(who, desk); err != nil {
		return err
	}
	if !slices.ContainsFunc(ReceiversOf(b, desk), func(r store.Receiver) bool { return r.ID == id }) {
		return newsroom.ErrNotFound
	}
	return nil
}

// PostAgain posts an event to a receiver once more, under the name it had.
func (h Room) PostAgain(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Receiver, message ref.Message) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		a.SetUp = false // nothing of it is changed
		if !slices.ContainsFunc(ReceiversOf(a.Setup, desk), func(r store.Receiver) bool { return r.ID == id }) {
			return newsroom.ErrNotFound
		}
		if _, err := store.EventMessage(a, a.Tx, id, message); errors.Is(err, store.ErrNone) {
			return newsroom.ErrNotFound
		} else if err != nil {
			return err
		}
		return a.Tx.PostAgain(a, message, a.Now)
	})
}
