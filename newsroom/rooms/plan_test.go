package rooms_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

func at(s string) day.Moment {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		panic(err)
	}
	d, err := day.ParseDate("2026-" + s)
	if err != nil {
		panic(err)
	}
	return day.Wall(d, 480, london)
}

func on(s string) day.Date {
	d, err := day.ParseDate("2026-" + s)
	if err != nil {
		panic(err)
	}
	return d
}

// randomHouse has some pieces in different states.
func randomHouse(t *testing.T, r *rand.Rand) (*testHouse, []ref.Piece) {
	t.Helper()
	h := newHouse(t)
	var ids []ref.Piece
	for _, d := range []string{"12-04", "12-09", "12-11", "12-18", "", "12-07"} {
		id := h.make(d)
		ids = append(ids, id)
		if r.IntN(2) == 0 {
			h.pass(editor, id, "brief")
			if r.IntN(2) == 0 {
				h.write(writer, id, "four words are enough")
				h.pass(writer, id, "draft")
			}
		}
	}
	return h, ids
}

func randomChange(r *rand.Rand, h *testHouse, ids []ref.Piece) plan.Change {
	id := ids[r.IntN(len(ids))]
	p := h.piece(id)
	c := plan.Change{Piece: id, Leg: p.Legs[r.IntN(len(p.Legs))].Key, Keep: r.IntN(3) == 0}
	d := on("11-25") + day.Date(r.IntN(25))
	switch r.IntN(6) {
	case 0:
		c.Do, c.Leg, c.At = plan.DoMove, "", h.Now()+day.Moment(86400*(2+r.IntN(30)))
	case 1:
		c.Do, c.Person = plan.DoGive, []ref.Person{0, editor, writer, freelance, pictures}[r.IntN(5)]
	case 2:
		c.Do, c.Days = plan.DoAllow, r.IntN(7)
	case 3:
		c.Do, c.Date = plan.DoPin, d
	case 4:
		c.Do, c.Date = plan.DoNotBefore, d
	case 5:
		c = plan.Change{Do: plan.DoAway, Person: []ref.Person{editor, writer, pictures}[r.IntN(3)], Date: d, To: d + day.Date(r.IntN(6))}
	}
	return c
}

// What is stored is what was previewed, leg for leg; the standings of all pieces
// are those foreseen; undone, everything is as it was. And what is kept in memory is
// what is in the data.
func TestWhatIsPreviewedIsWhatIsStoredAndUndone(t *testing.T) {
	r := rand.New(rand.NewPCG(41, 42))
	done := 0
	for range 12 {
		h, ids := randomHouse(t, r)
		for range 12 {
			changes := []plan.Change{randomChange(r, h, ids)}
			if r.IntN(3) == 0 {
				changes = append(changes, randomChange(r, h, ids))
			}
			before := h.planText()
			c, err := h.Planning.Preview(ctx, lead, changes)
			if h.planText() != before {
				t.Fatal("a preview changed something")
			}
			undo, saveErr := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: changes, Seal: c.Seal()})
			if (err == nil) != (saveErr == nil) {
				t.Fatalf("previewed with %v, stored with %v", err, saveErr)
			}
			if err != nil {
				if h.planText() != before {
					t.Fatal("a refused change changed something")
				}
				continue
			}
			done++
			for _, e := range c.Effects {
				row := h.piece(e.Was.ID)
				if !e.Untouched && !reflect.DeepEqual(row.Legs, e.Move.Piece.Legs) {
					t.Fatalf("%+v:\nforeseen %+v\nstored   %+v", changes, e.Move.Piece.Legs, row.Legs)
				}
				if row.Pace != e.After.Pace || row.InHand != e.After.InHand {
					t.Fatalf("%+v: foreseen %s %d, stored %s %d", changes, e.After.Pace, e.After.InHand, row.Pace, row.InHand)
				}
			}
			h.boardAgrees()
			if r.IntN(2) == 0 {
				if _, _, err := h.Undo(ctx, lead, undo.Undo); err != nil {
					t.Fatal(err)
				}
				if after := h.planText(); after != before {
					t.Fatalf("%+v undone:\nwas %s\nis  %s", changes, before, after)
				}
				h.boardAgrees()
				if _, _, err := h.Undo(ctx, lead, undo.Undo); !refused(err, relay.ErrNotNow) || err.Error() != "This was taken back already." {
					t.Fatalf("undone twice: %v", err)
				}
			}
		}
	}
	if done < 60 {
		t.Errorf("only %d changes could be made", done)
	}
}

