package rooms_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/core/rule"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/rules"
	"greenbaton/store"
)

// rules stores rules of the first desk and switches them on; it gives their ids.
func (x *testHouse) rules(rs ...rule.Rule) []ref.Rule {
	x.t.Helper()
	var out []ref.Rule
	for _, r := range rs {
		r.DeskID = 1
		id, err := x.Rules.SaveRule(ctx, lead, r)
		x.must(err)
		x.must(x.Rules.SwitchRule(ctx, lead, 1, id, true))
		out = append(out, id)
	}
	return out
}

func (x *testHouse) did(id ref.Rule) []store.RuleRun {
	x.t.Helper()
	_, runs, err := x.Rules.RuleHistory(ctx, lead, 1, id, 0, 1_000)
	x.must(err)
	slices.Reverse(runs)
	return runs
}

func is(field string, values ...string) rule.Cond {
	return rule.Cond{Field: field, Op: rule.Is, Values: values}
}

func person(id ref.Person) string { return fmt.Sprint(id) }

func TestARuleDoesWhatItSaysAndTellsInItsWords(t *testing.T) {
	h := newHouse(t)
	id := h.rules(rule.Rule{When: rule.Begins, If: []rule.Cond{is("leg", "Pictures"), is("format", "1")}, Then: []rule.Action{
		{Do: rule.Give, To: []string{person(freelance)}},
		{Do: rule.SetField, Field: "priority", Value: "1"},
		{Do: rule.AddSteps, Words: "Captions read\nLead picture chosen"},
		{Do: rule.Tell, To: []string{rule.TellHolder, rule.TellOwner, rule.RolePrefix + "edit"}, Words: "{leg} of “{piece}” is with {holder}, due {due}."},
		{Do: rule.FollowUp, Format: 1, Words: "More on {piece}"},
	}})[0]
	p := h.make("12-09")
	h.pass(editor, p, "brief")
	h.write(writer, p, "four words are here")
	if runs := h.did(id); len(runs) > 0 {
		t.Fatalf("it did something before its event: %v", runs)
	}
	h.pass(writer, p, "draft")
	got := h.piece(p)
	if l := got.Leg("pics"); l.Holder != freelance || got.Priority != relay.High {
		t.Errorf("pictures are with %d, priority %d", l.Holder, got.Priority)
	}
	steps, err := store.Steps(ctx, h.DB, p)
	h.must(err)
	if n := len(slices.DeleteFunc(steps, func(s store.Step) bool { return s.Leg != "pics" })); n != 2 {
		t.Errorf("%d steps were added", n)
	}
	for _, who := range []ref.Person{lead, freelance, editor} {
		items, err := h.Notify.Inbox(ctx, who, 0, 50)
		h.must(err)
		if !slices.ContainsFunc(items, func(i store.ItemWithTitle) bool {
			return strings.HasPrefix(i.Text, "Pictures of “The tide mill” is with Fred, due ")
		}) {
			t.Errorf("%d was not told: %v", who, items)
		}
	}
	all, err := h.Planning.List(ctx, lead, planning.Filter{Look: look})
	h.must(err)
	if !slices.ContainsFunc(all.Rows, func(r planning.ListRow) bool { return r.Title == "More on The tide mill" && r.DerivedFrom == p }) {
		t.Error("no piece follows")
	}
	runs := h.did(id)
	if len(runs) != 1 || runs[0].Failed || !strings.Contains(runs[0].Did, "gave Pictures to Fred") {
		t.Errorf("history: %+v", runs)
	}
	log, err := h.Logbook.OfPiece(ctx, lead, store.LogSieve{Piece: p, Limit: 50})
	h.must(err)
	if !slices.ContainsFunc(log, func(e store.Entry) bool {
		return e.Actor == 0 && strings.HasPrefix(e.Why, "House rule: When a feature enters Pictures")
	}) {
		t.Error("the logbook does not say which rule it was")
	}
	if _, err := store.Verify(ctx, h.DB); err != nil {
		t.Error(err)
	}
}

// Taking back what one did takes back what rules made of it on the piece.
func TestUndoTakesBackWhatRulesDidWithIt(t *testing.T) {
	h := newHouse(t)
	h.rules(rule.Rule{When: rule.Begins, If: []rule.Cond{is("leg", "Draft")}, Then: []rule.Action{{Do: rule.SetField, Field: "priority", Value: "2"}}})
	p := h.make("12-09")
	h.pass(editor, p, "brief")
	if h.piece(p).Priority != relay.First {
		t.Fatal("the rule did nothing")
	}
	u, err := h.LastUndo(ctx, editor)
	h.must(err)
	_, _, err = h.Undo(ctx, editor, u.ID)
	h.must(err)
	if got := h.piece(p); got.Priority != relay.Usual || got.Leg("brief").State != relay.Running {
		t.Errorf("priority %d, brief %s", got.Priority, got.Leg("brief").State)
	}
}

