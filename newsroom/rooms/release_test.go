package rooms_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	room "greenbaton/newsroom/release"
)

// readied makes a piece whose legs are all passed, its last one by the writer.
func (h *testHouse) readied(day string) ref.Piece {
	h.t.Helper()
	b, err := h.Setup(ctx)
	h.must(err)
	f := b.Format(1)
	f.Wordless = true
	_, err = h.Settings.SaveFormat(ctx, lead, f)
	h.must(err)
	id := h.make(day)
	for range 12 {
		row := h.piece(id)
		for _, l := range row.Running() {
			if row.Final(l.Key) && l.Holder != writer {
				h.must(h.Planning.GiveLeg(ctx, lead, id, l.Key, writer, 0))
			}
			h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: l.Key, Why: "all the same"}))
		}
		if row = h.piece(id); row.Ready() {
			return id
		}
	}
	h.t.Fatal("the piece does not become ready")
	return 0
}

func (h *testHouse) comes(when string) {
	h.t.Helper()
	h.now = at(when).In(h.now.Location())
	h.must(h.Tick(ctx))
}

func (h *testHouse) typed(id ref.Piece, change func(*room.Typed)) room.Typed {
	h.t.Helper()
	s, err := h.Release.SheetFor(ctx, lead, id)
	h.must(err)
	t := room.Typed{Title: s.Title, Description: s.Description, Slug: s.Slug, Tags: strings.Join(s.Tags, ","), Alt: s.Alt, Related: s.Related, Next: s.Next, Fields: s.Fields}
	change(&t)
	return t
}

// Where the program schedules, a piece is scheduled as soon as it is ready and nothing is
// missing, is no more when something is, and goes out at its time only then.
func TestTheProgramSchedulesWhatIsComplete(t *testing.T) {
	h := newHouse(t)
	h.must(h.Release.SaveAsks(ctx, lead, 1, release.Asks{Title: 20}))
	id, late := h.readied("12-18"), h.readied("12-21")
	if p := h.piece(id); !p.Piece.Scheduled() || !p.IsScheduled || p.ScheduledBy != 0 {
		t.Fatalf("ready and complete, scheduled %v", p.Piece.Scheduled())
	}
	long := h.typed(late, func(t *room.Typed) { t.Title = "A title that is too long for its channel" })
	h.must(h.Release.SaveSheet(ctx, lead, late, 0, long))
	if p := h.piece(late); p.Piece.Scheduled() || !h.logged(late, "took back that it was scheduled") {
		t.Errorf("too long a title leaves it scheduled: %v", p.Piece.Scheduled())
	}
	h.must(h.Place(ctx, lead, id, at("12-17"), 0))
	if p := h.piece(id); !p.Piece.Scheduled() || p.ScheduledFor != at("12-17") {
		t.Errorf("moved to another day it is scheduled for %v", p.ScheduledFor)
	}
	h.comes("12-17")
	if p := h.piece(id); p.Stage != relay.Out {
		t.Errorf("at its time it is %s", p.Stage)
	}
	h.comes("12-21")
	if p := h.piece(late); p.Stage != relay.UnderWay || p.MissedAt == 0 || !h.tells(lead, "did not go out") {
		t.Errorf("incomplete at its time it is %s, missed %v", p.Stage, p.MissedAt)
	}
}