// planText is all of the plan that a change can touch, but for versions.
func (x *testHouse) planText() string {
	x.t.Helper()
	out := ""
	for _, q := range []string{
		"SELECT id, goes_out, stage, pace, in_hand FROM piece ORDER BY id", "SELECT piece_id, key, holder, allowance, after, state, due, pin, not_before, start_day FROM leg ORDER BY piece_id, position",
		"SELECT person_id, from_day, to_day FROM absence ORDER BY person_id, from_day, to_day",
	} {
		s, err := x.rows(q)
		x.must(err)
		out += s
	}
	return out
}

// boardAgrees compares the pieces kept in memory with those in the data.
func (x *testHouse) boardAgrees() {
	x.t.Helper()
	_, board, err := x.Board(ctx)
	x.must(err)
	rows, err := store.OnTheBoard(ctx, x.DB, x.Now())
	x.must(err)
	if len(rows) != len(board.Pieces) {
		x.t.Fatalf("%d pieces on the board, %d in the data", len(board.Pieces), len(rows))
	}
	for i, r := range rows {
		if !reflect.DeepEqual(r.Piece, *board.Pieces[i]) {
			x.t.Fatalf("on the board %+v\nin the data %+v", *board.Pieces[i], r.Piece)
		}
	}
}

// The board follows every other act as well.
func TestTheBoardFollowsEveryAct(t *testing.T) {
	h := newHouse(t)
	id := h.ready("12-18")
	h.boardAgrees()
	h.must(h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, To: "draft", Reasons: "why"}))
	h.boardAgrees()
	h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Another", Owner: lead}))
	h.must(h.Planning.Report(ctx, writer, id, "draft", 45, 0))
	h.must(h.Planning.SkipLeg(ctx, lead, id, "pics", 0, ""))
	h.boardAgrees()
	out := h.ready("11-30")
	h.must(h.Review.SendOut(ctx, lead, out, 0, ""))
	h.boardAgrees()
	h.now = h.now.Add(30 * 24 * time.Hour)
	h.must(h.Tick(ctx))
	h.make("")
	_, board, err := h.Board(ctx)
	h.must(err)
	if board.Piece(id).MissedAt == 0 {
		t.Error("the board does not know that it was missed")
	}
}

// Several people change, preview and look at once; whatever order it comes to, the
// board ends as the data is.
func TestManyAtOnceLeaveTheBoardAsTheDataIs(t *testing.T) {
	h, ids := randomHouse(t, rand.New(rand.NewPCG(51, 52)))
	var wg sync.WaitGroup
	for g := range 6 {
		var changes []plan.Change
		r := rand.New(rand.NewPCG(uint64(g), 53))
		for range 12 {
			changes = append(changes, randomChange(r, h, ids))
		}
		wg.Add(1)
		go func() {
			defer wg.Done()
			for i, c := range changes {
				var err error
				switch (g + i) % 3 {
				case 0:
					_, err = h.Planning.TodayFor(ctx, lead, 1)
				case 1:
					_, err = h.Planning.Preview(ctx, lead, []plan.Change{c})
				default:
					_, err = h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{c}})
				}
				var r *relay.Refusal
				if err != nil && !errors.As(err, &r) {
					t.Errorf("%+v: %v", c, err)
				}
			}
		}()
	}
	wg.Wait()
	h.boardAgrees()
	if n, err := store.Verify(ctx, h.DB); err != nil {
		t.Error(n, err)
	}
}

func TestWhatChangedInBetweenIsPreviewedAgain(t *testing.T) {
	h := newHouse(t)
	id, other := h.make("12-18"), h.make("12-16")
	move := []plan.Change{{Do: plan.DoMove, Piece: id, At: at("12-21")}}
	for name, meanwhile := range map[string]func() error{
		"the piece":                   func() error { return h.Planning.GiveLeg(ctx, lead, id, "draft", freelance, 0) },
		"what somebody else has":      func() error { return h.Planning.GiveLeg(ctx, lead, other, "draft", freelance, 0) },
		"a piece on the day it moves": func() error { return h.Place(ctx, lead, other, at("12-21"), 0) },
		"somebody's days off": func() error {
			_, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoAway, Person: editor, Date: on("12-14"), To: on("12-18")}}})
			return err
		},
	} {
		c, err := h.Planning.Preview(ctx, lead, move)
		h.must(err)
		h.must(meanwhile())
		now, err := h.Planning.Preview(ctx, lead, move)
		h.must(err)
		before := h.everything()
		_, err = h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: move, Seal: c.Seal()})
		if same := now.Seal() == c.Seal(); same != (err == nil) || err != nil && !refused(err, relay.ErrChanged) {
			t.Errorf("%s: %v", name, err)
		} else if err != nil && h.everything() != before {
			t.Errorf("%s: refused, and yet something changed", name)
		} else if same && name != "what somebody else has" {
			t.Errorf("%s makes no difference", name)
		}
		if err == nil {
			h.must(h.Place(ctx, lead, id, at("12-18"), 0))
		}
	}
}

