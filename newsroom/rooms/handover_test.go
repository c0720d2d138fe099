package rooms_test

import (
	"fmt"
	"strings"
	"testing"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom/planning"
)

// Somebody falls ill: all that falls on the days is there with who could take it, what may
// wait waits, and days off and handing over are one act that is taken back as one.
func TestWhoFallsIllHandsOverInOneAct(t *testing.T) {
	h := newHouse(t)
	tight, slack := h.make("12-02"), h.make("12-30")
	for _, id := range []ref.Piece{tight, slack} {
		h.pass(editor, id, "brief")
	}
	from, to := h.today(), h.today()+7
	o, err := h.Planning.Handover(ctx, lead, writer, from, to)
	h.must(err)
	if len(o.Lines) < 2 || o.Entered {
		t.Fatalf("falls on these days: %+v", o.Lines)
	}
	for _, x := range o.Lines {
		if x.Leg.Holder != writer {
			t.Errorf("%s of %s does not fall on them", x.Leg.Name, x.Piece.Title)
		}
		takes := len(x.Takers) == 1 && x.Takers[0].Person == freelance // the only other who writes
		switch x.Piece.ID {
		case tight:
			if x.Waits || x.Proposed != freelance || !takes || x.Kept.Pace != plan.Short || x.Takers[0].Then.InHand <= x.Kept.InHand {
				t.Errorf("the tight one may wait %v, goes to %d of %+v, stands %s", x.Waits, x.Proposed, x.Takers, x.Kept.Pace)
			}
		case slack:
			if !x.Waits || x.Proposed != writer || x.Kept.Pace != plan.InHand {
				t.Errorf("the other may wait %v, goes to %d, stands %s", x.Waits, x.Proposed, x.Kept.Pace)
			}
		}
	}
	// How each stands with whoever takes it is what a preview of both says.
	for _, x := range o.Lines {
		for _, y := range x.Takers {
			c, err := h.Planning.Preview(ctx, lead, []plan.Change{{Do: plan.DoAway, Person: writer, Date: from, To: to}, {Do: plan.DoGive, Piece: x.Piece.ID, Leg: x.Leg.Key, Person: y.Person}})
			h.must(err)
			if e := c.Effects[0]; e.After.Pace != y.Then.Pace || e.After.InHand != y.Then.InHand {
				t.Errorf("%s with %d stands %s, %d; previewed it is %s, %d", x.Piece.Title, y.Person, y.Then.Pace, y.Then.InHand, e.After.Pace, e.After.InHand)
			}
		}
	}
	// How each stands if it waits is what a preview of the days off alone says.
	c, err := h.Planning.Preview(ctx, lead, []plan.Change{{Do: plan.DoAway, Person: writer, Date: from, To: to}})
	h.must(err)
	for _, x := range o.Lines {
		for _, e := range c.Effects {
			if e.Was.ID == x.Piece.ID && (e.After.Pace != x.Kept.Pace || e.After.InHand != x.Kept.InHand) {
				t.Errorf("%s stands %s, %d; previewed it is %s, %d", x.Piece.Title, x.Kept.Pace, x.Kept.InHand, e.After.Pace, e.After.InHand)
			}
		}
	}

	_, err = h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoAway, Person: writer, Date: from, To: to}, {Do: plan.DoGive, Piece: tight, Leg: "draft", Person: freelance}}})
	h.must(err)
	if h.leg(tight, "draft").Holder != freelance || h.leg(slack, "draft").Holder != writer || h.count("SELECT COUNT(*) FROM absence") != 1 {
		t.Error("it is not done as it was asked for")
	}
	if !h.tells(writer, "Lea entered days off for you, ") {
		t.Error("whose days they are is not told")
	}
	if o, err := h.Planning.Handover(ctx, lead, writer, from, to); err != nil || !o.Entered {
		t.Errorf("entered: %v, %v", o.Entered, err)
	}
	h.must(h.undo(lead))
	if h.leg(tight, "draft").Holder != writer || h.count("SELECT COUNT(*) FROM absence") != 0 {
		t.Error("it is not taken back as one")
	}

	// What is on another desk is counted for who may not see it, and not shown.
	h.exec("INSERT INTO person_desk (person_id, desk_id) VALUES (?, 2)", writer)
	h.Forget()
	o, err = h.Planning.Handover(ctx, stranger, writer, from, to) // leads the other desk
	h.must(err)
	if len(o.Lines) != 0 || o.Hidden < 2 {
		t.Errorf("a lead of another desk sees %d legs, %d are hidden", len(o.Lines), o.Hidden)
	}
	h.exec("DELETE FROM person_desk WHERE person_id = ? AND desk_id = 2", writer)
	h.Forget()
	for who, want := range map[ref.Person]bool{lead: true, writer: true, editor: false, pictures: false, stranger: false} {
		if _, err := h.Planning.Handover(ctx, who, writer, from, to); (err == nil) != want {
			t.Errorf("seen by %d: %v", who, err)
		}
	}
	if _, err := h.Planning.Handover(ctx, lead, writer, to, from); !refused(err, relay.ErrInput) {
		t.Errorf("turned round: %v", err)
	}
}