// Where people schedule, nothing goes out that nobody scheduled; only who may schedules, only
// what was shown, and whatever changes then takes it back and says so, unless small corrections
// are allowed.
func TestPeopleScheduleAndChangesTakeItBack(t *testing.T) {
	h := newHouse(t)
	id, other := h.readied("12-18"), h.readied("12-21")
	h.must(h.Release.SaveAsks(ctx, lead, 1, release.Asks{ByHand: true, Must: []string{"description"}, Fields: []release.Field{{Name: "Legal line", Must: true}}}))
	if p := h.piece(id); p.Piece.Scheduled() {
		t.Error("what the channel asks now is not there, and yet it is scheduled")
	}
	if err := h.Release.Schedule(ctx, lead, id, 0, ""); !refused(err, relay.ErrUnmet) {
		t.Errorf("scheduled without what is needed: %v", err)
	}
	early, err := h.Review.Release(ctx, lead, id)
	h.must(err)
	if len(early.Open) != 2 || len(early.Stops) != 0 {
		t.Errorf("who sends it out by hand is told it lacks %q", early.Open)
	}
	h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) {
		t.Description, t.Fields = "What the river took", map[string]string{"legalline": "None"}
	})))
	shown, err := h.Release.SheetFor(ctx, lead, id)
	h.must(err)
	if !shown.Complete() || len(shown.Says()) != 0 {
		t.Fatalf("it lacks %v", shown.Says())
	}
	if err := h.Review.SendOut(ctx, lead, id, 0, early.Seal); !refused(err, relay.ErrChanged) {
		t.Errorf("sent out as it was not shown: %v", err)
	}
	if whole, err := h.Review.Release(ctx, lead, id); err != nil || len(whole.Open) != 0 {
		t.Errorf("whole, it lacks %q, %v", whole.Open, err)
	}
	if err := h.Release.Schedule(ctx, lead, id, 0, "another"); !refused(err, relay.ErrChanged) {
		t.Errorf("scheduled as it was not shown: %v", err)
	}
	for who, may := range map[ref.Person]bool{writer: true, freelance: false, pictures: false, stranger: false} {
		err := h.Release.Schedule(ctx, who, id, 0, shown.Seal)
		if (err == nil) != may {
			t.Errorf("person %d schedules: %v", who, err)
		}
		if err == nil {
			h.must(h.Release.Unschedule(ctx, who, id, 0, "a proof is late"))
		}
	}
	again := func() {
		t.Helper()
		s, err := h.Release.SheetFor(ctx, lead, id)
		h.must(err)
		h.must(h.Release.Schedule(ctx, writer, id, 0, s.Seal))
		if p := h.piece(id); !p.Piece.Scheduled() || p.ScheduledBy != writer {
			t.Fatalf("scheduled %v by %d", p.Piece.Scheduled(), p.ScheduledBy)
		}
	}
	for what, change := range map[string]func(){
		"title": func() {
			h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) { t.Title += "!" })))
		},
		"tags": func() {
			h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) { t.Tags = "weir" })))
		},
		"field": func() {
			h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) { t.Fields["legalline"] = "Advert" })))
		},
		"next": func() {
			h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) { t.Next = []ref.Piece{other} })))
		},
		"day": func() { h.must(h.Place(ctx, lead, id, at("12-17"), 0)) },
		"a copy": func() {
			_, err := h.Copyroom.SaveCopy(ctx, lead, id, copyroom.OnNewest, copy.FromPlain("Something more.").JSON())
			h.must(err)
		},
	} {
		again()
		change()
		if p := h.piece(id); p.Piece.Scheduled() {
			t.Errorf("another %s leaves it scheduled", what)
		}
		if what != "day" && !h.tells(writer, "It is scheduled no more") {
			t.Errorf("%s: who scheduled it is not told", what)
		}
	}
	again()
	h.must(h.Release.SaveAsks(ctx, lead, 1, release.Asks{ByHand: true, Corrections: true}))
	h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) { t.Description = "A comma less" })))
	if p := h.piece(id); !p.Piece.Scheduled() {
		t.Error("a small correction takes it back though the channel allows it")
	}
	day := h.piece(id).GoesOut
	h.now = (day).In(h.now.Location())
	h.must(h.Tick(ctx))
	if p := h.piece(id); p.Stage != relay.Out {
		t.Errorf("scheduled and its time is there: %s", p.Stage)
	}
	h.now = (at("12-21") - 1800).In(h.now.Location())
	h.must(h.Tick(ctx))
	h.must(h.Tick(ctx))
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND text LIKE '%is not scheduled: nobody has scheduled it%'", writer); n != 1 {
		t.Errorf("who passed its last leg is told %d times that it is not scheduled", n)
	}
	h.comes("12-21")
	if p := h.piece(other); p.Stage != relay.UnderWay || p.MissedAt == 0 {
		t.Errorf("nobody scheduled it: %s", p.Stage)
	}
}

