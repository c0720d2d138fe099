package rooms_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/field"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/setup"
	"greenbaton/store"
)

func (x *testHouse) books() *newsroom.Setup {
	x.t.Helper()
	b, err := x.Setup(ctx)
	x.must(err)
	return b
}

// good gives a person, slot and so on that can be stored.
func goodPerson() store.Person {
	return store.Person{Name: "Nia New", Mail: "nia@house.example", Access: relay.Staff, Hours: setup.HoursText([7]int{1: 300, 2: 300}), Roles: []string{"write"}, Desks: []ref.Desk{1}}
}

func TestOnlyLeadsOfTheDeskSetItUp(t *testing.T) {
	for name, do := range map[string]func(h *testHouse, who ref.Person) error{
		"desk": func(h *testHouse, who ref.Person) error {
			d := h.books().Desk(1)
			d.Goal = 7
			_, err := h.Settings.SaveDesk(ctx, who, d)
			return err
		},
		"retire": func(h *testHouse, who ref.Person) error { return h.Settings.RetireDesk(ctx, who, 1, false) },
		"holiday": func(h *testHouse, who ref.Person) error {
			return h.Settings.AddHolidays(ctx, who, 1, on("12-24"), on("12-24"), "Closed")
		},
		"holiday back": func(h *testHouse, who ref.Person) error { return h.Settings.DropHoliday(ctx, who, 1, on("12-23")) },
		"channel": func(h *testHouse, who ref.Person) error {
			_, err := h.Settings.SaveChannel(ctx, who, store.Channel{DeskID: 1, Name: "Letter"})
			return err
		},
		"slot": func(h *testHouse, who ref.Person) error {
			return h.Settings.SaveSlot(ctx, who, store.Slot{ChannelID: 1, Rule: "FREQ=DAILY", Start: 20000, At: 60})
		},
		"person": func(h *testHouse, who ref.Person) error {
			_, _, err := h.Settings.SavePerson(ctx, who, 1, goodPerson())
			return err
		},
		"password": func(h *testHouse, who ref.Person) error {
			_, err := h.Settings.NewPassword(ctx, who, 1, writer)
			return err
		},
		"format": func(h *testHouse, who ref.Person) error {
			_, err := h.Settings.SaveFormat(ctx, who, store.Format{DeskID: 1, ChannelID: 1, Name: "Recipe"})
			return err
		},
		"route": func(h *testHouse, who ref.Person) error {
			r := h.books().Latest(1)
			_, err := h.Settings.SaveRoute(ctx, who, 1, r.Version, r.Way.Remove("welsh"))
			return err
		},
		"field": func(h *testHouse, who ref.Person) error {
			return h.Settings.SaveField(ctx, who, store.Field{FormatID: 1, Name: "Series", Kind: field.Text})
		},
		"move over": func(h *testHouse, who ref.Person) error { _, err := h.Planning.Transfers(ctx, who, 1); return err },
	} {
		h := newHouse(t)
		h.must(h.Settings.AddHolidays(ctx, lead, 1, on("12-23"), on("12-23"), "Closed"))
		for _, who := range []ref.Person{editor, writer, freelance, outside, stranger} {
			before, log := h.everything(), h.count("SELECT COUNT(*) FROM logbook")
			if err := do(h, who); !refused(err, relay.ErrNotYours) || h.everything() != before || h.count("SELECT COUNT(*) FROM logbook") != log {
				t.Errorf("%s by person %d: %v", name, who, err)
			}
		}
		log := h.count("SELECT COUNT(*) FROM logbook")
		h.must(do(h, lead))
		if logged := h.count("SELECT COUNT(*) FROM logbook") - log; logged != 1 && name != "move over" && name != "retire" {
			t.Errorf("%s is logged %d times", name, logged)
		}
		if rows, err := h.rows("SELECT before, after, what FROM logbook"); err != nil || strings.Contains(rows, "$2a$") || strings.Contains(rows, "argon") {
			t.Errorf("%s: a password is in the logbook", name)
		}
		if n, err := store.Verify(ctx, h.DB); err != nil {
			t.Error(n, err)
		}
	}
}

