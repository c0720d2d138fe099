package rooms_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"greenbaton/core/bring"
	"greenbaton/core/copy"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
)

// What went out before comes in as pieces that are out: with their day, address, writer, topic, tags
// and copy. Nobody is told, nothing is brought anywhere, nothing is owed, and nothing is learnt of how
// long legs take. It is taken back as one.
func TestWhatWentOutBeforeComesIn(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 125_00})
	h.ReadCopy = func(text string, _ func(string) (ref.File, bool)) (copy.Text, error) {
		if text == "broken" {
			return nil, errors.New("it is broken")
		}
		return copy.FromPlain(text), nil
	}
	h.must(h.Settings.SaveTopic(ctx, lead, store.Topic{DeskID: 1, Name: "Mills"}))
	told, posts := h.count("SELECT COUNT(*) FROM inbox"), h.count("SELECT COUNT(*) FROM outbox")
	lines := []string{"Headline|Published|Permalink|Author|Type|Topic|Tags|Excerpt|Body",
		"The old wheel|2019-12-10|https://old.example/wheel|Fred Lance|Feature|Mills|water, wood|It turned.|The millwright swore at the sluice.",
		"By nobody here|2020-01-05T09:30:00Z||Somebody Else|Feature||||Words of another.",
		"The old wheel|2019-12-10|https://old.example/wheel||Feature||||",
		"No day||||Feature||||",
		"To come|2027-01-05|||Feature||||",
		"No address|2020-02-01|mill|||||",
		"Another topic|2020-02-01|||Feature|Bread|||",
	}
	b := h.lookAt(bring.History, lines...)
	if b.Plan.Format != 1 {
		t.Error("the only format of the desk is not taken for rows that name none")
	}
	b = h.formatted(b)
	want := []string{
		"2 new: Went out Tue 10 Dec 2019, written by Fred, 6 words.",
		"3 clash: Went out Sun 5 Jan 2020, 3 words. Nobody here is called “Somebody Else”, so that it would come in without who wrote it.",
		"4 same: It stands in row 2 already.",
		"5 unreadable: It says not when it went out.",
		"6 unreadable: It goes out in time to come. Bring it in with a lineup instead.",
		"7 unreadable: Its address is none, which begins with https://.",
		"8 unreadable: “Bread” is not a topic of the desk.",
	}
	if got := fates(b); got != strings.Join(want, "\n") {
		t.Errorf("got\n%s", got)
	}
	h.must(h.Intake.BringIn(ctx, editor, b.ID, true))
	pieces, err := store.PiecesOfBatch(ctx, h.DB.View(), b.ID)
	h.must(err)
	if len(pieces) != 2 {
		t.Fatalf("%d came in", len(pieces))
	}
	p := h.piece(pieces[0])
	text, _ := h.text(p.ID)
	if p.Stage != relay.Out || p.OutAt.Date(h.zone()).String() != "2019-12-10" || p.Address != "https://old.example/wheel" || p.Summary != "It turned." || p.Tags != "water,wood" || p.Leg("draft").Holder != freelance || p.Leg("draft").State != relay.Passed || text.Words() != 6 {
		t.Errorf("%+v, %d words", p.Piece, text.Words())
	}
	h.must(h.Tick(ctx))
	h.must(h.Tick(ctx))
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id <> ?", editor) - told; n != 0 || h.count("SELECT COUNT(*) FROM outbox") != posts {
		t.Errorf("%d are told, %d messages", n, h.count("SELECT COUNT(*) FROM outbox")-posts)
	}
	for what, query := range map[string]string{"fees": "SELECT COUNT(*) FROM fee", "runs of legs": "SELECT COUNT(*) FROM leg_run", "deliveries": "SELECT COUNT(*) FROM delivery", "pages of the site": "SELECT COUNT(*) FROM site_page"} {
		if n := h.count(query); n != 0 {
			t.Errorf("there are %d %s", n, what)
		}
	}
	found, err := h.Intake.Find(ctx, editor, "millwright", 10)
	h.must(err)
	if got := fmt.Sprint(found); !strings.Contains(got, "swore at the sluice") {
		t.Errorf("words in it are not found: %s", got)
	}
	again, _, err := h.Release.Again(ctx, lead, 1)
	h.must(err)
	if len(again) == 0 {
		t.Error("it is not worth taking up again")
	}
	l, err := h.Planning.List(ctx, freelance, planning.Filter{Look: planning.Look{Desks: []ref.Desk{1}}})
	h.must(err)
	if len(l.Rows) != 1 || l.Rows[0].Title != "The old wheel" {
		t.Errorf("who wrote it sees %d pieces", len(l.Rows))
	}
	h.reported(lead, reports.Year, "2026-01-01")
	h.boardAgrees()

	// It is known when it comes again, and taken back as one.
	twice := h.formatted(h.lookAt(bring.History, lines[:2]...))
	if got := fates(twice); got != "2 same: It is here already, No. 1." {
		t.Errorf("again: %s", got)
	}
	for name, line := range map[string]string{"by its address": "The old wheel|2019-12-11|https://old.example/wheel", "by its day": "The old wheel|2019-12-10|"} {
		if got := fates(h.formatted(h.lookAt(bring.History, "Title|Published|Address", line))); got != "2 same: It is here already, No. 1." {
			t.Errorf("%s: %s", name, got)
		}
	}
	said, err := h.Intake.TakeBack(ctx, editor, b.ID)
	h.must(err)
	if h.piece(p.ID).Stage != relay.Withdrawn || !strings.HasPrefix(said, "2 published pieces from") {
		t.Errorf("%q", said)
	}
	if got := fates(h.formatted(h.lookAt(bring.History, lines[:2]...))); !strings.HasPrefix(got, "2 new") {
		t.Errorf("what was taken back comes in again: %s", got)
	}
	broken := h.formatted(h.lookAt(bring.History, "Title|Published|Type|Body", "A|2020-01-01|Feature|broken"))
	if err := h.Intake.BringIn(ctx, editor, broken.ID, false); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "row 2") {
		t.Errorf("a copy that cannot be read: %v", err)
	}
}

