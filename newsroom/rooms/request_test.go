package rooms_test

import (
	"errors"
	"strings"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
)

// form makes a form that anyone can fill in.
func (x *testHouse) form() request.Form {
	x.t.Helper()
	id, err := x.Intake.SaveForm(ctx, lead, request.Form{DeskID: 1, Slug: "a-piece", Name: "A piece", Anyone: true, Open: true, Fields: []request.Field{
		{Name: "What", Kind: request.Choice, Must: true, Options: []request.Option{{Name: "A story", Format: 1}, {Name: "Else"}}}, {Name: "For whom", Kind: request.Line, Into: "audience"}, {Name: "More", Kind: request.Text}, {Name: "Papers", Kind: request.Files},
	}})
	x.must(err)
	f, err := x.Intake.Form(ctx, 0, "a-piece")
	x.must(err)
	if f.ID != id {
		x.t.Fatal("another form")
	}
	return f
}

// ask sends a request in and gives its id and token.
func (x *testHouse) ask(f request.Form, title string, files ...copyroom.Upload) (ref.Request, string) {
	x.t.Helper()
	typed := map[string]string{"who": "Gwen, of \"Corran\"", "mail": "gwen@corran.example", "title": title, "f0": "A story", "f1": "People who bake", "f2": "=1+1 and more"}
	a, err := f.Read(func(k string) string { return typed[k] }, nil, x.today())
	x.must(err)
	token, err := x.Intake.Ask(ctx, 0, f, a, files)
	x.must(err)
	return ref.Request(x.count("SELECT MAX(id) FROM request")), token
}

func TestARequestBecomesAPieceWithEverythingItsFormBrought(t *testing.T) {
	h := newHouse(t)
	h.asks(false)
	f := h.form()
	id, token := h.ask(f, "Oats 🌾", *h.picture())
	if h.told(lead, "request", "asks: “Oats 🌾”") != 1 {
		t.Error("the lead was not told")
	}
	r, err := h.Intake.Triage(ctx, editor, id)
	h.must(err)
	if r.State != store.Asked || r.Format != 1 || len(r.Files) != 1 || r.Left != 1 {
		t.Errorf("%+v", r.Request)
	}
	at := day.MomentOf(h.now) + 20*86400
	piece, err := h.Intake.TakeRequest(ctx, editor, id, r.Version, intake.Take{Format: 1, GoesOut: at, Writer: freelance, Owner: editor, Priority: new(relay.High), Word: "Gladly."})
	h.must(err)
	p := h.piece(piece)
	if p.Title != "Oats 🌾" || p.Owner != editor || p.Priority != relay.High || p.GoesOut != at || p.Leg("draft").Holder != freelance || p.Leg("draft").Due == 0 || p.CopyVersion != 1 || p.Brief != "What: A story\nMore: =1+1 and more\n\nAsked by Gwen, of \"Corran\"." {
		t.Errorf("%+v", p.Piece)
	}
	b := h.brief(lead, piece)
	if b.Brief.Answers["audience"] != "People who bake" || len(b.Files) != 1 || len(b.Findings) != 1 || h.count("SELECT COUNT(*) FROM step WHERE piece_id = ?", piece) != 1 {
		t.Errorf("the brief says %v, with %d files and %d findings", b.Brief.Answers, len(b.Files), len(b.Findings))
	}
	x, err := h.Intake.Follow(ctx, token)
	h.must(err)
	if x.State != store.Taken || !strings.Contains(x.GoesOut, "Dec") && !strings.Contains(x.GoesOut, "Nov") || len(x.Words) != 1 || x.Names[editor] != "Edi Editor" {
		t.Errorf("%+v", x)
	}
	if n := h.count(`SELECT COUNT(*) FROM outbox WHERE "to" = '"Gwen, of \"Corran\"" <gwen@corran.example>' AND body LIKE '%/asked/' || ? || '%'`, token); n != 2 {
		t.Errorf("%d mails with the way to their page", n)
	}
	if _, err := h.Intake.TakeRequest(ctx, lead, id, 0, intake.Take{Format: 1, Owner: lead}); !refused(err, relay.ErrNotNow) {
		t.Errorf("taken twice: %v", err)
	}
	u, err := h.LastUndo(ctx, editor)
	h.must(err)
	if _, _, err := h.Undo(ctx, editor, u.ID); err != nil {
		t.Fatal(err)
	}
	if r, err := h.Intake.Triage(ctx, editor, id); err != nil || r.State != store.Asked || h.piece(piece).Stage != relay.Withdrawn {
		t.Errorf("taken back it is %s, %v", r.State, err)
	}
}

func TestARequestIsAskedBackAnsweredAndTurnedDown(t *testing.T) {
	h := newHouse(t)
	f := h.form()
	id, token := h.ask(f, "Oats")
	other, _ := h.ask(f, "Rye")
	seen, err := h.Intake.Triage(ctx, lead, id)
	h.must(err)
	if seen.On != other || seen.Before != 0 || seen.Left != 2 {
		t.Errorf("before %d, next %d of %d", seen.Before, seen.On, seen.Left)
	}
	h.must(h.Intake.AskBack(ctx, lead, id, seen.Version, "Which oats?"))
	if err := h.Intake.TurnDown(ctx, lead, id, seen.Version, "No."); !refused(err, relay.ErrChanged) {
		t.Errorf("decided over what was said: %v", err)
	}
	h.must(h.Intake.Reply(ctx, token, "The black ones."))
	if r, _ := h.Intake.Triage(ctx, lead, id); r.State != store.Asked || len(r.Words) != 2 || r.Words[1].By != 0 || h.told(lead, "request", "answered about") != 1 {
		t.Errorf("%s, %d words", r.State, len(r.Words))
	}
	if err := h.Intake.TurnDown(ctx, lead, id, 0, " "); !refused(err, relay.ErrInput) {
		t.Errorf("without a reason: %v", err)
	}
	h.must(h.Intake.TurnDown(ctx, lead, id, 0, "We had oats."))
	if x, err := h.Intake.Follow(ctx, token); err != nil || x.Why != "We had oats." {
		t.Errorf("%+v, %v", x, err)
	}
	if err := h.Intake.Reply(ctx, token, " "); !refused(err, relay.ErrInput) {
		t.Errorf("an empty answer: %v", err)
	}
}