func TestBadSetUpIsRefusedAtItsField(t *testing.T) {
	h := newHouse(t)
	b := h.books()
	withDesk := func(spoil func(*store.Desk)) error {
		d := b.Desk(1)
		spoil(&d)
		_, err := h.Settings.SaveDesk(ctx, lead, d)
		return err
	}
	withPerson := func(id ref.Person, spoil func(*store.Person)) error {
		p := goodPerson()
		if id != 0 {
			p = b.Person(id)
		}
		spoil(&p)
		_, _, err := h.Settings.SavePerson(ctx, lead, 1, p)
		return err
	}
	withRoute := func(spoil func(*route.Route)) error {
		r := route.Route{Legs: slices.Clone(b.Latest(1).Way.Legs)}
		spoil(&r)
		_, err := h.Settings.SaveRoute(ctx, lead, 1, 1, r)
		return err
	}
	h.make("12-18")
	before := h.everything()
	for _, x := range []struct {
		name, field string
		err         error
	}{
		{"a desk without a name", "name", withDesk(func(d *store.Desk) { d.Name = " " })},
		{"a desk of the same name", "name", withDesk(func(d *store.Desk) { d.Name = "other DESK" })},
		{"a zone that is none", "zone", withDesk(func(d *store.Desk) { d.Zone = "Mars/Olympus" })},
		{"a desk with no working day", "weekdays", withDesk(func(d *store.Desk) { d.Weekdays = "0000000" })},
		{"a country that is none", "country", withDesk(func(d *store.Desk) { d.Country = "zz" })},
		{"a margin below nothing", "margin", withDesk(func(d *store.Desk) { d.Margin = -1 })},
		{"a margin of a year", "margin", withDesk(func(d *store.Desk) { d.Margin = 365 })},
		{"quiet at once", "quiet", withDesk(func(d *store.Desk) { d.QuietAfter = 0 })},
		{"an absurd goal", "goal", withDesk(func(d *store.Desk) { d.Goal = 10_000 })},
		{"nobody may pass", "pass_by", withDesk(func(d *store.Desk) { d.PassBy = "nobody" })},
		{"a day off without a name", "holiday", h.Settings.AddHolidays(ctx, lead, 1, on("12-24"), on("12-24"), "")},
		{"closed the wrong way round", "to", h.Settings.AddHolidays(ctx, lead, 1, on("12-24"), on("12-23"), "Closed")},
		{"closed for too long", "to", h.Settings.AddHolidays(ctx, lead, 1, on("10-24"), on("12-24"), "Closed")},
		{"a day off long ago", "date", h.Settings.AddHolidays(ctx, lead, 1, day.Date(100), day.Date(100), "Long ago")},
		{"a channel without a name", "name", func() error { _, err := h.Settings.SaveChannel(ctx, lead, store.Channel{DeskID: 1}); return err }()},
		{"a rule that is none", "rule", h.Settings.SaveSlot(ctx, lead, store.Slot{ChannelID: 1, Rule: "FREQ=NOW", Start: 20000})},
		{"a slot at 25 o'clock", "rule", h.Settings.SaveSlot(ctx, lead, store.Slot{ChannelID: 1, Rule: "FREQ=DAILY", Start: 20000, At: 1500})},
		{"a slot without a start", "start", h.Settings.SaveSlot(ctx, lead, store.Slot{ChannelID: 1, Rule: "FREQ=DAILY"})},
		{"a person without a name", "name", withPerson(0, func(p *store.Person) { p.Name = "" })},
		{"no mail address", "mail", withPerson(0, func(p *store.Person) { p.Mail = "nia" })},
		{"somebody's mail address", "mail", withPerson(0, func(p *store.Person) { p.Mail = "P3@house.example" })},
		{"an access that is none", "access", withPerson(0, func(p *store.Person) { p.Access = "king" })},
		{"no desk", "desks", withPerson(0, func(p *store.Person) { p.Desks = nil })},
		{"somebody else's desk", "desks", withPerson(0, func(p *store.Person) { p.Desks = []ref.Desk{2} })},
		{"a day of 25 hours", "hours", withPerson(0, func(p *store.Person) { p.Hours = setup.HoursText([7]int{1: 1500}) })},
		{"somebody with legs retires", "retired", withPerson(writer, func(p *store.Person) { p.Retired = true })},
		{"the only lead steps down", "access", withPerson(lead, func(p *store.Person) { p.Access = relay.Staff })},
		{"a format without a channel", "channel", func() error {
			_, err := h.Settings.SaveFormat(ctx, lead, store.Format{DeskID: 1, Name: "F"})
			return err
		}()},
		{"words upside down", "words", func() error {
			_, err := h.Settings.SaveFormat(ctx, lead, store.Format{DeskID: 1, ChannelID: 1, Name: "F", WordsFrom: 9, WordsTo: 3})
			return err
		}()},
		{"a circle", "brief.after", withRoute(func(r *route.Route) { r.Legs[0].After = []string{"yes"} })},
		{"negative days", "draft.days", withRoute(func(r *route.Route) { r.Legs[1].Allowance = -3 })},
		{"absurd days", "draft.days", withRoute(func(r *route.Route) { r.Legs[1].Allowance = 9999 })},
		{"least above the days", "draft.least", withRoute(func(r *route.Route) { r.Legs[1].Least = 9 })},
		{"a usual person of another desk", "draft.usual", withRoute(func(r *route.Route) { r.Legs[1].Usual = stranger })},
		{"a field without a name", "name", h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Kind: field.Text})},
		{"a list without choices", "name", h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Name: "F", Kind: field.One, Choices: "one"})},
	} {
		var r *relay.Refusal
		if !errors.As(x.err, &r) || r.Field != x.field || len(r.Text) < 20 || !strings.HasSuffix(r.Text, ".") {
			t.Errorf("%s: %v %+v", x.name, x.err, r)
		}
	}
	if h.everything() != before {
		t.Error("something was stored all the same")
	}
}

