package rooms_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/fee"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/programs"
	"greenbaton/store"
)

// far is a program elsewhere: it takes what is posted, or does not.
type far struct {
	down  bool
	posts []newsroom.Post
}

func (f *far) Post(_ context.Context, p newsroom.Post) error {
	if f.down {
		return errors.New("the program answers 503")
	}
	f.posts = append(f.posts, p)
	return nil
}

// hears adds a receiver to the desk of the test house.
func (h *testHouse) hears(kinds ...string) *far {
	h.t.Helper()
	f := &far{}
	h.Chat = f
	h.must(h.Programs.SaveReceiver(ctx, lead, store.Receiver{DeskID: 1, Name: "Far", URL: "https://far.example/events", Kinds: strings.Join(kinds, ","), IsOn: true}))
	return f
}

// heard gives the types of what was posted, with the leg or field it is about.
func (f *far) heard(t *testing.T) []string {
	t.Helper()
	var out []string
	for _, p := range f.posts {
		var x struct {
			Type      string
			Timestamp time.Time
			Data      struct {
				Leg, Field string
				Piece      *struct{ Title string }
			}
		}
		if err := json.Unmarshal([]byte(p.Body), &x); err != nil || x.Timestamp.IsZero() || !p.Event || !strings.HasPrefix(p.Secret, "whsec_") {
			t.Fatalf("%v in %+v", err, p)
		}
		out = append(out, strings.TrimSuffix(x.Type+" "+x.Data.Leg+x.Data.Field, " "))
	}
	f.posts = nil
	return out
}

func allTypes() []string {
	var out []string
	for _, k := range programs.Kinds {
		if k.Type != "piece.updated" {
			out = append(out, k.Type)
		}
	}
	return out
}

// A program hears of what happens to pieces, in order, once, and of nothing else.
func TestProgramsHearOfWhatHappens(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 777_00})
	f := h.hears(allTypes()...)
	id := h.make("12-11")
	h.must(h.Notify.DeliverPosts(ctx))
	is := func(what string, want ...string) {
		t.Helper()
		h.must(h.Notify.DeliverPosts(ctx))
		if got := f.heard(t); !slices.Equal(got, want) {
			t.Errorf("%s: %q", what, got)
		}
	}
	is("made", "piece.made", "leg.begun brief")
	h.passes(id, "brief")
	is("passed", "leg.passed brief", "leg.begun draft")
	h.gives(id, "draft", freelance)
	is("given", "leg.given draft")
	h.passes(id, "draft")
	for _, p := range h.rowsOf("SELECT body FROM outbox WHERE kind = 'event'") {
		if strings.Contains(p, "777") {
			t.Errorf("an amount is posted: %s", p)
		}
	}
	is("passed", "leg.passed draft", "leg.begun pics", "leg.begun copy")
	h.passes(id, "copy")
	got := func() []string { h.must(h.Notify.DeliverPosts(ctx)); return f.heard(t) }()
	if !slices.Contains(got, "work.accepted draft") || !slices.Contains(got, "leg.passed copy") {
		t.Errorf("the draft is accepted: %q", got)
	}
	h.make("12-18")
	f.heard(t)
	h.must(h.Notify.DeliverPosts(ctx))
	f.heard(t)
	h.must(h.undoes())
	is("the making is taken back", "piece.removed")
	if err := h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: id, Leg: "none"}); err == nil {
		t.Error("a leg that is none is passed")
	}
	is("what was refused did not happen")
}

// Whoever keeps a list of pieces elsewhere hears of each that is stored otherwise, by its version, and
// of each that is gone.
func TestProgramsHearOfWhatIsStored(t *testing.T) {
	h := newHouse(t)
	f := h.hears("piece.updated", "piece.removed")
	is := func(what string, want ...string) {
		t.Helper()
		h.must(h.Notify.DeliverPosts(ctx))
		if got := f.heard(t); !slices.Equal(got, want) {
			t.Errorf("%s: %q", what, got)
		}
	}
	id := h.make("12-11")
	is("made", "piece.updated")
	h.passes(id, "brief")
	is("passed", "piece.updated")
	h.must(h.undoes())
	is("the pass is taken back", "piece.updated")
	h.make("12-18")
	is("another", "piece.updated")
	h.must(h.undoes())
	is("which is taken back", "piece.removed")
}

func (h *testHouse) rowsOf(query string) []string {
	h.t.Helper()
	var out []string
	h.must(h.DB.View().Select(ctx, &out, query))
	return out
}

