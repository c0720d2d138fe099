package rooms_test

import (
	"slices"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// followed makes a house whose route goes on behind release, and a piece on it that is ready.
func followed(t *testing.T) (*testHouse, ref.Piece) {
	t.Helper()
	h := newHouse(t)
	b, err := h.Setup(ctx)
	h.must(err)
	latest := b.Latest(1)
	way := latest.Way
	way.After = []route.Leg{
		{Key: "say", Name: "Say it is out", Role: "write", Usual: writer, Effort: 60, Steps: []route.Step{{Text: "The letter", Must: true}}},
		{Key: "answer", Name: "Answer readers", Role: "write", Usual: freelance, Allowance: 5, Effort: 120},
		{Key: "figures", Name: "How did it do?", Role: "lead", Allowance: 20, After: []string{"answer"}},
	}
	_, err = h.Settings.SaveRoute(ctx, lead, 1, latest.Version, way)
	h.must(err)
	f := b.Format(1)
	f.Wordless = true
	_, err = h.Settings.SaveFormat(ctx, lead, f)
	h.must(err)
	return h, h.make("12-18")
}

// goesOut passes all legs of a piece and lets its time come.
func (h *testHouse) goesOut(id ref.Piece, when string) {
	h.t.Helper()
	for range 12 {
		row := h.piece(id)
		for _, l := range row.Running() {
			h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: l.Key, Why: "all the same"}))
		}
		if row = h.piece(id); row.Ready() {
			break
		}
	}
	h.now = at(when).In(h.now.Location())
	h.must(h.Tick(ctx))
}

// A piece that goes out begins what follows: its holders are told, it stands on their Today, in
// their load and in the list of what is left, until it is done; then nothing is left.
func TestWhatFollowsReleaseIsHeldLikeAnyLeg(t *testing.T) {
	h, id := followed(t)
	if l := h.piece(id).After[1]; l.Holder != freelance || l.State != relay.Waiting || l.Due != on("12-25") {
		t.Errorf("before it is out: %+v", l)
	}
	left := func(who ref.Person) int {
		list, err := h.Planning.AfterRelease(ctx, who, 1)
		h.must(err)
		n := 0
		for _, x := range list {
			n += len(x.Legs)
		}
		return n
	}
	if left(lead) != 0 {
		t.Error("something is left to do at a piece that is not out")
	}
	h.goesOut(id, "12-18")
	row := h.piece(id)
	if row.Stage != relay.Out || left(lead) != 3 || left(writer) != 3 || left(freelance) != 1 || left(stranger) != 0 {
		t.Fatalf("%s, left to do: lead %d, writer %d, freelancer %d", row.Stage, left(lead), left(writer), left(freelance))
	}
	if !h.tells(writer, "Say it is out is with you") || !h.tells(freelance, "Answer readers is with you") {
		t.Error("those who have it are not told")
	}
	for who, leg := range map[ref.Person]string{writer: "say", freelance: "answer"} {
		d, err := h.Planning.TodayFor(ctx, who, 1)
		h.must(err)
		if !slices.ContainsFunc(d.With, func(x planning.Turn) bool { return x.Leg.Key == leg && x.Row.ID == id }) || d.Minutes == 0 {
			t.Errorf("%s does not stand on the Today of who has it: %+v", leg, d.With)
		}
	}
	loads, err := h.Planning.Loads(ctx, lead, 1, planning.Look{Desks: []ref.Desk{1}}, 4, []ref.Person{freelance})
	h.must(err)
	if k := slices.IndexFunc(loads.People, func(p planning.PersonLoad) bool { return p.Person.ID == freelance }); k < 0 || loads.People[k].Span.Minutes != 120 || len(loads.People[k].Legs) != 1 || loads.People[k].Legs[0].Leg.Key != "answer" {
		t.Errorf("the load of who has it: %+v", loads.People[k])
	}
	if err := h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: id, Leg: "say"}); !refused(err, relay.ErrUnmet) {
		t.Errorf("passed over its checklist: %v", err)
	}
	if err := h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: id, Leg: "answer"}); !refused(err, relay.ErrNotYours) {
		t.Errorf("passed by somebody else: %v", err)
	}
	h.must(h.Planning.PassLeg(ctx, freelance, planning.Pass{Piece: id, Leg: "answer"}))
	if row = h.piece(id); row.Leg("figures").State != relay.Running || row.Leg("figures").Holder != 0 {
		t.Errorf("what waited for it: %+v", row.Leg("figures"))
	}
	h.must(h.Planning.GiveLeg(ctx, lead, id, "figures", editor, 0))
	if err := h.Planning.LeaveAfter(ctx, writer, id, "", "no time", 0); !refused(err, relay.ErrNotYours) {
		t.Errorf("all of it left out by somebody who only runs one: %v", err)
	}
	if err := h.Planning.LeaveAfter(ctx, lead, id, "say", "", 0); !refused(err, relay.ErrInput) {
		t.Errorf("left out without a reason: %v", err)
	}
	h.must(h.Planning.LeaveAfter(ctx, lead, id, "say", "the letter is late", 0))
	h.must(h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "figures"}))
	if row = h.piece(id); !row.Closed() || left(lead) != 0 || row.Stage != relay.Out {
		t.Errorf("closed %v, %d left", row.Closed(), left(lead))
	}
	if h.count("SELECT COUNT(*) FROM logbook WHERE piece_id = ? AND before LIKE '%Say it is out: running, W%' AND after LIKE '%Say it is out: skipped, W%'", id) != 1 {
		t.Error("the logbook does not keep how it was before it was left out")
	}
	if !h.logged(id, "skipped Say it is out") || !h.logged(id, "nothing is left to do") {
		t.Error("the logbook does not say so")
	}
}

