package rooms_test

import (
	"errors"
	"fmt"
	"slices"
	"testing"
	"time"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

func (x *testHouse) leg(piece ref.Piece, key string) *relay.Leg {
	x.t.Helper()
	p := x.piece(piece)
	return p.Leg(key)
}

func (x *testHouse) told(who ref.Person, kind, like string) int {
	x.t.Helper()
	return x.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND kind = ? AND text LIKE ?", who, kind, "%"+like+"%")
}

func TestALegIsOfferedToSomeAndTakenByOne(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.must(h.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: id, Leg: "pics", To: []ref.Person{freelance, writer}, Fee: 18_050}))
	l := h.leg(id, "pics")
	if l.Holder != 0 || l.Offered != "3,4" || l.Fee != 18_050 {
		t.Fatalf("%+v", l)
	}
	if h.told(freelance, "offer", "Pictures is open to you, for 180.50") != 1 || h.told(writer, "offer", "") != 1 || h.told(pictures, "given", "no longer") != 0 {
		t.Error("told wrongly")
	}
	if err := h.Planning.TakeLeg(ctx, pictures, id, "pics"); !refused(err, relay.ErrNotYours) {
		t.Errorf("who runs it by role, and was not asked: %v", err)
	}
	h.must(h.Planning.TakeLeg(ctx, freelance, id, "pics"))
	if l := h.leg(id, "pics"); l.Holder != freelance || l.TakenAt != h.Now() {
		t.Errorf("%+v", l)
	}
	if err := h.Planning.TakeLeg(ctx, writer, id, "pics"); !refused(err, relay.ErrNotNow) {
		t.Errorf("the second: %v", err)
	}
	if h.told(writer, "offer", "took Pictures a moment ago. Thank you") != 1 {
		t.Error("the other was not told kindly")
	}
	if err := h.Planning.GiveBack(ctx, writer, id, "pics", "", 0); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody else gives it back: %v", err)
	}
	h.must(h.Planning.GiveBack(ctx, freelance, id, "pics", "a cold", 0))
	if l := h.leg(id, "pics"); l.Holder != 0 || l.TakenAt != 0 || l.Fee != 18_050 {
		t.Errorf("given back: %+v", l)
	}
	if h.told(lead, "given back", "gave Pictures back") != 1 || h.told(writer, "offer", "is open to you") != 2 || h.told(freelance, "offer", "is open to you") != 1 {
		t.Error("given back, told wrongly")
	}
	h.must(h.Planning.GiveLeg(ctx, lead, id, "pics", pictures, 0))
	if err := h.Planning.GiveBack(ctx, pictures, id, "pics", "", 0); !refused(err, relay.ErrNotYours) {
		t.Errorf("what was given is given back: %v", err)
	}
	h.must(h.Planning.GiveLeg(ctx, lead, id, "pics", 0, 0))
	if l := h.leg(id, "pics"); l.Offered != "" {
		t.Errorf("opened, it is still for %q only", l.Offered)
	}
	for _, o := range []planning.Offer{{Piece: id, Leg: "pics", To: []ref.Person{outside}}, {Piece: id, Leg: "pics", To: []ref.Person{stranger}}, {Piece: id, Leg: "pics", Fee: -1}} {
		if err := h.Planning.OfferLeg(ctx, lead, o); !refused(err, relay.ErrInput) {
			t.Errorf("%+v: %v", o, err)
		}
	}
}

func TestAFreelancerHoldsAsManyLegsAsTheDeskAllows(t *testing.T) {
	h := newHouse(t)
	var d store.Desk
	h.must(h.DB.Get(ctx, &d, "SELECT * FROM desk WHERE id = 1"))
	d.HoldMost = 2
	_, err := h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	var ids []ref.Piece
	for i := range 3 {
		id := h.make(fmt.Sprintf("12-%d", 16+2*i))
		h.must(h.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: id, Leg: "pics"}))
		ids = append(ids, id)
	}
	h.must(h.Planning.TakeLeg(ctx, freelance, ids[0], "pics"))
	h.must(h.Planning.TakeLeg(ctx, freelance, ids[1], "pics"))
	if err := h.Planning.TakeLeg(ctx, freelance, ids[2], "pics"); !refused(err, relay.ErrNotNow) {
		t.Errorf("a third: %v", err)
	}
	o, err := h.Planning.Open(ctx, freelance, 1)
	h.must(err)
	if o.Holds != 2 || o.Most != 2 || len(o.Taken) != 2 || len(o.Legs) != 1 || !o.Legs[0].Mine {
		t.Errorf("%+v", o)
	}
	h.must(h.Planning.GiveBack(ctx, freelance, ids[0], "pics", "", 0))
	h.must(h.Planning.TakeLeg(ctx, freelance, ids[2], "pics"))
	h.must(h.Planning.TakeLeg(ctx, pictures, ids[0], "pics")) // of the staff, whom no limit binds
}