// An address is chosen once on a channel, and is where the page is.
func TestTheAddressOnTheSheetIsWhereThePageIs(t *testing.T) {
	h := newHouse(t)
	id, other := h.readied("12-18"), h.readied("12-21")
	set := func(p ref.Piece, slug string) error {
		return h.Release.SaveSheet(ctx, lead, p, 0, h.typed(p, func(t *room.Typed) { t.Slug = slug }))
	}
	h.must(set(id, "The-Tide-Mill"))
	for name, slug := range map[string]string{"taken": "the-tide-mill", "a path": "../etc", "too long": strings.Repeat("a", 300), "another script": "水車"} {
		if err := set(other, slug); !refused(err, relay.ErrInput) {
			t.Errorf("an address that is %s: %v", name, err)
		}
	}
	h.comes("12-18")
	h.must(h.Release.DeliverHere(ctx))
	if _, err := h.Review.SitePage(ctx, "web", "the-tide-mill"); err != nil {
		t.Errorf("the page is not at its address: %v", err)
	}
	if err := set(id, "another"); err == nil {
		t.Error("the address of a piece that is out is changed")
	}
	if err := h.Release.SaveSheet(ctx, lead, other, 0, h.typed(other, func(t *room.Typed) { t.Related = []ref.Piece{other} })); !refused(err, relay.ErrInput) {
		t.Errorf("a piece is related to itself: %v", err)
	}
}

// texts is a text writer that answers what it is told to.
type texts struct {
	draft newsroom.TextDraft
	err   error
}

func (w texts) WriteTexts(context.Context, newsroom.TextAsk) (newsroom.TextDraft, error) {
	return w.draft, w.err
}

// What a machine drafts fills in only what is empty or was drafted before, is marked until
// somebody keeps it, and holds a description back until then; what is no draft is left out.
func TestDraftedTextsAreMarkedUntilSomebodyKeepsThem(t *testing.T) {
	h := newHouse(t)
	h.must(h.Release.SaveAsks(ctx, lead, 1, release.Asks{Description: 40}))
	id := h.readied("12-18")
	if _, err := h.Release.Draft(ctx, lead, id, 0); !refused(err, relay.ErrNotNow) {
		t.Errorf("drafted by nobody: %v", err)
	}
	h.Texts = texts{draft: newsroom.TextDraft{
		Texts:  map[string]string{"description": "Twice a day\n the river fills the pond.", "say-short": "The mill turns.", "say-middle": strings.Repeat("x", 241), "slug": "hers"},
		Titles: []string{"It turns", " "}, Tags: []string{"tides", strings.Repeat("y", 300)},
	}}
	if _, err := h.Release.Draft(ctx, lead, id, 0); !refused(err, relay.ErrNotNow) {
		t.Errorf("drafted from no copy: %v", err)
	}
	_, err := h.Copyroom.SaveCopy(ctx, lead, id, copyroom.OnNewest, copy.FromPlain("Twice a day the river fills the pond.").JSON())
	h.must(err)
	for _, who := range []ref.Person{freelance, pictures, stranger} {
		if _, err := h.Release.Draft(ctx, who, id, 0); err == nil {
			t.Errorf("person %d has it drafted", who)
		}
	}
	ideas, err := h.Release.Draft(ctx, lead, id, 0)
	if err != nil || len(ideas.Titles) != 1 || len(ideas.Tags) != 1 {
		t.Fatalf("%v %+v", err, ideas)
	}
	s, err := h.Release.SheetFor(ctx, lead, id)
	h.must(err)
	if s.Description != "Twice a day the river fills the pond." || s.Fields["say-short"] != "The mill turns." || s.Fields["say-middle"] != "" || s.Slug != "" || !s.Drafted["description"] || !s.Drafted["say-short"] {
		t.Errorf("drafted: %q %v %v", s.Description, s.Fields, s.Drafted)
	}
	if p := h.piece(id); p.Piece.Scheduled() || len(s.Lacks) != 1 {
		t.Errorf("with a description that nobody kept, scheduled %v, lacks %v", p.Piece.Scheduled(), s.Lacks)
	}
	h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) { t.Fields["say-short"] = "The mill turns again." })))
	if s, err = h.Release.SheetFor(ctx, lead, id); err != nil || s.Drafted["say-short"] || !s.Drafted["description"] {
		t.Errorf("what somebody changed is theirs: %v %v", s.Drafted, err)
	}
	h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) { t.Keep = []string{"description"} })))
	if s, err = h.Release.SheetFor(ctx, lead, id); err != nil || s.Drafted["description"] || !h.piece(id).IsScheduled {
		t.Errorf("kept, and yet %v %v", s.Drafted, err)
	}
	_, err = h.Release.Draft(ctx, lead, id, 0)
	h.must(err)
	if again, err := h.Release.SheetFor(ctx, lead, id); err != nil || again.Fields["say-short"] != "The mill turns again." || again.Drafted["description"] {
		t.Errorf("drafting again overwrote what somebody wrote: %v %v %v", again.Fields, again.Drafted, err)
	}
	h.Texts = texts{err: errors.New("gone")}
	if _, err := h.Release.Draft(ctx, lead, id, 0); !refused(err, relay.ErrNotNow) {
		t.Errorf("a writer that does not answer: %v", err)
	}
}