// What a program does not take is tried again, given up after twelve times, and posted again when a
// lead says so, under the same name; what is switched off gets nothing.
func TestEventsAreTriedAgain(t *testing.T) {
	h := newHouse(t)
	f := h.hears("piece.made")
	f.down = true
	h.make("12-11")
	for range store.MostTries + 2 {
		h.must(h.Notify.DeliverPosts(ctx))
		h.now = h.now.Add(8 * time.Hour)
	}
	posted, err := h.Programs.Posted(ctx, lead, 1, 1)
	h.must(err)
	if len(posted) != 1 || !posted[0].Dead() || posted[0].Problem != "the program answers 503" {
		t.Fatalf("%+v", posted)
	}
	f.down = false
	h.must(h.Notify.DeliverPosts(ctx))
	if len(f.posts) != 0 {
		t.Error("what was given up is posted by itself")
	}
	given := func(who ref.Person) string {
		all, err := h.Notify.GivenUp(ctx, who, 1)
		h.must(err)
		return fmt.Sprint(all)
	}
	if got := given(lead) + given(writer); got != fmt.Sprintf("[{1 %s 1}][]", h.books().Receivers[0].Name) {
		t.Errorf("said to the lead and to a writer: %s", got)
	}
	if err := h.Programs.PostAgain(ctx, writer, 1, 1, posted[0].ID); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody else posts again: %v", err)
	}
	for range 2 { // also what was taken
		h.must(h.Programs.PostAgain(ctx, lead, 1, 1, posted[0].ID))
		h.must(h.Notify.DeliverPosts(ctx))
	}
	if got := given(lead); got != "[]" {
		t.Errorf("what was posted again is said still: %s", got)
	}
	if len(f.posts) != 2 || f.posts[0].Key != posted[0].Key || f.posts[1].Key != posted[0].Key {
		t.Errorf("%+v", f.posts)
	}
	r := h.books().Receivers[0]
	r.IsOn = false
	h.must(h.Programs.SaveReceiver(ctx, lead, r))
	f.posts = nil
	h.make("12-18")
	h.must(h.Notify.DeliverPosts(ctx))
	if waits := h.rowsOf("SELECT body FROM outbox WHERE kind = 'event' AND sent_at = 0"); len(f.posts) != 0 || len(waits) != 0 {
		t.Errorf("it is switched off, and there are %q", waits)
	}
	for what, x := range map[string]store.Receiver{
		"an address of this machine": {DeskID: 1, Name: "Near", URL: "http://127.0.0.1/x", Kinds: "piece.made"},
		"no address":                 {DeskID: 1, Name: "Near", URL: "far", Kinds: "piece.made"},
		"nothing to hear":            {DeskID: 1, Name: "Near", URL: "https://far.example"},
		"no name":                    {DeskID: 1, URL: "https://far.example", Kinds: "piece.made"},
	} {
		if err := h.Programs.SaveReceiver(ctx, lead, x); !refused(err, relay.ErrInput) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := h.Programs.SaveReceiver(ctx, writer, store.Receiver{DeskID: 1, Name: "Far", URL: "https://far.example", Kinds: "piece.made"}); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody who leads nothing adds one: %v", err)
	}
}