// What follows counts from the day on which the piece really went out, is taken along to another
// route, added to by hand, and recalled when it is withdrawn.
func TestWhatFollowsMovesAlong(t *testing.T) {
	h, id := followed(t)
	h.must(h.Planning.AddAfter(ctx, lead, id, 0, planning.Following{Name: "Tell the mill", Holder: editor, Days: 1}))
	if err := h.Planning.AddAfter(ctx, writer, id, 0, planning.Following{Name: "Tell nobody", Days: 1}); !refused(err, relay.ErrNotYours) {
		t.Errorf("added by somebody who does not plan: %v", err)
	}
	h.must(h.Place(ctx, lead, id, at("12-21"), 0))
	if row := h.piece(id); row.Leg("say").Due != on("12-21") || row.Leg("own-1").Due != on("12-22") {
		t.Errorf("moved: %v, %v", row.Leg("say").Due, row.Leg("own-1").Due)
	}
	h.now = at("12-21").In(h.now.Location())
	h.must(h.Tick(ctx)) // not ready: it misses its time
	h.goesOut(id, "12-23")
	h.must(h.Review.SendOut(ctx, lead, id, 0, ""))
	if row := h.piece(id); row.Stage != relay.Out || row.Leg("say").Due != on("12-23") || row.Leg("own-1").Due != on("12-24") {
		t.Errorf("out late: %s %v, %v", row.Stage, row.Leg("say").Due, row.Leg("own-1").Due)
	}
	h.must(h.Review.Withdraw(ctx, lead, id, 0, "wrong picture"))
	if row := h.piece(id); len(row.Running()) != 0 {
		t.Errorf("%d legs run at a piece that is withdrawn", len(row.Running()))
	}
	if list, err := h.Planning.AfterRelease(ctx, lead, 1); err != nil || len(list) != 0 {
		t.Errorf("%d pieces have something left to do: %v", len(list), err)
	}
}