// Everybody who works on a desk enters days off of their own, and leads are told; where the
// desk says so, they ask.
func TestDaysOffAreEnteredOrAskedFor(t *testing.T) {
	h := newHouse(t)
	away := func(who ref.Person) error {
		_, err := h.Planning.ChangePlan(ctx, who, planning.Change{Changes: []plan.Change{{Do: plan.DoAway, Person: who, Date: h.today() + 1, To: h.today() + 2}}})
		return err
	}
	h.must(away(writer))
	h.must(away(freelance))
	if err := away(outside); !refused(err, relay.ErrNotYours) {
		t.Errorf("entered by somebody from outside: %v", err)
	}
	link := fmt.Sprintf("/people/%d/handover?from=2026-11-25&to=2026-11-26", writer)
	if !h.tells(lead, "Wim Writer is away Wed 25 Nov to Thu 26 Nov.") || h.count("SELECT COUNT(*) FROM inbox WHERE link = ?", link) != 1 {
		t.Error("the lead is not told")
	}
	d := h.books().Desk(1)
	d.DaysAsked = true
	_, err := h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	if err := away(writer); !refused(err, relay.ErrNotYours) || !strings.Contains(err.Error(), "asked for") {
		t.Errorf("entered where they are asked for: %v", err)
	}
	n := h.count("SELECT COUNT(*) FROM absence")
	h.must(h.Planning.AskDaysOff(ctx, writer, h.today()+5, h.today()+5))
	if !h.tells(lead, "Wim Writer asks for days off, Sun 29 Nov.") || h.count("SELECT COUNT(*) FROM absence") != n {
		t.Error("it is not asked, or entered")
	}
	if err := h.Planning.AskDaysOff(ctx, outside, h.today(), h.today()); !refused(err, relay.ErrNotYours) {
		t.Errorf("asked by somebody from outside: %v", err)
	}
	h.must(away(lead)) // who leads enters their own
}

// What is due or quiet is told the owner while whoever has it is away, and them otherwise.
func TestNobodyIsRemindedWhileAway(t *testing.T) {
	h := newHouse(t)
	h.rules(rule.Rule{When: rule.Overdue, N: 1, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellHolder}, Words: "It is late."}}})
	id := h.make("12-02")
	h.must(h.Planning.EditPieces(ctx, lead, []planning.Edit{{Piece: id, Owner: ptr(ref.Person(pictures))}}))
	late := func() (holder, owner int) {
		for h.leg(id, "brief").Due >= h.today() {
			h.nextDay()
		}
		h.nextDay()
		return h.told(editor, "rule", "%late%"), h.told(pictures, "rule", "%late%")
	}
	_, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoAway, Person: editor, Date: h.today(), To: h.today() + 30}}})
	h.must(err)
	if holder, owner := late(); holder != 0 || owner == 0 {
		t.Errorf("reminded are: the holder %d times, the owner %d times", holder, owner)
	}
}

func ptr[T any](v T) *T { return &v }