func TestDaysOffHoursAndHolidaysMakePiecesStandOtherwise(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-08")
	start := h.piece(id).InHand
	h.must(h.Settings.AddHolidays(ctx, lead, 1, on("11-26"), on("11-26"), "Closed"))
	h.must(h.WorkOut(ctx))
	if got := h.piece(id).InHand; got != start { // one day less on both sides of it: the plan's dates stay, the way there is shorter
		t.Logf("in hand %d, then %d", start, got)
	}
	h.must(h.Settings.DropHoliday(ctx, lead, 1, on("11-26")))
	p := h.books().Person(writer)
	p.Hours = setup.HoursText([7]int{1: 420, 3: 420})
	_, _, err := h.Settings.SavePerson(ctx, lead, 1, p)
	h.must(err)
	h.must(h.WorkOut(ctx))
	if got := h.piece(id).InHand; got >= start {
		t.Errorf("a writer of two days a week leaves %d in hand, before it was %d", got, start)
	}
}

func TestARetiredPersonIsKeptAndNoLongerOffered(t *testing.T) {
	h := newHouse(t)
	id, password, err := h.Settings.SavePerson(ctx, lead, 1, goodPerson())
	h.must(err)
	if p, err := h.Account.SignIn(ctx, "NIA@house.example", password, account.From{Host: "here"}); err != nil || p.ID != id {
		t.Errorf("the first password does not work: %v", err)
	}
	p := h.books().Person(id)
	p.Retired = true
	_, _, err = h.Settings.SavePerson(ctx, lead, 1, p)
	h.must(err)
	if _, err := h.Account.SignIn(ctx, "nia@house.example", password, account.From{Host: "here"}); err == nil {
		t.Error("a retired person signs in")
	}
	piece := h.make("12-18")
	if _, err := h.Planning.Preview(ctx, lead, []plan.Change{{Do: plan.DoGive, Piece: piece, Leg: "draft", Person: id}}); !refused(err, relay.ErrInput) {
		t.Errorf("a leg is given to them: %v", err)
	}
	if h.books().Person(id).Name != "Nia New" || slices.ContainsFunc(h.books().OnDesk(1), func(p store.Person) bool { return p.ID == id }) {
		t.Error("they are not kept, or still offered")
	}
}