// Who is meant by a name that nobody here has is said once, and known in the next list.
func TestNamesAreMatchedOnceAndRemembered(t *testing.T) {
	h := newHouse(t)
	lines := []string{"Title|Published|Author", "A|2020-01-05|F. Lance", "B|2020-01-06|F. Lance", "C|2020-01-07|Old Hand"}
	b := h.formatted(h.lookAt(bring.History, lines...))
	if got := fmt.Sprint(b.Nobody); got != "[F. Lance Old Hand]" || b.Counts[intake.RowClash] != 3 {
		t.Errorf("%s, %v", got, b.Counts)
	}
	b.Plan.People = map[string]ref.Person{"F. Lance": stranger}
	if err := h.Intake.MatchColumns(ctx, editor, b.ID, b.Plan); !refused(err, relay.ErrInput) {
		t.Errorf("somebody of another desk is meant: %v", err)
	}
	b.Plan.People = map[string]ref.Person{"F. Lance": freelance, "Old Hand": 0}
	h.must(h.Intake.MatchColumns(ctx, editor, b.ID, b.Plan))
	want := "2 new: Went out Sun 5 Jan 2020, written by Fred.\n3 new: Went out Mon 6 Jan 2020, written by Fred.\n4 new: Went out Tue 7 Jan 2020, written by Old Hand, who is not here."
	if b = h.bringing(b.ID); fates(b) != want || len(b.Nobody) != 0 {
		t.Errorf("got\n%s\n%v", fates(b), b.Nobody)
	}
	next := h.formatted(h.lookAt(bring.History, "Title|Published|Author", "D|2020-02-05|f. lance"))
	if got := fates(next); got != "2 new: Went out Wed 5 Feb 2020, written by Fred." {
		t.Errorf("the next list: %s", got)
	}
	if got := fates(h.formatted(h.lookAt(bring.Lineup, "Title|Owner", "E|F. Lance"))); got != "2 unreadable: “F. Lance” is not a lead or one of the staff." {
		t.Errorf("who is meant owns no pieces: %s", got)
	}
}

func TestStatesAreMatchedOnceAndRemembered(t *testing.T) {
	h := newHouse(t)
	lines := []string{"Title|Published|Status", "A|2020-01-05|Published", "B|2020-01-06|draft", "C|2020-01-07|Abgenommen", "D|2020-01-08|", "E|2020-01-09|abgenommen"}
	b := h.formatted(h.lookAt(bring.History, lines...))
	if got := fmt.Sprint(b.States); got != "[{abgenommen 2 false false} {draft 1 true false} {published 1 true true}]" {
		t.Error(got)
	}
	if got := fates(b); got != `2 new: Went out Sun 5 Jan 2020.
3 unreadable: It did not go out: its state is “draft”.
4 clash: Went out Tue 7 Jan 2020. Nobody has said whether the state “abgenommen” means that it went out.
5 new: Went out Wed 8 Jan 2020.
6 clash: Went out Thu 9 Jan 2020. Nobody has said whether the state “abgenommen” means that it went out.` {
		t.Error(got)
	}
	b.Plan.States = map[string]bool{"Abgenommen": true, "published": false}
	h.must(h.Intake.MatchColumns(ctx, editor, b.ID, b.Plan))
	if b = h.bringing(b.ID); b.Counts[intake.RowNew] != 3 || b.Counts[intake.RowBad] != 2 {
		t.Error(fates(b))
	}
	if got := fates(h.formatted(h.lookAt(bring.History, "Title|Published|State", "F|2020-02-05|ABGENOMMEN"))); got != "2 new: Went out Wed 5 Feb 2020." {
		t.Errorf("the next list: %s", got)
	}
}

// formatted says of a list that rows without a format are of the first.
func (h *testHouse) formatted(b intake.Bringing) intake.Bringing {
	h.t.Helper()
	b.Plan.Format = 1
	h.must(h.Intake.MatchColumns(ctx, editor, b.ID, b.Plan))
	return h.bringing(b.ID)
}