// What a freelancer takes and lets lie goes back by itself, in working days, once.
func TestALegTakenAndLeftIdleGoesBack(t *testing.T) {
	h := newHouse(t)
	var d store.Desk
	h.must(h.DB.Get(ctx, &d, "SELECT * FROM desk WHERE id = 1"))
	d.LoseAfter = 2
	_, err := h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	id := h.make("12-18")
	h.must(h.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: id, Leg: "draft", To: []ref.Person{freelance}}))
	h.must(h.Planning.TakeLeg(ctx, freelance, id, "draft"))
	h.must(h.Tick(ctx))
	h.now = h.now.AddDate(0, 0, 7) // it waits: nothing is idle before its turn
	h.must(h.Tick(ctx))
	if h.leg(id, "draft").Holder != freelance {
		t.Fatal("it went back before it began")
	}
	h.pass(editor, id, "brief")
	began := h.now
	days := 0
	for ; h.leg(id, "draft").Holder == freelance && days < 9; days++ {
		h.now = h.now.AddDate(0, 0, 1)
		h.must(h.Tick(ctx))
	}
	cal := []time.Weekday{time.Saturday, time.Sunday}
	work := 0
	for at := began.AddDate(0, 0, 1); !at.After(h.now); at = at.AddDate(0, 0, 1) {
		if !slices.Contains(cal, at.Weekday()) {
			work++
		}
	}
	if days == 9 || work != 2 {
		t.Errorf("it went back after %d days, %d of them worked", days, work)
	}
	h.must(h.Tick(ctx))
	if h.told(freelance, "lost", "went back to the desk") != 1 || h.told(lead, "lost", "is open again") != 1 {
		t.Errorf("told %d and %d times", h.told(freelance, "lost", ""), h.told(lead, "lost", ""))
	}
	// What is given is not lost.
	h.must(h.Planning.GiveLeg(ctx, lead, id, "draft", freelance, 0))
	h.now = h.now.AddDate(0, 0, 14)
	h.must(h.Tick(ctx))
	if h.leg(id, "draft").Holder != freelance {
		t.Error("what was given went back")
	}
}

func TestWhoCouldTakeALegDoesNotReadTheCopy(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	h.write(writer, id, "four words are enough")
	h.must(h.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: id, Leg: "pics", To: []ref.Person{freelance}}))
	s, err := h.Planning.Sheet(ctx, freelance, id)
	h.must(err)
	if len(s.Text) != 0 || s.Copy.Words != 0 || s.Whole || s.Answers != nil {
		t.Errorf("they read %d words", s.Copy.Words)
	}
	if _, err := h.Planning.Newest(ctx, freelance, id); !refused(err, relay.ErrNotYours) {
		t.Errorf("the newest copy: %v", err)
	}
	h.must(h.Planning.TakeLeg(ctx, freelance, id, "pics"))
	if s, err := h.Planning.Sheet(ctx, freelance, id); err != nil || s.Copy.Words != 4 {
		t.Errorf("who took it reads %d words, %v", s.Copy.Words, err)
	}
	h.must(h.Planning.GiveBack(ctx, freelance, id, "pics", "", 0))
	if _, err := h.Planning.Newest(ctx, freelance, id); !refused(err, relay.ErrNotYours) {
		t.Errorf("given back they read on: %v", err)
	}
	h.must(h.Planning.TakeLeg(ctx, freelance, id, "pics"))
	h.must(h.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: id, Leg: "pics", To: []ref.Person{pictures}}))
	if _, err := h.Planning.Sheet(ctx, freelance, id); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("who is not asked any more: %v", err)
	}
}