// Whoever belongs to two desks is not taken over by the lead of one of them.
func TestOnlyWhoLeadsAllOfSomebodysDesksAnswersForThem(t *testing.T) {
	h := newHouse(t)
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error {
		p := h.books().Person(editor)
		p.Desks = []ref.Desk{1, 2}
		return tx.SavePerson(ctx, p)
	}))
	h.Forget()
	p := h.books().Person(editor)
	p.Mail = "taken@house.example"
	if _, _, err := h.Settings.SavePerson(ctx, lead, 1, p); !refused(err, relay.ErrInput) {
		t.Errorf("the mail address: %v", err)
	}
	if _, err := h.Settings.NewPassword(ctx, lead, 1, editor); !refused(err, relay.ErrInput) {
		t.Errorf("the password: %v", err)
	}
	p = h.books().Person(editor)
	p.Roles = append(p.Roles, "copy")
	if _, _, err := h.Settings.SavePerson(ctx, lead, 1, p); err != nil {
		t.Errorf("roles are for the lead of either desk: %v", err)
	}
}

func TestTheCauseIsASentence(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-04")
	h.pass(editor, id, "brief")
	_, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoAway, Person: writer, Date: on("12-03"), To: on("12-03")}}})
	h.must(err)
	h.now = h.now.Add(7 * 24 * time.Hour) // Tuesday 1 December
	h.must(h.WorkOut(ctx))
	if got, want := h.books().SayCause(h.piece(id)), "Wim has had the draft 1 day longer than planned, and is away Thursday"; got != want {
		t.Errorf("%q, want %q", got, want)
	}
	h.must(h.Planning.GiveLeg(ctx, lead, id, "draft", 0, 0))
	if got, want := h.books().SayCause(h.piece(id)), "Nobody has the draft, which is 1 day past due"; got != want {
		t.Errorf("%q, want %q", got, want)
	}
}

func TestARetiredChannelAndSlotAreNoLongerOffered(t *testing.T) {
	h := newHouse(t)
	if _, err := h.Settings.SaveChannel(ctx, lead, store.Channel{ID: 1, DeskID: 1, Name: "Web", Retired: true}); !refused(err, relay.ErrNotNow) {
		t.Errorf("a channel that a format goes out on: %v", err)
	}
	id, err := h.Settings.SaveChannel(ctx, lead, store.Channel{DeskID: 1, Name: "Web site"})
	h.must(err)
	if got := h.books().Channel(id).Slug; got != "web-site" {
		t.Errorf("its address is %q", got)
	}
	h.must(h.Settings.SaveSlot(ctx, lead, store.Slot{ChannelID: id, Rule: "FREQ=WEEKLY;BYDAY=TU", Start: 20000, At: 540}))
	if got := h.books().Slots(id, h.Now()); len(got) == 0 || got[0] != at("12-01")+3600 {
		t.Errorf("its slots are %v", got)
	}
	slots := h.books().Reference.Slots
	s := slots[len(slots)-1]
	s.Retired = true
	h.must(h.Settings.SaveSlot(ctx, lead, s))
	if got := h.books().Slots(id, h.Now()); len(got) != 0 {
		t.Errorf("a retired slot comes round: %v", got)
	}
}

func TestAnotherDeskHasItsOwnCalendarAndIsRetiredWhenEmpty(t *testing.T) {
	h := newHouse(t)
	id, err := h.Settings.SaveDesk(ctx, lead, store.Desk{Name: "Sunday edition", Zone: "America/New_York", Weekdays: "1000001", Country: "us", QuietAfter: 2, Goal: 4, PassBy: relay.ByOwner})
	h.must(err)
	b := h.books()
	if !b.Who(lead, id).OnDesk || b.Planned[id].Calendar.Working(on("11-24")) || !b.Planned[id].Calendar.Working(on("11-28")) {
		t.Error("the desk does not have its own people or calendar")
	}
	if _, err := h.Settings.SaveDesk(ctx, editor, store.Desk{Name: "Mine", Zone: "UTC", Weekdays: "0111110", QuietAfter: 2, PassBy: relay.ByOwner}); !refused(err, relay.ErrNotYours) {
		t.Errorf("staff make a desk: %v", err)
	}
	h.must(h.Settings.RetireDesk(ctx, lead, id, true))
	if len(h.books().DesksOf(lead)) != 1 {
		t.Error("the retired desk is still offered")
	}
	h.make("12-18")
	if err := h.Settings.RetireDesk(ctx, lead, 1, true); !refused(err, relay.ErrNotNow) {
		t.Errorf("a desk with a piece under way is retired: %v", err)
	}
}