// A token acts for its person until it is ended, has its end, or they lose their access; a command
// that began before is refused after.
func TestATokenActsUntilItEnds(t *testing.T) {
	h := newHouse(t)
	open := func(token string) (programs.Key, error) { return h.Programs.Open(ctx, token, "192.0.2.1") }
	pieces := scope.Scope{scope.Pieces: scope.Write}
	token, err := h.Programs.Make(ctx, editor, "Sheet", pieces, 10)
	h.must(err)
	k, err := open(token)
	h.must(err)
	if k.Person.ID != editor || !k.Scope.Allows(scope.Pieces, scope.Write) || k.Scope.Allows(scope.Copy, scope.Read) {
		t.Errorf("%+v", k)
	}
	as := newsroom.WithVisitor(ctx, newsroom.Visitor{Person: editor, Token: k.Token.ID})
	caught := func() error {
		_, _, err := h.Intake.Catch(as, editor, idea.Idea{DeskID: 1, Title: "By a program"}, 0)
		return err
	}
	h.must(caught())
	if _, _, err := h.Intake.Catch(newsroom.WithVisitor(ctx, newsroom.Visitor{Person: lead, Token: k.Token.ID}), lead, idea.Idea{DeskID: 1, Title: "As another"}, 0); !errors.Is(err, newsroom.ErrToken) {
		t.Errorf("it acts for somebody else: %v", err)
	}
	for what, bad := range map[string]string{"cut": token[:len(token)-1], "without its beginning": token[6:], "long": token + strings.Repeat("A", 90)} {
		if _, err := open(bad); !errors.Is(err, newsroom.ErrToken) {
			t.Errorf("%s: %v", what, err)
		}
	}
	mine, err := h.Programs.Tokens(ctx, editor)
	h.must(err)
	if len(mine) != 1 || mine[0].UsedFrom != "192.0.2.1" {
		t.Errorf("%+v", mine)
	}
	if err := h.Programs.End(ctx, lead, mine[0].ID); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("somebody else ends it: %v", err)
	}
	h.now = h.now.Add(11 * 24 * time.Hour)
	if _, err := open(token); !errors.Is(err, newsroom.ErrToken) {
		t.Errorf("it had its end: %v", err)
	}
	if err := caught(); !errors.Is(err, newsroom.ErrToken) {
		t.Errorf("it had its end, and acts: %v", err)
	}
	second, err := h.Programs.Make(ctx, editor, "Second", pieces, 0)
	h.must(err)
	k, err = open(second)
	h.must(err)
	as = newsroom.WithVisitor(ctx, newsroom.Visitor{Person: editor, Token: k.Token.ID})
	h.must(h.Account.EndAccess(ctx, lead, 1, editor, true))
	if _, err := open(second); !errors.Is(err, newsroom.ErrToken) {
		t.Errorf("they have no access: %v", err)
	}
	if caught() == nil {
		t.Error("they have no access, and a program acts for them")
	}
	for what, do := range map[string]func() error{
		"no name":         func() error { _, err := h.Programs.Make(ctx, lead, " ", pieces, 0); return err },
		"nothing to open": func() error { _, err := h.Programs.Make(ctx, lead, "X", scope.Scope{}, 0); return err },
		"too long":        func() error { _, err := h.Programs.Make(ctx, lead, "X", pieces, 99_999); return err },
	} {
		if err := do(); !refused(err, relay.ErrInput) {
			t.Errorf("%s: %v", what, err)
		}
	}
	var hashes []string
	h.must(h.DB.View().Select(ctx, &hashes, "SELECT hash FROM token"))
	if slices.ContainsFunc(hashes, func(x string) bool { return strings.Contains(x, token) || strings.Contains(x, token[6:]) }) {
		t.Error("the token itself is stored")
	}
}

// What a program was told was done once is stored with what was done, so that it is known also where
// the program was stopped before it answered.
func TestWhatIsDoneOnceIsKnownWithWhatWasDone(t *testing.T) {
	h := newHouse(t)
	token, err := h.Programs.Make(ctx, lead, "Sheet", scope.Scope{scope.Ideas: scope.Write}, 0)
	h.must(err)
	k, err := h.Programs.Open(ctx, token, "")
	h.must(err)
	x := store.AskedOnce{TokenID: k.Token.ID, Key: "a", Asked: "this", At: h.Now()}
	before, done, err := h.Programs.Once(ctx, x)
	h.must(err)
	if before != nil {
		t.Fatalf("%+v", before)
	}
	if _, _, err := h.Programs.Once(ctx, x); !errors.Is(err, programs.ErrMeanwhile) {
		t.Errorf("at the same time: %v", err)
	}
	as := newsroom.WithVisitor(ctx, newsroom.Visitor{Person: lead, Token: k.Token.ID, Once: &x})
	_, _, err = h.Intake.Catch(as, lead, idea.Idea{DeskID: 1, Title: ""}, 0)
	if err == nil {
		t.Error("an idea without a title is caught")
	}
	done() // it was refused, so that it may be asked again
	before, done, err = h.Programs.Once(ctx, x)
	h.must(err)
	if before != nil {
		t.Errorf("what was refused counts as done: %+v", before)
	}
	_, _, err = h.Intake.Catch(as, lead, idea.Idea{DeskID: 1, Title: "Once"}, 0)
	h.must(err)
	done() // and stopped here
	before, done, err = h.Programs.Once(ctx, x)
	h.must(err)
	done()
	if before == nil || before.Status != 0 {
		t.Errorf("it was done, and is not known: %+v", before)
	}
	x.Asked = "that"
	if _, _, err := h.Programs.Once(ctx, x); !errors.Is(err, programs.ErrOther) {
		t.Errorf("something else: %v", err)
	}
}