// A leg after release begins a piece of its own, once, for whoever has it; both know of each
// other, and the leg is passed when that piece is out.
func TestALegAfterReleaseBeginsAPieceOfItsOwn(t *testing.T) {
	h, _ := followed(t)
	b, err := h.Setup(ctx)
	h.must(err)
	note, err := h.Settings.SaveFormat(ctx, lead, store.Format{DeskID: 1, ChannelID: 1, Name: "Short film", Wordless: true})
	h.must(err)
	way := b.Latest(1).Way
	way.After = []route.Leg{{Key: "film", Name: "Short film", Role: "write", Usual: writer, Allowance: 5, Makes: note}}
	_, err = h.Settings.SaveRoute(ctx, lead, 1, b.Latest(1).Version, way)
	h.must(err)
	id := h.make("12-18")
	begun := func() []store.Row {
		p := h.piece(id)
		_, rows, err := h.Planning.Derived(ctx, lead, &p.Piece)
		h.must(err)
		return rows
	}
	h.goesOut(id, "12-18")
	rows := begun()
	if len(rows) != 1 || rows[0].Title != "Short film: "+h.piece(id).Title || rows[0].FormatID != note || rows[0].Owner != writer || rows[0].Stage != relay.UnderWay {
		t.Fatalf("begun: %+v", rows)
	}
	child := rows[0].ID
	c := h.piece(child)
	if from, _, err := h.Planning.Derived(ctx, lead, &c.Piece); err != nil || from == nil || from.ID != id {
		t.Errorf("it does not know from what it was begun: %v %v", from, err)
	}
	if from, rows, err := h.Planning.Derived(ctx, stranger, &c.Piece); err != nil || from != nil || len(rows) != 0 {
		t.Errorf("somebody of another desk sees it: %v %v %v", from, rows, err)
	}
	h.must(h.Review.Withdraw(ctx, lead, id, 0, "wrong picture"))
	h.must(h.Review.SendOut(ctx, lead, id, 0, ""))
	if n := len(begun()); n != 1 {
		t.Errorf("out again it has begun %d", n)
	}
	for _, l := range c.Running() {
		h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: child, Leg: l.Key, Why: "all the same"}))
	}
	h.must(h.Review.SendOut(ctx, lead, child, 0, ""))
	if p := h.piece(id); p.Leg("film").State != relay.Passed || !p.Closed() {
		t.Errorf("its leg is %s when what it began is out", p.Leg("film").State)
	}
}

// Somebody falls ill with legs after release: they are there with the others; one that has a day
// of theirs before it is due waits, one that has none goes to whoever could run it.
func TestWhoFallsIllHandsOverWhatFollowsRelease(t *testing.T) {
	h, id := followed(t)
	undated := h.make("")
	h.goesOut(id, "12-18")
	if row := h.piece(id); row.Stage != relay.Out {
		t.Fatalf("it is %s", row.Stage)
	}
	if o, err := h.Planning.Handover(ctx, lead, freelance, h.today(), h.today()+30); err != nil || slices.ContainsFunc(o.Lines, func(x planning.HandoverLine) bool { return x.Piece.ID == undated }) {
		t.Errorf("%v: what follows a release without a day falls on these days: %+v", err, o.Lines)
	}
	say, answer := h.leg(id, "say"), h.leg(id, "answer")
	for _, x := range []struct {
		who   ref.Person
		leg   *relay.Leg
		to    int
		waits bool
		goes  ref.Person
	}{
		{writer, say, 0, false, freelance},
		{freelance, answer, 0, true, freelance},
		{freelance, answer, int(answer.Due - h.today()), false, writer},
	} {
		o, err := h.Planning.Handover(ctx, lead, x.who, h.today(), h.today()+day.Date(x.to))
		h.must(err)
		if len(o.Lines) != 1 || o.Lines[0].Leg.Key != x.leg.Key {
			t.Errorf("%s falls on %d days: %+v", x.leg.Key, x.to, o.Lines)
			continue
		}
		if y := o.Lines[0]; y.Waits != x.waits || y.Proposed != x.goes || y.Due != x.leg.Due {
			t.Errorf("%s, away %d days: may wait %v, goes to %d, due %s", x.leg.Key, x.to, y.Waits, y.Proposed, y.Due)
		}
	}
	from := h.today()
	_, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{
		{Do: plan.DoAway, Person: writer, Date: from, To: from}, {Do: plan.DoGive, Piece: id, Leg: "say", Person: freelance},
	}})
	h.must(err)
	if h.leg(id, "say").Holder != freelance {
		t.Error("it is not handed over")
	}
}