func TestARunningPieceStaysOnItsRouteUntilItIsMovedOver(t *testing.T) {
	h := newHouse(t)
	first, second := h.make("12-18"), h.make("12-21")
	h.pass(editor, first, "brief")
	way := h.books().Latest(1).Way
	r := way.Insert(route.Leg{Key: "facts", Name: "Fact check", Role: "edit", Usual: editor, Allowance: 1, Steps: []route.Step{{Text: "Figures checked", Must: true}}}, 2)
	r.Leg("draft").Steps = []route.Step{{Text: "Names checked", Must: true}, {Text: "Sources listed"}}
	v, err := h.Settings.SaveRoute(ctx, lead, 1, 1, r)
	if err != nil || v != 2 {
		t.Fatal(v, err)
	}
	if _, err := h.Settings.SaveRoute(ctx, lead, 1, 1, way); !refused(err, relay.ErrChanged) {
		t.Errorf("saved over somebody else's version: %v", err)
	}
	if p := h.piece(first); p.Leg("facts") != nil || p.RouteID != 1 {
		t.Error("a running piece was moved by itself")
	}
	if id := h.make("12-23"); len(h.piece(id).Legs) != len(way.Legs)+1 {
		t.Error("a new piece does not run on the new version")
	}
	all, err := h.Planning.Transfers(ctx, lead, 1)
	if err != nil || len(all) != 2 || !slices.Equal(all[0].Added, []string{"Fact check"}) {
		t.Fatalf("%v: %d pieces, %+v", err, len(all), all)
	}
	versions := map[ref.Piece]int{first: all[0].Row.Version, second: all[1].Row.Version}
	h.must(h.Planning.EditBrief(ctx, lead, second, 0, planning.Brief{Title: "Changed meanwhile", Owner: lead}))
	before := h.everything()
	if err := h.Planning.MoveOver(ctx, lead, 1, versions); !refused(err, relay.ErrChanged) || h.everything() != before {
		t.Errorf("a piece that changed is moved over: %v", err)
	}
	versions[second] = 0
	h.must(h.Planning.MoveOver(ctx, lead, 1, versions))
	for i, id := range []ref.Piece{first, second} {
		p := h.piece(id)
		for k := range p.Legs {
			if want := all[i].After.Legs[k]; p.Legs[k].Key != want.Key || p.Legs[k].State != want.State || p.Legs[k].Due != want.Due {
				t.Errorf("%s: stored %s due %v, foreseen %s due %v", want.Key, p.Legs[k].State, p.Legs[k].Due, want.State, want.Due)
			}
		}
		if n := h.count("SELECT COUNT(*) FROM step WHERE piece_id = ? AND leg IN ('draft', 'facts')", id); n != 3 {
			t.Errorf("%d steps, want 3", n)
		}
	}
	if h.piece(first).Legs[0].State != relay.Passed {
		t.Error("what was done is not done any more")
	}
	h.boardAgrees()
	h.write(writer, first, "four words are enough")
	h.pass(writer, first, "draft")
	if p := h.piece(first); p.Leg("facts").State != relay.Running {
		t.Error("the new leg does not run")
	}
}

