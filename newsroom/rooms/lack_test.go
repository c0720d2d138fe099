package rooms_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/brief"
	"greenbaton/core/check"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
)

// lacks gives what a running leg of a piece still asks for, as somebody sees it.
func (x *testHouse) lacks(who ref.Person, piece ref.Piece, leg string) []check.Lack {
	x.t.Helper()
	s, err := x.Planning.Sheet(ctx, who, piece)
	x.must(err)
	return s.Legs[s.Row.Leg(leg).Position].Unmet
}

// Whoever is held up by what somebody else owes asks them by one press. It stands on their
// Today until it is there, or the leg is over.
func TestWhoIsStoppedBySomebodyElseAsksThem(t *testing.T) {
	h := newHouse(t)
	h.asks(false)
	id := h.make("12-11")
	const angle = "the brief does not say “Angle”"
	if l := h.lacks(editor, id, "brief"); len(l) != 1 || l[0].Text != angle || l[0].Of != lead {
		t.Fatalf("the leg lacks %+v", l)
	}
	wanted := func(who ref.Person) (out []string) {
		all, err := h.Planning.WantedOf(ctx, who)
		h.must(err)
		for _, x := range all {
			out = append(out, x.Leg+": "+x.Text)
		}
		return out
	}
	askFor := func(who ref.Person, what string) error { return h.Planning.AskForLack(ctx, who, id, "brief", what) }
	if w := wanted(lead); len(w) != 0 {
		t.Errorf("before anybody asks %v is wanted", w)
	}
	if err := askFor(writer, angle); !refused(err, relay.ErrNotYours) {
		t.Errorf("asked by somebody whose leg it is not: %v", err)
	}
	if err := askFor(editor, "something else"); !refused(err, relay.ErrNotNow) {
		t.Errorf("asked for what is not lacking: %v", err)
	}
	if err := askFor(lead, angle); !refused(err, relay.ErrNotNow) || !strings.Contains(err.Error(), "for you to do") {
		t.Errorf("asked of oneself: %v", err)
	}
	h.must(askFor(editor, angle))
	if w := wanted(lead); len(w) != 1 || w[0] != "Brief: "+angle {
		t.Errorf("wanted of the lead is %v", w)
	}
	if !h.tells(lead, "Brief waits for you, says Edi: "+angle+".") || !h.logged(id, "asked Lea to see to it, for Brief") {
		t.Error("the lead is not told, or the logbook not")
	}
	if err := askFor(editor, angle); !refused(err, relay.ErrNotNow) || !strings.Contains(err.Error(), "asked already") {
		t.Errorf("asked twice: %v", err)
	}

	h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Mill", Owner: lead, WordsFrom: 3, WordsTo: 9, Answers: map[string]string{"angle": "It stops."}}))
	if w := wanted(lead); len(w) != 0 {
		t.Errorf("once it is there %v is wanted", w)
	}
	if err := askFor(editor, angle); !refused(err, relay.ErrNotNow) || !strings.Contains(err.Error(), "It is there now") {
		t.Errorf("asked for what is there: %v", err)
	}
}

// What was passed over once is not asked for at the next leg; it is again where the piece was
// sent back to before that.
func TestPassingAllTheSameHoldsForThatLack(t *testing.T) {
	h := newHouse(t)
	h.asks(true)
	id := h.make("12-11")
	has := func(leg string, want ...string) {
		t.Helper()
		var got []string
		for _, x := range check.Texts(h.lacks(lead, id, leg)) {
			if strings.Contains(x, "Angle") || strings.Contains(x, "title") {
				got = append(got, x)
			}
		}
		if !slices.Equal(got, want) {
			t.Errorf("%s lacks %v, want %v", leg, got, want)
		}
	}
	const angle, title = "the brief does not say “Angle”", "no title is chosen"
	has("brief", angle, title)
	h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: "brief", Why: "The writer knows it."}))
	has("draft")
	h.must(h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, From: "draft", To: "brief", Reasons: "It needs its angle."}))
	has("brief", angle, title)
	h.must(h.undo(lead))
	has("draft")

	// What was passed without a reason, because it was there, is asked for once it is gone.
	h.must(h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, From: "draft", To: "brief", Reasons: "It needs its angle."}))
	edit := func(says string) {
		t.Helper()
		h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Mill", Owner: lead, WordsFrom: 3, WordsTo: 9, Answers: map[string]string{"angle": says}}))
	}
	edit("It stops.")
	has("brief", title)
	h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: "brief", Why: "No title yet."}))
	has("draft")
	h.must(h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, From: "draft", To: "brief", Reasons: "Once more."}))
	edit("")
	h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: "brief", Why: "So be it."}))
	has("draft")
}

// What only one leg asks for was passed over for that leg: the same step of another is not.
func TestPassingOverAStepIsForItsLeg(t *testing.T) {
	h := newHouse(t)
	way := h.books().Latest(1).Way
	way.Legs = slices.Clone(way.Legs)
	for _, key := range []string{"brief", "draft"} {
		way.Leg(key).Steps = []route.Step{{Text: "Read aloud", Must: true}}
	}
	_, err := h.Settings.SaveRoute(ctx, lead, 1, h.books().Latest(1).Version, way)
	h.must(err)
	id := h.make("12-11")
	h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: "brief", Why: "It is short."}))
	if l := check.Texts(h.lacks(lead, id, "draft")); !slices.Contains(l, "“Read aloud” is not ticked") {
		t.Errorf("the draft lacks %v", l)
	}
}

// A query that stands in the way names whom it waits for, each by themselves, and they are
// asked by one press; what waits for the holder of the leg is theirs to do.
func TestAQueryThatStopsALegNamesWhomItWaitsFor(t *testing.T) {
	h := newHouse(t)
	h.must(h.Settings.SaveFormatBrief(ctx, lead, 1, brief.Form{{Key: "goal"}}, false, nil))
	h.must(h.Copyroom.SaveFormatChecks(ctx, lead, 1, check.Rules{check.Queries: {Leg: "brief"}}))
	id := h.make("12-11")
	ask := func(by, of ref.Person) ref.Query {
		q, err := h.Copyroom.AskAbout(ctx, by, id, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Which weir?", ForID: of}})
		h.must(err)
		return q
	}
	first := ask(editor, lead)
	ask(editor, lead)
	third := ask(lead, writer)
	says := func() string {
		var out []string
		for _, l := range h.lacks(editor, id, "brief") {
			out = append(out, fmt.Sprintf("%d: %s", l.Of, l.Text))
		}
		return strings.Join(out, "\n")
	}
	if got, want := says(), fmt.Sprintf("%d: 2 queries wait for their word\n%d: a query waits for their word", lead, writer); got != want {
		t.Errorf("it lacks\n%s\nwant\n%s", got, want)
	}
	h.must(h.Planning.AskForLack(ctx, editor, id, "brief", fmt.Sprintf("brief queries %d", writer)))
	if w, err := h.Planning.WantedOf(ctx, writer); err != nil || len(w) != 1 || w[0].Text != "a query waits for their word" {
		t.Errorf("wanted of the writer: %v %v", w, err)
	}
	h.must(h.Copyroom.SettleQuery(ctx, lead, third, true))
	h.must(h.Copyroom.AnswerQuery(ctx, lead, first, "The upper one.", nil))
	if got, want := says(), fmt.Sprintf("%d: a query waits for their word\n0: 2 queries are open", lead); got != want {
		t.Errorf("answered to the holder, it lacks\n%s\nwant\n%s", got, want)
	}
}
