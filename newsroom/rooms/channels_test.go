package rooms_test

import (
	"slices"
	"strings"
	"testing"

	"greenbaton/core/bring"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// A format says on which channels it goes out; every door asks.
func TestAFormatGoesOutOnItsChannels(t *testing.T) {
	h := newHouse(t)
	letter, err := h.Settings.SaveChannel(ctx, lead, store.Channel{DeskID: 1, Name: "Letter", Slug: "letter"})
	h.must(err)
	f := h.books().Format(1)
	created := func(channel ref.Channel) error {
		_, err := h.Intake.Create(ctx, lead, planning.Draft{Title: "Rye", Format: 1, Channel: channel, Owner: lead})
		return err
	}
	h.must(created(letter)) // nothing was said yet: any channel of the desk
	f.Channels = "1"
	_, err = h.Settings.SaveFormat(ctx, lead, f)
	h.must(err)
	if err := created(letter); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "does not go out on Letter, but on Web") {
		t.Errorf("made on a channel it does not go out on: %v", err)
	}
	h.must(created(1))
	h.must(created(0))
	if _, err := h.Planning.Prospect(ctx, lead, planning.Draft{Title: "Rye", Format: 1, Channel: letter, Owner: lead}); !refused(err, relay.ErrInput) {
		t.Errorf("looked at before it is made: %v", err)
	}

	// A list that is brought in says it of the row.
	b := h.lookAt(bring.Lineup, "Title|Format|Channel", "Oats|Feature|Letter", "Barley|Feature|Web")
	if r := h.bringing(b.ID).Rows; len(r) != 2 || !strings.Contains(r[0].Says, "does not go out on Letter") || strings.Contains(r[1].Says, "does not go out") {
		t.Errorf("rows say %+v", r)
	}

	// A sitting offers slots of its channels only.
	h.must(h.Settings.SaveSlot(ctx, lead, store.Slot{ChannelID: letter, Rule: "FREQ=WEEKLY;BYDAY=TU", Start: 20000, At: 480}))
	id := h.caught(lead, "Millet")
	sat, err := h.Intake.Sitting(ctx, lead, 1, nil, intake.Put{Idea: id, Format: 1}, 3)
	h.must(err)
	letters := 0
	for _, s := range sat.Slots {
		if _, offered := sat.InHand[s]; offered != (s.Channel == 1) {
			t.Errorf("a slot of channel %d is offered: %v", s.Channel, offered)
		}
		if s.Channel == letter {
			letters++
		}
	}
	if letters == 0 {
		t.Error("no slot of the letter was there to be left out")
	}

	// Channels of other desks are none of its.
	f.Channels = "1,77"
	if _, err := h.Settings.SaveFormat(ctx, lead, f); !refused(err, relay.ErrInput) {
		t.Errorf("a channel that is not there: %v", err)
	}
}

// People from outside have only what the route gives to a role of theirs, through every door.
func TestPartnersHoldOnlyWhatTheRouteGivesThem(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-11")
	give := func(leg string, to ref.Person) error {
		_, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoGive, Piece: id, Leg: leg, Person: to}}})
		return err
	}
	h.must(give("yes", lead))
	for leg, want := range map[string]bool{"draft": false, "copy": false, "yes": true} {
		if err := give(leg, outside); want != (err == nil) || !want && !refused(err, relay.ErrInput) {
			t.Errorf("%s given to somebody from outside: %v", leg, err)
		}
	}
	if err := h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief", Version: h.piece(id).Version, To: map[string]ref.Person{"draft": outside}}); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "from outside") {
		t.Errorf("passed to somebody from outside: %v", err)
	}
	_, err := h.Intake.Create(ctx, lead, planning.Draft{Title: "Oats", Format: 1, Owner: lead, Legs: map[string]planning.DraftLeg{"draft": {Holder: outside, Days: 3}}})
	if !refused(err, relay.ErrInput) {
		t.Errorf("made with a draft by somebody from outside: %v", err)
	}
	way := h.books().Latest(1).Way
	way.Legs = slices.Clone(way.Legs)
	way.Legs[1].Usual = outside
	if _, err := h.Settings.SaveRoute(ctx, lead, 1, h.books().Latest(1).Version, way); !refused(err, relay.ErrInput) {
		t.Errorf("usual on a route: %v", err)
	}
}

// Which partner sees a title at once is said of their channels, and of no others.
func TestWhatAPartnerWillSee(t *testing.T) {
	h := newHouse(t)
	theirs, err := h.Settings.SaveChannel(ctx, lead, store.Channel{DeskID: 1, Name: "Weir", Slug: "weir"})
	h.must(err)
	p, err := h.Review.SavePartner(ctx, lead, store.Partner{DeskID: 1, Name: "Old Weir"}, []ref.Person{outside}, []ref.Channel{theirs})
	h.must(err)
	if got := h.books().SeenAtOnce(theirs); !strings.HasPrefix(got, "Old Weir will see this title at once") {
		t.Errorf("said is %q", got)
	}
	if got := h.books().SeenAtOnce(1); got != "" {
		t.Errorf("of another channel %q is said", got)
	}
	id, err := h.Intake.Create(ctx, lead, planning.Draft{Title: "Rye", Format: 1, Channel: theirs, Owner: lead})
	h.must(err)
	sheet, err := h.Review.PartnerAsSeen(ctx, lead, 1, p)
	h.must(err)
	if len(sheet.Months) != 1 || len(sheet.Months[0].Pieces) != 1 || sheet.Months[0].Pieces[0].Title != h.piece(id).Title {
		t.Errorf("they see %+v", sheet.Months)
	}
	_, err = h.Review.SavePartner(ctx, lead, store.Partner{ID: p, DeskID: 1, Name: "Old Weir", Retired: true}, nil, nil)
	h.must(err)
	if got := h.books().SeenAtOnce(theirs); got != "" {
		t.Errorf("of a partner of before %q is said", got)
	}
}
