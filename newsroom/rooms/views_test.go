package rooms_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/field"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

func (x *testHouse) today() day.Date { return x.Now().Date(x.books().Zones[1]) }

// undo takes back what somebody did last.
func (x *testHouse) undo(who ref.Person) error {
	x.t.Helper()
	u, err := x.LastUndo(ctx, who)
	x.must(err)
	_, _, err = x.Undo(ctx, who, u.ID)
	return err
}

// legsText is where all legs stand, the times of records aside.
func (x *testHouse) legsText() string {
	x.t.Helper()
	out, err := x.rows("SELECT piece_id, key, holder, state, run, rework, reasons, due, pin, start_day, end_day, turn FROM leg ORDER BY piece_id, position")
	x.must(err)
	runs, err := x.rows("SELECT piece_id, key, run, outcome FROM leg_run")
	x.must(err)
	labels, err := x.rows("SELECT id, title, goes_out, stage, priority, topic_id, tags FROM piece")
	x.must(err)
	values, err := x.rows("SELECT * FROM field_value WHERE value <> ''")
	x.must(err)
	return out + runs + labels + values
}

// Every move is taken back by the one who made it, and all is as before: legs, runs on
// record, dates and labels.
func TestEveryMoveCanBeTakenBack(t *testing.T) {
	for _, x := range []struct {
		name string
		who  ref.Person
		do   func(h *testHouse, id ref.Piece) error
	}{
		{"pass", writer, func(h *testHouse, id ref.Piece) error {
			return h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: id, Leg: "draft"})
		}},
		{"send back", writer, func(h *testHouse, id ref.Piece) error {
			return h.Planning.SendBack(ctx, writer, planning.Back{Piece: id, From: "draft", To: "brief", Reasons: "why"})
		}},
		{"give", lead, func(h *testHouse, id ref.Piece) error {
			return h.Planning.GiveLeg(ctx, lead, id, "draft", freelance, 0)
		}},
		{"skip", lead, func(h *testHouse, id ref.Piece) error { return h.Planning.SkipLeg(ctx, lead, id, "pics", 0, "none") }},
		{"need", lead, func(h *testHouse, id ref.Piece) error { return h.Planning.NeedLeg(ctx, lead, id, "welsh", 0) }},
		{"place", lead, func(h *testHouse, id ref.Piece) error { return h.Place(ctx, lead, id, h.Now()+14*86400, 0) }},
		{"take the day away", lead, func(h *testHouse, id ref.Piece) error { return h.Place(ctx, lead, id, 0, 0) }},
		{"order", lead, func(h *testHouse, id ref.Piece) error {
			return h.Planning.OrderLegs(ctx, lead, []planning.Place{{Piece: id, Leg: "draft"}})
		}},
		{"edit", lead, func(h *testHouse, id ref.Piece) error {
			title, tags, first := "Another title", "b, a", relay.First
			return h.Planning.EditPieces(ctx, lead, []planning.Edit{{Piece: id, Title: &title, Tags: &tags, Priority: &first}})
		}},
		{"edit the brief", lead, func(h *testHouse, id ref.Piece) error {
			return h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "New", Owner: editor})
		}},
		{"pin", lead, func(h *testHouse, id ref.Piece) error {
			_, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoPin, Piece: id, Leg: "draft", Date: h.today() + 3}}})
			return err
		}},
	} {
		t.Run(x.name, func(t *testing.T) {
			h := newHouse(t)
			id := h.make("12-18")
			h.pass(editor, id, "brief")
			h.write(writer, id, "four words are enough")
			before := h.legsText()
			h.must(x.do(h, id))
			if h.legsText() == before {
				t.Fatal("nothing changed")
			}
			if err := h.undo(pictures); err == nil { // somebody else
				t.Error("somebody else took it back")
			}
			h.must(h.undo(x.who))
			if after := h.legsText(); after != before {
				t.Errorf("was\n%s\nis\n%s", before, after)
			}
			h.boardAgrees()
			if _, err := store.Verify(ctx, h.DB); err != nil {
				t.Error(err)
			}
		})
	}
}