func TestAHalfFilledRuleStaysOff(t *testing.T) {
	h := newHouse(t)
	id, err := h.Rules.SaveRule(ctx, lead, rule.Rule{DeskID: 1, When: rule.Begins, Then: []rule.Action{{Do: rule.Give}}})
	h.must(err)
	if err := h.Rules.SwitchRule(ctx, lead, 1, id, true); err == nil || !strings.Contains(err.Error(), "to whom") {
		t.Errorf("switched on: %v", err)
	}
	whole := h.rules(rule.Rule{When: rule.Begins, Then: []rule.Action{{Do: rule.Give, To: []string{person(pictures)}}}})[0]
	pia := h.books().Person(pictures)
	pia.Retired = true
	_, _, err = h.Settings.SavePerson(ctx, lead, 1, pia)
	h.must(err)
	if r := h.books().HouseRule(whole); r.Runs() || len(r.Gaps) != 1 {
		t.Errorf("a rule that gives to somebody who left runs: %v", r.Gaps)
	}
}

// Two rules that bring each other about are stopped, and that is said.
func TestRulesThatGoInACircleAreStoppedAndToldOf(t *testing.T) {
	h := newHouse(t)
	h.rules(rule.Rule{When: rule.Changed, If: []rule.Cond{is("priority", "1")}, Then: []rule.Action{{Do: rule.SetField, Field: "priority", Value: "2"}}},
		rule.Rule{When: rule.Changed, If: []rule.Cond{is("priority", "2")}, Then: []rule.Action{{Do: rule.SetField, Field: "priority", Value: "1"}}})
	p := h.make("")
	high := relay.High
	h.must(h.Planning.EditPieces(ctx, lead, []planning.Edit{{Piece: p, Priority: &high}}))
	log, err := h.Logbook.OfPiece(ctx, lead, store.LogSieve{Piece: p, Limit: 50})
	h.must(err)
	if !slices.ContainsFunc(log, func(e store.Entry) bool { return e.Act == "cut" }) {
		t.Error("the logbook does not say that they were stopped")
	}
	items, err := h.Notify.Inbox(ctx, lead, 0, 50)
	h.must(err)
	if !slices.ContainsFunc(items, func(i store.ItemWithTitle) bool { return i.Kind == "rules" }) {
		t.Error("the lead is not told")
	}
}

// Events of time come once for each run of a leg, also when the program was down.
func TestEventsOfTimeComeOnce(t *testing.T) {
	h := newHouse(t)
	p := h.make("12-09")
	h.pass(editor, p, "brief")
	row := h.piece(p)
	due := row.Leg("draft").Due
	tell := []rule.Action{{Do: rule.Tell, To: []string{rule.TellOwner}, Words: "{piece}: {days}"}}
	ids := h.rules(rule.Rule{When: rule.DueIn, N: 1, Then: tell}, rule.Rule{When: rule.Overdue, N: 2, Then: tell}, rule.Rule{When: rule.Quiet, N: 3, Then: tell}, rule.Rule{When: rule.Unanswered, N: 2, Then: tell})
	_, err := h.Copyroom.AskAbout(ctx, lead, p, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "When?", ForID: writer}})
	h.must(err)
	counts := func() (out []int) {
		for _, id := range ids {
			out = append(out, len(h.did(id)))
		}
		return out
	}
	h.must(h.Tick(ctx))
	if got := counts(); !slices.Equal(got, []int{0, 0, 0, 0}) {
		t.Fatalf("at once: %v", got)
	}
	h.now = h.now.AddDate(0, 0, int(due-h.today())+9) // down all the while
	for range 2 {
		h.must(h.Tick(ctx))
		if got := counts(); !slices.Equal(got, []int{1, 1, 1, 1}) {
			t.Fatalf("after %s: %v", h.now.Format(time.DateOnly), got)
		}
	}
	h.write(writer, p, "four words are here")
	h.pass(writer, p, "draft")
	h.must(h.Planning.SendBack(ctx, lead, planning.Back{Piece: p, From: "copy", To: "draft", Reasons: "again"}))
	h.now = h.now.AddDate(0, 0, 30)
	h.must(h.Tick(ctx))
	if got := counts(); got[1] < 2 { // another run, another time
		t.Errorf("of the second run: %v", got)
	}
}