func TestAChangeIsTakenBackOnlyByWhoMadeItAndWhileNothingDependsOnIt(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	undo, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoGive, Piece: id, Leg: "draft", Person: freelance}}})
	h.must(err)
	if _, _, err := h.Undo(ctx, editor, undo.Undo); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("somebody else took it back: %v", err)
	}
	h.pass(editor, id, "brief")
	before := h.everything()
	_, _, err = h.Undo(ctx, lead, undo.Undo)
	var r *relay.Refusal
	if !errors.As(err, &r) || !errors.Is(err, relay.ErrChanged) || len(r.Unmet) != 1 || !strings.Contains(r.Unmet[0], "passed Brief") || h.everything() != before {
		t.Errorf("%v %+v", err, r)
	}
	undo, err = h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoGive, Piece: id, Leg: "draft", Person: writer}}})
	h.must(err)
	h.write(writer, id, "four words are enough") // writing does not stand in the way
	what, _, err := h.Undo(ctx, lead, undo.Undo)
	if p := h.piece(id); err != nil || p.Leg("draft").Holder != freelance || p.CopyVersion == 0 {
		t.Errorf("%s: %v", what, err)
	}
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND kind = 'given'", writer); n < 2 {
		t.Error("who lost the leg again was not told")
	}
	if n, err := store.Verify(ctx, h.DB); err != nil {
		t.Error(n, err)
	}
}

// Each change of the plan against every person.
func TestWhoMayChangeThePlan(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18") // its brief runs with the editor
	everybody := []ref.Person{lead, editor, writer, freelance, pictures, outside, stranger}
	for _, x := range []struct {
		name string
		may  []ref.Person
		c    plan.Change
	}{
		{"move the day", []ref.Person{lead}, plan.Change{Do: plan.DoMove, Piece: id, At: at("12-21")}},
		{"give one's own leg", []ref.Person{lead, editor}, plan.Change{Do: plan.DoGive, Piece: id, Leg: "brief", Person: pictures}},
		{"give another's leg", []ref.Person{lead}, plan.Change{Do: plan.DoGive, Piece: id, Leg: "draft", Person: pictures}},
		{"change days", []ref.Person{lead}, plan.Change{Do: plan.DoAllow, Piece: id, Leg: "brief", Days: 2}},
		{"pin", []ref.Person{lead}, plan.Change{Do: plan.DoPin, Piece: id, Leg: "brief", Date: on("12-01")}},
		{"hold", []ref.Person{lead}, plan.Change{Do: plan.DoNotBefore, Piece: id, Leg: "draft", Date: on("12-01")}},
		{"take days off for staff", []ref.Person{lead, writer}, plan.Change{Do: plan.DoAway, Person: writer, Date: on("12-01"), To: on("12-01")}},
		{"take days off for a freelancer", []ref.Person{lead, freelance}, plan.Change{Do: plan.DoAway, Person: freelance, Date: on("12-01"), To: on("12-01")}},
	} {
		for _, who := range everybody {
			before := h.everything()
			_, err := h.Planning.Preview(ctx, who, []plan.Change{x.c})
			undo, saved := h.Planning.ChangePlan(ctx, who, planning.Change{Changes: []plan.Change{x.c}})
			if may := slices.Contains(x.may, who); may != (err == nil) || may != (saved == nil) {
				t.Errorf("%s, person %d: %v, %v", x.name, who, err, saved)
			}
			if saved == nil {
				if _, _, err := h.Undo(ctx, who, undo.Undo); err != nil {
					t.Error(err)
				}
			} else if h.everything() != before {
				t.Errorf("%s, person %d was refused and yet something changed", x.name, who)
			}
		}
	}
	for _, who := range everybody {
		_, _, err := h.Planning.WaysOut(ctx, who, id)
		if (err == nil) != (who == lead) {
			t.Errorf("person %d sees ways out: %v", who, err)
		}
		if _, _, err := h.Planning.Choices(ctx, who, id, "brief", 0); (err == nil) != (who == lead || who == editor) {
			t.Errorf("person %d sees who could run a leg: %v", who, err)
		}
		if _, err := h.Planning.Propose(ctx, who, 1); (err == nil) != (who == lead) {
			t.Errorf("person %d is proposed people: %v", who, err)
		}
	}
	for _, bad := range []ref.Person{stranger, 99} {
		if _, err := h.Planning.Preview(ctx, lead, []plan.Change{{Do: plan.DoGive, Piece: id, Leg: "draft", Person: bad}}); !refused(err, relay.ErrInput) {
			t.Errorf("given to %d: %v", bad, err)
		}
	}
	if _, err := h.Planning.Preview(ctx, lead, []plan.Change{{Do: plan.DoMove, Piece: 99}}); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("a piece that is not there: %v", err)
	}
}