// A piece has a link of its own for each place where it is announced; a short one leads to its
// page as soon as it is out, wherever that is by then, and is counted.
func TestLinksOfEachPlaceAreFollowedAndCounted(t *testing.T) {
	h := newHouse(t)
	h.Base = "https://house.example"
	id := h.readied("12-18")
	if err := h.Release.Shorten(ctx, lead, id, 0); !refused(err, relay.ErrNotNow) {
		t.Errorf("short links to nowhere: %v", err)
	}
	for _, who := range []ref.Person{writer, freelance, stranger} {
		if err := h.Release.SaveAnnounce(ctx, who, 1, release.Announce{}); err == nil {
			t.Errorf("person %d says where pieces are announced", who)
		}
	}
	if err := h.Release.SaveAnnounce(ctx, lead, 1, release.Announce{Pattern: "x={y}"}); !refused(err, relay.ErrInput) {
		t.Errorf("a pattern with something unknown: %v", err)
	}
	h.must(h.Release.SaveAnnounce(ctx, lead, 1, release.Announce{Places: []release.Place{{Name: "Letter", Medium: "email"}, {Name: "Boards"}}}))
	links := func() []room.Link {
		s, err := h.Release.SheetFor(ctx, lead, id)
		h.must(err)
		out, err := h.Release.Links(ctx, &s)
		h.must(err)
		return out
	}
	h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(t *room.Typed) { t.Slug = "mill" })))
	if l := links(); len(l) != 2 || l[0].Short != "" || l[0].Address != "https://house.example/site/web/mill?utm_source=letter&utm_medium=email&utm_content=mill" {
		t.Fatalf("%+v", l)
	}
	h.must(h.Release.Shorten(ctx, lead, id, 0))
	short := links()[0].Short
	h.must(h.Release.Shorten(ctx, lead, id, 0))
	if again := links()[0].Short; short == "" || again != short {
		t.Errorf("made twice it is %q and %q", short, again)
	}
	token := strings.TrimPrefix(short, "/to/")
	if _, err := h.Release.Follow(ctx, token); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("followed before it is out: %v", err)
	}
	h.comes("12-18")
	for range 3 {
		to, err := h.Release.Follow(ctx, strings.ToUpper(token))
		if err != nil || to != links()[0].Address {
			t.Fatalf("it leads to %q, %v", to, err)
		}
	}
	h.must(h.Tick(ctx))
	if l := links(); l[0].Clicks != 3 || l[1].Clicks != 0 {
		t.Errorf("counted %d and %d", l[0].Clicks, l[1].Clicks)
	}
	h.must(h.Release.SaveAnnounce(ctx, lead, 1, release.Announce{Places: []release.Place{{Name: "Boards"}}}))
	if to, err := h.Release.Follow(ctx, token); err != nil || !strings.HasPrefix(to, "https://house.example/site/web/mill?") {
		t.Errorf("where it is not announced any more it leads to %q, %v", to, err)
	}
	if _, err := h.Release.Follow(ctx, "nothing"); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("a link that never was: %v", err)
	}
}