// What others did since is in the way, and is named.
func TestWhatOthersBuiltOnIsNotTakenBack(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	h.write(writer, id, "four words are enough")
	h.pass(writer, id, "draft")
	u, err := h.LastUndo(ctx, writer)
	h.must(err)
	h.pass(pictures, id, "pics")
	if now, err := h.LastUndo(ctx, writer); err != nil || now.ID != 0 {
		t.Errorf("%q is offered to be taken back: %v", now.What, err)
	}
	_, _, err = h.Undo(ctx, writer, u.ID)
	var r *relay.Refusal
	if !errors.As(err, &r) || r.Reason != relay.ErrChanged || !strings.Contains(r.Text, "has changed since") || !slices.ContainsFunc(r.Unmet, func(s string) bool { return strings.Contains(s, "Pia Pictures passed Pictures") }) {
		t.Errorf("%v", err)
	}
}

// Whoever loses a leg by it, or has it again, is told.
func TestTakingBackIsTold(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	h.must(h.undo(editor))
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND text LIKE '%took back what brought Draft to you%'", writer); n != 1 {
		t.Errorf("the writer is told %d times", n)
	}
}

// What the sieve lets through is what the database finds by the same question.
func TestTheSieveAgreesWithTheDatabase(t *testing.T) {
	h := newHouse(t)
	for k, date := range []string{"12-18", "12-02", "", "12-18", "12-09", ""} {
		id := h.make(date)
		priority, tags := relay.Priority(k%4-1), []string{"", "mills", "mills,rye"}[k%3]
		h.must(h.Planning.EditPieces(ctx, lead, []planning.Edit{{Piece: id, Priority: &priority, Tags: &tags}}))
		if k%2 == 0 {
			h.pass(editor, id, "brief")
		}
	}
	h.ready("12-11")
	for query, where := range map[string]string{
		"pace=short": "pace = 'short'", "pace=no day": "pace = 'no day'", "pace=ready": "pace = 'ready'", "pace=running": "stage = 'running'",
		"who=3": "id IN (SELECT piece_id FROM leg WHERE state = 'running' AND holder = 3)", "leg=brief": "id IN (SELECT piece_id FROM leg WHERE state = 'running' AND name = 'Brief')",
		"priority=1": "priority = 1", "priority=!1": "priority <> 1", "tags=rye": "',' || tags || ',' LIKE '%,rye,%'", "tags=none": "tags = ''", "out=none": "goes_out = 0",
		"out=2026-12-18": "date(goes_out, 'unixepoch') = '2026-12-18'", "out=..2026-12-09": "goes_out > 0 AND date(goes_out, 'unixepoch') <= '2026-12-09'",
		"hand=..0": "pace IN ('short', 'no room', 'in hand') AND in_hand <= 0", "number=2..4": "number BETWEEN 2 AND 4", "overdue=yes": fmt.Sprintf("next_due > 0 AND next_due < %d AND stage = 'running'", h.today()),
	} {
		key, value, _ := strings.Cut(query, "=")
		s, err := sift.Parse(planning.Columns(h.books(), 1), map[string][]string{key: {value}}, h.today())
		h.must(err)
		l, err := h.Planning.List(ctx, lead, planning.Filter{Look: planning.Look{Desks: []ref.Desk{1}, Sieve: s}})
		h.must(err)
		if want := h.count("SELECT COUNT(*) FROM piece WHERE " + where); l.Total != want {
			t.Errorf("%s finds %d, the database %d", query, l.Total, want)
		}
	}
}

func TestTheLineupShowsSlotsClashesAndMix(t *testing.T) {
	h := newHouse(t)
	h.must(h.Settings.SaveTopic(ctx, lead, store.Topic{DeskID: 1, Name: "Mills", Target: 4}))
	var ids []ref.Piece
	for _, date := range []string{"12-02", "12-04", "12-04", "12-07", ""} {
		ids = append(ids, h.make(date))
	}
	mills := ref.Topic(1)
	var edits []planning.Edit
	for _, id := range ids {
		edits = append(edits, planning.Edit{Piece: id, Topic: &mills})
	}
	h.must(h.Planning.EditPieces(ctx, lead, edits))
	l, err := h.Planning.Lineup(ctx, writer, 1, look, planning.Span{From: h.today() - 1, To: h.today() + 27}, planning.Shows{Legs: true})
	h.must(err)
	clashes := 0
	for _, e := range l.Out {
		if l.Clashes(&e.Piece) {
			clashes++
		}
	}
	// Monday, Wednesday and Friday at eight, from Wednesday 25 November to Friday 18 December.
	if len(l.Out) != 4 || len(l.Tray) != 1 || clashes != 2 || len(l.Slots) != 11-3 {
		t.Errorf("%d go out, %d in the tray, %d clash, %d slots open", len(l.Out), len(l.Tray), clashes, len(l.Slots))
	}
	if len(l.Mix) != 1 || l.Mix[0].Count != 4 || l.Mix[0].Target != 4 || len(l.Runs) != 1 || len(l.Runs[0].Pieces) != 4 {
		t.Errorf("mix %+v, runs %+v", l.Mix, l.Runs)
	}
	for _, d := range l.Due {
		if d.Leg.Due < l.From || d.Leg.Due >= l.To || d.Leg.Done() {
			t.Errorf("%s is due %v", d.Leg.Name, d.Leg.Due)
		}
	}
	c, err := h.Planning.Preview(ctx, lead, []plan.Change{{Do: plan.DoMove, Piece: ids[4], At: h.Now() + 12*86400}})
	if err != nil || len(c.Runs) != 1 || len(c.Runs[0].Pieces) != 5 {
		t.Errorf("a row of one topic is lengthened: %+v %v", c.Runs, err)
	}
}