// randomRule makes a rule whose actions are worked out the same whoever looks on.
func randomRule(r *rand.Rand) rule.Rule {
	kinds := []rule.Kind{rule.Created, rule.Begins, rule.Passed, rule.SentBack, rule.DayMoved, rule.Changed, rule.Asked, rule.DueIn, rule.Overdue, rule.Quiet, rule.Unanswered}
	out := rule.Rule{When: kinds[r.IntN(len(kinds))], Any: r.IntN(4) == 0}
	if out.When.Timed() {
		out.N = 1 + r.IntN(3)
	}
	conds := []rule.Cond{is("leg", "Draft", "Pictures"), is("holder", "0"), {Field: "priority", Op: rule.IsNot, Values: []string{"1"}}, is("pace", "short", "no room"), {Field: "run", Op: rule.AtLeast, Values: []string{"2"}},
		{Field: "tag", Op: rule.IsNot, Values: []string{"ruled"}}, is("holder", person(writer), person(freelance)), {Field: "in hand", Op: rule.AtMost, Values: []string{"4"}}, is("holds as", "staff")}
	for range r.IntN(3) {
		out.If = append(out.If, conds[r.IntN(len(conds))])
	}
	leg := ""
	if !out.When.OfLeg() {
		leg = "Pictures"
	}
	does := []rule.Action{{Do: rule.Give, Leg: leg, To: []string{person(freelance)}}, {Do: rule.Give, Leg: leg, To: []string{rule.ToUsual}}, {Do: rule.SetField, Field: "priority", Value: "1"}, {Do: rule.SetField, Field: "tag", Value: "ruled"},
		{Do: rule.Tell, To: []string{rule.TellOwner}, Words: "x"}, {Do: rule.SetDue, Leg: leg, Days: 2}, {Do: rule.SetField, Field: "owner", Value: person(editor)}}
	if out.When == rule.Changed { // an edit that the rule has made before leaves no trace without it
		does = []rule.Action{does[3], does[4]}
	}
	for range 1 + r.IntN(3) {
		out.Then = append(out.Then, does[r.IntN(len(does))])
	}
	return out
}

// play does the same acts for the same seed; what cannot be done is left.
func (x *testHouse) play(seed uint64) {
	r := rand.New(rand.NewPCG(seed, 1))
	var pieces []ref.Piece
	for range 70 {
		switch k := r.IntN(14); {
		case k < 2 || len(pieces) == 0:
			d := planning.Draft{Title: fmt.Sprint("Piece ", len(pieces)), Format: 1, Owner: lead}
			if days := r.IntN(4) * 7; days > 0 {
				d.GoesOut = x.Now() + day.Moment(days)*86400
			}
			id, err := x.Intake.Create(ctx, lead, d)
			x.must(err)
			pieces = append(pieces, id)
		case k < 6:
			p := pieces[r.IntN(len(pieces))]
			legs := []string{"brief", "draft", "pics", "copy", "yes"}
			x.Planning.PassLeg(ctx, lead, planning.Pass{Piece: p, Leg: legs[r.IntN(len(legs))], Why: "regardless"})
		case k == 6:
			x.Planning.SendBack(ctx, lead, planning.Back{Piece: pieces[r.IntN(len(pieces))], From: "copy", To: "draft", Reasons: "again"})
		case k == 7:
			x.Planning.GiveLeg(ctx, lead, pieces[r.IntN(len(pieces))], []string{"draft", "pics", "copy"}[r.IntN(3)], []ref.Person{0, writer, pictures}[r.IntN(3)], 0)
		case k == 8:
			p := relay.Priority(r.IntN(3))
			x.Planning.EditPieces(ctx, lead, []planning.Edit{{Piece: pieces[r.IntN(len(pieces))], Priority: &p, AddTag: []string{"", "mill"}[r.IntN(2)]}})
		case k == 9:
			x.Place(ctx, lead, pieces[r.IntN(len(pieces))], x.Now()+2*86400*7, 0)
		case k == 10:
			x.Copyroom.AskAbout(ctx, lead, pieces[r.IntN(len(pieces))], copyroom.Ask{Query: query.Query{About: query.Piece, Text: "When?", ForID: writer}})
		default:
			for range 1 + r.IntN(2) {
				x.now = x.now.Add(24 * time.Hour)
				x.must(x.Tick(ctx))
			}
		}
		x.now = x.now.Add(time.Duration(1+r.IntN(20)) * time.Minute)
	}
	x.must(x.Tick(ctx))
}