func TestFieldsAreAskedForAtTheirLegAndKeepWhatWasFilledIn(t *testing.T) {
	h := newHouse(t)
	for _, f := range []store.Field{
		{FormatID: 1, Name: "Series", Kind: field.One, Choices: "Winter\nSummer"}, {FormatID: 1, Name: "Welsh edition", Kind: field.Yes},
	} {
		h.must(h.Settings.SaveField(ctx, lead, f))
	}
	r := h.books().Latest(1)
	way := route.Route{Legs: slices.Clone(r.Way.Legs)}
	way.Leg("brief").Requires = []string{"series", "gone"}
	way.Leg("welsh").When, way.Leg("welsh").Is = "welshedition", "yes"
	_, err := h.Settings.SaveRoute(ctx, lead, 1, 1, way)
	h.must(err)
	if l := h.books().Latest(1).Way.Leg("welsh"); l.When != "welshedition" || l.Is != "yes" {
		t.Errorf("the Welsh leg is run when %q is %q", l.When, l.Is)
	}
	gone := route.Route{Legs: slices.Clone(way.Legs)}
	gone.Leg("welsh").When = "gone"
	_, err = h.Settings.SaveRoute(ctx, lead, 1, 2, gone)
	h.must(err)
	if l := h.books().Latest(1).Way.Leg("welsh"); l.When != "" || l.Is != "" {
		t.Errorf("it waits for a field that is not there: %q is %q", l.When, l.Is)
	}
	_, err = h.Settings.SaveRoute(ctx, lead, 1, 3, way)
	h.must(err)
	id := h.make("12-18")
	var refusal *relay.Refusal
	if err := h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief"}); !errors.As(err, &refusal) || !slices.Equal(refusal.Unmet, []string{"“Series” is not filled in"}) {
		t.Fatalf("%v %+v", err, refusal)
	}
	fields := h.books().FieldsOf(1)
	if err := h.Planning.Fill(ctx, writer, id, 0, map[ref.Field][]string{fields[0].ID: {"Winter"}}); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody without a running leg filled it in: %v", err)
	}
	if err := h.Planning.Fill(ctx, editor, id, 0, map[ref.Field][]string{fields[0].ID: {"Spring"}}); !errors.As(err, &refusal) || refusal.Field != "field-series" {
		t.Errorf("%v", err)
	}
	h.must(h.Planning.Fill(ctx, editor, id, 0, map[ref.Field][]string{fields[0].ID: {"Winter"}, fields[1].ID: {"yes"}}))
	if p := h.piece(id); p.Leg("welsh").State != relay.Waiting {
		t.Errorf("the Welsh leg is %s", p.Leg("welsh").State)
	}
	h.must(h.Planning.Fill(ctx, editor, id, 0, map[ref.Field][]string{fields[1].ID: {"no"}}))
	if p := h.piece(id); p.Leg("welsh").State != relay.Skipped {
		t.Errorf("the Welsh leg is %s", p.Leg("welsh").State)
	}
	h.pass(editor, id, "brief")
	f := fields[0]
	f.Kind = field.Number
	if err := h.Settings.SaveField(ctx, lead, f); !errors.As(err, &refusal) || refusal.Field != "kind" {
		t.Errorf("the kind of a field that is filled in changed: %v", err)
	}
	f = fields[0]
	f.Retired = true
	h.must(h.Settings.SaveField(ctx, lead, f))
	s, err := h.Planning.Sheet(ctx, lead, id)
	h.must(err)
	if len(s.Answers) != 2 || s.Answers[0].Value != "Winter" || !s.Answers[0].Retired {
		t.Errorf("what was filled in is gone: %+v", s.Answers)
	}
	h.pass(editor, func() ref.Piece { return h.make("12-23") }(), "brief") // nothing is asked for any more
	h.boardAgrees()
}

func TestTheHoursLeftAreSaidByTheHolder(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	h.must(h.Planning.Report(ctx, writer, id, "draft", 90, 0))
	p := h.piece(id)
	if p.Leg("draft").Remaining() != 90 {
		t.Errorf("%d minutes are left", p.Leg("draft").Remaining())
	}
	for _, who := range []ref.Person{editor, freelance, outside} {
		if err := h.Planning.Report(ctx, who, id, "draft", 30, 0); err == nil {
			t.Errorf("person %d said it", who)
		}
	}
	d, err := h.Planning.TodayFor(ctx, writer, 1)
	if err != nil || d.Minutes != 90 {
		t.Errorf("%v: Today says %d minutes", err, d.Minutes)
	}
}

// A step that names a person is theirs to tick, whoever holds the leg.
func TestAStepIsForWhomItNames(t *testing.T) {
	h := newHouse(t)
	b, err := h.Setup(ctx)
	h.must(err)
	way := route.Route{Legs: slices.Clone(b.Latest(1).Way.Legs)}
	way.Legs[1].Steps = append(way.Legs[1].Steps, route.Step{Text: "Read by Pia", Role: "pia pictures", Before: 1}, route.Step{Text: "For editors", Role: "edit"})
	_, err = h.Settings.SaveRoute(ctx, lead, 1, 1, way)
	h.must(err)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	step := func(text string) ref.Step {
		return ref.Step(h.count("SELECT id FROM step WHERE piece_id = ? AND text = ?", id, text))
	}
	if err := h.Planning.TickStep(ctx, editor, id, step("Read by Pia"), true); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody else ticks it: %v", err)
	}
	h.must(h.Planning.TickStep(ctx, pictures, id, step("Read by Pia"), true))
	h.must(h.Planning.TickStep(ctx, editor, id, step("For editors"), true))
}