func TestHoldersAreToldOfAnotherDueDate(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.must(h.Place(ctx, lead, id, at("12-21"), 0))
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND kind = 'due' AND text LIKE 'Brief is now due %'", editor); n != 1 {
		t.Errorf("the holder was told %d times", n)
	}
}

func TestFreeHandsAndSuggestionsKnowTheHoursOfEverybody(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-04")
	h.must(h.Planning.GiveLeg(ctx, lead, id, "pics", 0, 0))
	d, err := h.Planning.TodayFor(ctx, lead, 1)
	h.must(err)
	fits := false
	for _, f := range d.Free {
		fits = fits || f.Leg != nil && f.Leg.Key == "pics" && (f.Person == pictures || f.Person == freelance)
	}
	if !fits {
		t.Errorf("nobody is said to fit the open leg: %+v", d.Free)
	}
	if d.Runway.Finished != 0 || len(d.Runway.Slots) == 0 || d.OpenLegs != 1 {
		t.Errorf("runway %+v, %d open legs", d.Runway, d.OpenLegs)
	}
	h.must(h.Planning.GiveLeg(ctx, lead, id, "brief", pictures, 0))
	_, err = h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoAway, Person: freelance, Date: on("11-24"), To: on("12-31")}}})
	h.must(err)
	_, choices, err := h.Planning.Choices(ctx, lead, id, "pics", 0)
	h.must(err)
	if len(choices) != 1 || choices[0].Person != pictures {
		t.Errorf("somebody who is away is offered: %+v", choices)
	}
	found, err := h.Planning.Propose(ctx, lead, 1)
	if err != nil || len(found.Lines) != 1 || found.Lines[0].Person != pictures || found.Cost.Left != 0 {
		t.Errorf("%v %+v %+v", err, found.Lines, found.Cost)
	}
}

func TestTheForecastLearnsFromTheDesksOwnRuns(t *testing.T) {
	h := newHouse(t)
	b, err := h.Setup(ctx)
	h.must(err)
	id := h.make("12-18")
	p := h.piece(id).Piece
	f, err := h.Forecast(ctx, b, &p)
	if err != nil || f.Learned != 0 {
		t.Fatalf("%v, learned from %d", err, f.Learned)
	}
	for i := range 8 {
		other := h.make(fmt.Sprintf("12-%02d", 10+i))
		h.pass(editor, other, "brief")
	}
	if f, err = h.Forecast(ctx, b, &p); err != nil || f.Learned != 1 {
		t.Errorf("%v, learned from %d legs", err, f.Learned)
	}
}

// What finished runs teach is kept as the newest data say, also when it is first asked for as
// of an earlier moment.
func TestWhatRunsTeachIsNeverOfAnEarlierMoment(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	row := h.piece(id)
	h.must(h.Snapshot(ctx, func(in context.Context) error {
		if _, err := store.Piece(in, h.DB.View(), id); err != nil { // the moment begins with what is read first
			return err
		}
		h.pass(editor, id, "brief")
		_, err := h.Record(in, row.DeskID, row.FormatID)
		return err
	}))
	r, err := h.Record(ctx, row.DeskID, row.FormatID)
	if err != nil || len(r.Series("brief")) != 1 {
		t.Errorf("the run that was finished meanwhile is not known: %v", err)
	}
}