// Tokens that were not given out, cut, or made for another request find nothing.
func TestOnlyWhoAskedFollowsARequest(t *testing.T) {
	h := newHouse(t)
	f := h.form()
	_, token := h.ask(f, "Oats")
	_, second := h.ask(f, "Rye")
	for _, bad := range []string{"", "x", token[:len(token)-1], token + "A", second[:3] + token[3:], token[:3] + second[3:], strings.Repeat("A", 26), strings.Repeat("_", 200)} {
		if bad == token || bad == second {
			continue
		}
		if _, err := h.Intake.Follow(ctx, bad); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("%q: %v", bad, err)
		}
		if err := h.Intake.Reply(ctx, bad, "hello"); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("%q answers: %v", bad, err)
		}
	}
	f.Open = false
	_, err := h.Intake.SaveForm(ctx, lead, f)
	h.must(err)
	if _, err := h.Intake.Form(ctx, 0, "a-piece"); !refused(err, relay.ErrNotNow) {
		t.Errorf("a closed form: %v", err)
	}
	if _, err := h.Intake.Ask(ctx, 0, f, request.Asked{Title: "Late", Name: "x", Mail: "x@x.example"}, nil); !refused(err, relay.ErrNotNow) {
		t.Errorf("asked by a closed form: %v", err)
	}
	f.Open, f.Anyone = true, false
	_, err = h.Intake.SaveForm(ctx, lead, f)
	h.must(err)
	if _, err := h.Intake.Form(ctx, 0, "a-piece"); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("nobody opens a form of the house: %v", err)
	}
	if _, err := h.Intake.Form(ctx, freelance, "a-piece"); err != nil {
		t.Errorf("a colleague: %v", err)
	}
	if x, err := h.Intake.Follow(ctx, token); err != nil || x.Title != "Oats" {
		t.Errorf("what was asked before: %+v, %v", x.Request, err)
	}
}

// Who is full is said with the day until when, and the first slot that works.
func TestCapacitySaysWhoIsFullAndWhatWorks(t *testing.T) {
	h := newHouse(t)
	wanted := h.today() + 17
	c, err := h.Intake.Capacity(ctx, lead, intake.Take{Format: 1}, wanted)
	h.must(err)
	if !c.Works || c.At.In(h.now.Location()).Format("2006-01-02") != wanted.String() {
		t.Fatalf("an empty house: %+v", c)
	}
	for range 12 {
		h.make("12-11")
	}
	c, err = h.Intake.Capacity(ctx, lead, intake.Take{Format: 1}, wanted)
	h.must(err)
	if c.Works || !strings.Contains(c.Says, "Wim is full until ") || !strings.HasSuffix(c.Says, " works.") || c.At == 0 {
		t.Errorf("a full house: %+v", c)
	}
	other, err := h.Intake.Capacity(ctx, lead, intake.Take{Format: 1, Writer: freelance}, wanted)
	h.must(err)
	if strings.Contains(other.Says, "Wim") {
		t.Errorf("with another writer: %+v", other)
	}
	taken := newHouse(t) // everybody has time, and somebody is there already
	taken.make("12-11")
	if c, err := taken.Intake.Capacity(ctx, lead, intake.Take{Format: 1}, wanted); err != nil || c.Works || !strings.Contains(c.Says, "“The tide mill” goes out on Web then as well. The next free slot is Mon 14 Dec") {
		t.Errorf("on a taken day: %+v, %v", c, err)
	}
	soon, err := h.Intake.Capacity(ctx, lead, intake.Take{Format: 1, Writer: freelance}, h.today()+1)
	h.must(err)
	if soon.Works {
		t.Errorf("for tomorrow: %+v", soon)
	}
}

// A format of another desk sends a request there, for who belongs to both.
func TestARequestGoesToTheDeskOfItsFormat(t *testing.T) {
	h := newHouse(t)
	id, _ := h.ask(h.form(), "Oats")
	var d store.Desk
	h.must(h.DB.Get(ctx, &d, "SELECT * FROM desk WHERE id = 1"))
	d.ID, d.Name = 0, "Bakehouse"
	other, err := h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	channel, err := h.Settings.SaveChannel(ctx, lead, store.Channel{DeskID: other, Name: "Bakehouse paper"})
	h.must(err)
	format, err := h.Settings.SaveFormat(ctx, lead, store.Format{DeskID: other, ChannelID: channel, Name: "Column"})
	h.must(err)
	if _, err := h.Intake.TakeRequest(ctx, editor, id, 0, intake.Take{Format: format, Owner: editor}); !refused(err, relay.ErrNotYours) {
		t.Errorf("who does not belong there sends it: %v", err)
	}
	piece, err := h.Intake.TakeRequest(ctx, lead, id, 0, intake.Take{Format: format, Owner: lead})
	h.must(err)
	if p := h.piece(piece); p.DeskID != other || p.FormatID != format {
		t.Errorf("it is on desk %d", p.DeskID)
	}
}
