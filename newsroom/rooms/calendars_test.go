package rooms_test

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/calendar"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/calendars"
	"greenbaton/store"
)

// follows makes a calendar and gives its token.
func (h *testHouse) follows(who ref.Person, ask calendars.Ask) string {
	h.t.Helper()
	ask.Desk = 1
	address, err := h.Calendars.Make(ctx, who, ask)
	h.must(err)
	return strings.TrimSuffix(path.Base(address), ".ics")
}

// shows gives what a calendar shows, a line each, in order of days.
func (h *testHouse) shows(token string) string {
	h.t.Helper()
	x, err := h.Calendars.Give(ctx, token)
	h.must(err)
	slices.SortFunc(x.Events, func(a, b calendar.Kept) int {
		return int(a.Day-b.Day)*1000 + strings.Compare(a.UID, b.UID)
	})
	var out []string
	for _, k := range x.Events {
		s := fmt.Sprintf("%s %s #%d", k.Day, k.Title, k.Sequence)
		if k.Off {
			s += " off"
		}
		out = append(out, s)
	}
	return strings.Join(out, "\n")
}

func (h *testHouse) showsNow(token, want string) {
	h.t.Helper()
	if got := h.shows(token); got != want {
		h.t.Errorf("it shows\n%s\nnot\n%s", got, want)
	}
}

// A calendar of legs follows what is given, moved, passed and taken away, and calls off what is no
// longer to be done.
func TestACalendarFollowsTheLegsOfItsPerson(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-11")
	token := h.follows(writer, calendars.Ask{Kind: store.CalendarLegs})
	due := h.leg(id, "draft").Due
	title := h.piece(id).Title
	h.showsNow(token, fmt.Sprintf("%s Draft: %s #0", due, title))
	h.showsNow(token, fmt.Sprintf("%s Draft: %s #0", due, title))

	h.passes(id, "brief") // it begins, which is said of it
	h.showsNow(token, fmt.Sprintf("%s Draft: %s #1", h.leg(id, "draft").Due, title))
	h.gives(id, "draft", editor)
	h.showsNow(token, fmt.Sprintf("%s Draft: %s #2 off", due, title))
	h.gives(id, "draft", writer)
	h.showsNow(token, fmt.Sprintf("%s Draft: %s #3", h.leg(id, "draft").Due, title))
	h.passes(id, "draft")
	h.showsNow(token, fmt.Sprintf("%s Draft: %s #4 off", due, title))

	// Another of their calendars begins by itself, with names of its own.
	other := h.follows(writer, calendars.Ask{Kind: store.CalendarLegs, Name: "Again"})
	h.showsNow(other, "")
}

// A calendar of pieces shows what its person sees of them, and no more.
func TestACalendarShowsWhatItsPersonSees(t *testing.T) {
	h := newHouse(t)
	mine, other := h.make("12-11"), h.make("12-18")
	h.passes(mine, "brief")
	h.gives(mine, "draft", freelance)
	all := calendars.Ask{Kind: store.CalendarPieces}
	line := func(id ref.Piece) string {
		p := h.piece(id)
		return fmt.Sprintf("%s %s #0", p.GoesOut.Date(h.zone()), p.Title)
	}
	h.showsNow(h.follows(lead, all), line(mine)+"\n"+line(other))
	h.showsNow(h.follows(freelance, all), line(mine))
	h.showsNow(h.follows(lead, calendars.Ask{Kind: store.CalendarPieces, Query: fmt.Sprintf("owner=%d", editor)}), "")
	x, err := h.Calendars.File(ctx, freelance, calendars.Ask{Kind: store.CalendarPieces, Desk: 1, Query: fmt.Sprintf("owner=%d", editor)})
	h.must(err)
	if len(x.Events) != 1 || strings.Contains(x.Events[0].Note, "Owner") {
		t.Errorf("who owns a piece is asked for and shown to somebody from outside: %+v", x.Events)
	}
	for name, ask := range map[string]calendars.Ask{
		"another desk":       {Kind: store.CalendarPieces, Desk: 9},
		"somebody's view":    {Kind: store.CalendarPieces, Desk: 1, View: h.view(lead, "pace=running")},
		"fees":               {Kind: store.CalendarPieces, Desk: 1, Query: "fee=1.."},
		"what is no filter":  {Kind: store.CalendarPieces, Desk: 1, Query: "channel=mill"},
		"no kind":            {Kind: "all", Desk: 1},
		"a name that is all": {Kind: store.CalendarLegs, Desk: 1, Name: strings.Repeat("x", 81)},
	} {
		if _, err := h.Calendars.Make(ctx, freelance, ask); err == nil {
			t.Errorf("%s: it is made", name)
		}
	}
}

func (h *testHouse) view(who ref.Person, query string) ref.View {
	h.t.Helper()
	id, err := h.Planning.SaveView(ctx, who, store.View{DeskID: 1, Owner: who, Name: "Kept", Page: "pieces", Query: query})
	h.must(err)
	return id
}

// An address opens nothing once it was ended, its view is gone, or whose it is has no access.
func TestACalendarOpensUntilItIsEnded(t *testing.T) {
	h := newHouse(t)
	h.make("12-11")
	refuses := func(what, token string) {
		t.Helper()
		if _, err := h.Calendars.Give(ctx, token); !refused(err, relay.ErrNotYours) {
			t.Errorf("%s: %v", what, err)
		}
	}
	refuses("never made", "ABCDEF")
	token := h.follows(writer, calendars.Ask{Kind: store.CalendarLegs})
	mine, err := h.Calendars.Mine(ctx, writer)
	h.must(err)
	if err := h.Calendars.End(ctx, lead, mine[0].ID); err == nil {
		t.Error("somebody ended another's")
	}
	h.must(h.Calendars.End(ctx, writer, mine[0].ID))
	refuses("ended", token)

	view := h.view(lead, "pace=running")
	token = h.follows(lead, calendars.Ask{Kind: store.CalendarPieces, View: view})
	if h.shows(token) == "" {
		t.Error("the pieces of a view are not shown")
	}
	h.must(h.Planning.DropView(ctx, lead, view))
	refuses("the view is gone", token)

	token = h.follows(freelance, calendars.Ask{Kind: store.CalendarLegs})
	h.shows(token)
	b := h.books()
	p := b.Person(freelance)
	p.Retired = true
	_, _, err = h.Settings.SavePerson(ctx, lead, 1, p)
	h.must(err)
	refuses("whose it is has left", token)
}