// What a rule would have done over a span is what it did when it was on, for the same acts.
func TestATrialSaysWhatReallyHappens(t *testing.T) {
	for seed := range uint64(14) {
		r := randomRule(rand.New(rand.NewPCG(seed, 2)))
		r.DeskID = 1
		without, with := newHouse(t), newHouse(t)
		id := with.rules(r)[0]
		without.now, with.now = without.now.Add(time.Minute), with.now.Add(time.Minute)
		without.play(seed)
		with.play(seed)
		trial, err := without.Rules.TryRule(ctx, lead, r, 300, nil)
		without.must(err)
		var would, did []string
		for _, w := range trial.Would {
			would = append(would, fmt.Sprintf("%s %s %d %s", w.At.In(time.UTC).Format(time.DateTime), w.Title, w.Event.Piece, w.Event.Line()))
		}
		for _, x := range with.did(id) {
			did = append(did, fmt.Sprintf("%s %s %d %s", x.At.In(time.UTC).Format(time.DateTime), x.About, x.PieceID, x.Event))
		}
		if r.When.Timed() { // it comes at the beginning of a day, and is noticed some minutes later
			for i := range would {
				would[i] = would[i][:10] + would[i][19:]
			}
			for i := range did {
				did[i] = did[i][:10] + did[i][19:]
			}
			slices.Sort(would)
			slices.Sort(did)
		}
		if !slices.Equal(would, did) {
			t.Errorf("seed %d: %s\nwould have done\n  %s\nand did\n  %s", seed, r.Say(rules.Known(with.books(), 1)), strings.Join(would, "\n  "), strings.Join(did, "\n  "))
		}
	}
}

// A request is sent on to another desk, made a piece, and told of, by rules.
func TestRulesFollowRequests(t *testing.T) {
	h := newHouse(t)
	form, err := h.Intake.SaveForm(ctx, lead, request.Form{DeskID: 1, Name: "Ask us", Slug: "ask-us", Anyone: true, Open: true, Format: 1})
	h.must(err)
	id := h.rules(rule.Rule{When: rule.Requested, If: []rule.Cond{is("format", "1")}, Then: []rule.Action{
		{Do: rule.Tell, To: []string{rule.TellLeads, person(editor)}, Words: "Somebody asks: {piece}"}, {Do: rule.FollowUp, Format: 1, Words: "Asked: {piece}"},
	}})[0]
	f, err := h.Intake.Form(ctx, 0, "ask-us")
	h.must(err)
	_, err = h.Intake.Ask(ctx, 0, f, request.Asked{Title: "A mill near us", Name: "Joan", Mail: "joan@out.example", Format: 1}, nil)
	h.must(err)
	runs := h.did(id)
	if len(runs) != 1 || runs[0].Failed || runs[0].About != "A mill near us" || !strings.Contains(runs[0].Did, "made “Asked: A mill near us”") {
		t.Errorf("form %d: %+v", form, runs)
	}
	items, err := h.Notify.Inbox(ctx, editor, 0, 9)
	h.must(err)
	if !slices.ContainsFunc(items, func(i store.ItemWithTitle) bool {
		return i.Text == "Somebody asks: A mill near us" && strings.HasPrefix(i.Link, "/requests/")
	}) {
		t.Errorf("told: %v", items)
	}
}

func TestRulesHearOfProposals(t *testing.T) {
	h := newHouse(t)
	id := h.rules(rule.Rule{When: rule.Proposed, If: []rule.Cond{is("by", person(editor))}, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellHolder}, Words: "Look at what is proposed."}}})[0]
	p := h.make("12-18")
	h.pass(editor, p, "brief")
	h.write(writer, p, "four words are here")
	text, seq := h.text(p)
	_, err := h.Copyroom.EditCopy(ctx, editor, p, copyroom.CopyEdit{Client: "p", Turn: 1, Base: seq, Change: text.Propose(keep(0).Put("x", nil), fmt.Sprintf("%d.k", editor))})
	h.must(err)
	h.pass(writer, p, "draft") // what was written becomes a version
	if runs := h.did(id); len(runs) != 1 || !strings.HasPrefix(runs[0].Did, "told ") {
		t.Errorf("%+v", runs)
	}
}