func TestLockedDatesAreForLeads(t *testing.T) {
	h := newHouse(t)
	title := "Edi's own"
	id, err := h.Intake.Create(ctx, editor, planning.Draft{Title: title, Format: 1, Owner: editor, GoesOut: h.Now() + 20*86400})
	h.must(err)
	h.must(h.Place(ctx, editor, id, h.Now()+21*86400, 0))
	d := h.books().Desk(1)
	d.DatesLocked = true
	_, err = h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	if err := h.Place(ctx, editor, id, h.Now()+22*86400, 0); !refused(err, relay.ErrNotYours) {
		t.Errorf("an owner moves a locked date: %v", err)
	}
	h.must(h.Planning.GiveLeg(ctx, editor, id, "draft", freelance, 0)) // people are not dates
	h.must(h.Place(ctx, lead, id, h.Now()+22*86400, 0))
}

func TestLockedViewsAreForLeads(t *testing.T) {
	h := newHouse(t)
	id, err := h.Planning.SaveView(ctx, lead, store.View{DeskID: 1, Name: "Front", Page: "lineup", Query: "weeks=2", Locked: true})
	h.must(err)
	if _, err := h.Planning.SaveView(ctx, editor, store.View{ID: id, Name: "Mine now", Page: "lineup"}); !refused(err, relay.ErrNotYours) {
		t.Errorf("staff change a locked view: %v", err)
	}
	if err := h.Planning.DropView(ctx, editor, id); !refused(err, relay.ErrNotYours) {
		t.Errorf("staff remove a locked view: %v", err)
	}
	own, err := h.Planning.SaveView(ctx, editor, store.View{DeskID: 1, Owner: editor, Name: "Own", Page: "track"})
	h.must(err)
	if _, err := h.Planning.ViewFor(ctx, lead, own); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("a lead sees somebody's own view: %v", err)
	}
	for who, n := range map[ref.Person]int{lead: 1, editor: 2, stranger: 0} {
		if vs, err := h.Planning.Views(ctx, who, 1); err != nil || len(vs) != n {
			t.Errorf("person %d has %d views, %v", who, len(vs), err)
		}
	}
	h.must(h.Planning.DropView(ctx, lead, id))
}

// The lineup shows pieces by a date that is filled in on them, whatever day they go out.
func TestTheLineupIsShownByADateOfThePieces(t *testing.T) {
	h := newHouse(t)
	h.must(h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Name: "Shot on", Kind: field.Date}))
	var shot ref.Field
	for _, f := range h.books().Fields {
		if f.Name == "Shot on" {
			shot = f.ID
		}
	}
	soon, late, unplaced := h.make("12-18"), h.make("12-18"), h.make("")
	for id, on := range map[ref.Piece]string{soon: "2026-11-26", late: "2027-01-20", unplaced: "2026-11-25"} {
		h.must(h.Planning.Fill(ctx, lead, id, h.piece(id).Version, map[ref.Field][]string{shot: {on}}))
	}
	l, err := h.Planning.Lineup(ctx, lead, 1, planning.Look{Desks: []ref.Desk{1}}, planning.Span{From: h.today(), To: h.today() + 14}, planning.Shows{Field: shot})
	h.must(err)
	if len(l.Dated) != 2 || l.Dated[0].ID != unplaced || l.Dated[0].Date != on("11-25") || l.Dated[1].ID != soon {
		t.Errorf("shown are %+v", l.Dated)
	}
	if l, err = h.Planning.Lineup(ctx, lead, 1, planning.Look{Desks: []ref.Desk{1}}, l.Span, planning.Shows{}); err != nil || l.Dated != nil {
		t.Errorf("by when they go out: %+v, %v", l.Dated, err)
	}
}
