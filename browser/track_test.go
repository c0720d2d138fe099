package browser

import (
	"fmt"
	"os"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// leg is where a leg of a lane is on the track.
func leg(lane int64, key string) string {
	return fmt.Sprintf(`.leg[data-lane="%d"][data-leg="%s"]`, lane, key)
}

// atLeg waits until a piece is shown at a leg of a lane.
func (u *user) atLeg(id ref.Piece, lane int64, key string) {
	u.t.Helper()
	u.waits(fmt.Sprintf(`() => Boolean(document.querySelector('%s [data-piece="%d"]'))`, leg(lane, key), id), fmt.Sprintf("piece %d is not at %s", id, key))
}

const feature = 1 // the format

// Two people look at the track: a piece is passed by taking it to the next leg, a pass
// is refused with what is missing, it is sent back with reasons, given away, put into
// order, and what was done is taken back; both screens end as the data is.
func TestTheTrackIsMovedByHandOnTwoScreens(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	cloth := s.titled("Bolting cloth, thread by thread")
	s.briefed(cloth)
	u, other := s.as(maren, 1280), s.as(adaeze, 1280)
	u.tall(1500)
	u.open("/track")
	other.open("/track")
	u.take(leg(feature, "brief")+` [data-piece]`, leg(feature, "draft"), func() {
		u.seeIn(".tip", "Passes Brief to Draft, which nobody has yet")
		other.waits(fmt.Sprintf(`() => document.querySelector('%s')?.dataset.held === "Maren is moving it"`, card(cloth)), "it is not marked that somebody moves it")
	})
	both := func(id ref.Piece, lane int64, key string) {
		t.Helper()
		u.atLeg(id, lane, key)
		other.atLeg(id, lane, key)
		if got := s.leg(id, key); got.State != relay.Running {
			t.Errorf("%s is %s in the data", key, got.State)
		}
	}
	both(cloth, feature, "draft")
	u.seeIn("#foot", "Passed. Now Draft with nobody")
	u.keys('u')
	both(cloth, feature, "brief")
	var runs int
	s.must(s.Newsroom.DB.Get(ctx, &runs, "SELECT COUNT(*) FROM leg_run WHERE piece_id = ?", cloth))
	if runs != 0 {
		t.Error("a run that was taken back is on record")
	}

	// What is missing is said while it is held, and at the piece with a way to do it.
	tide := s.titled("The last tide mill on the Severn")
	u.take(card(tide), leg(feature, "copyedit"), func() {
		u.seeIn(".tip", "Edit cannot be passed yet")
		u.seeIn(".tip", "“Short title” is not filled in")
	})
	u.seeIn("#what", "Before it can be passed")
	if s.leg(tide, "edit").State != relay.Running {
		t.Error("it was passed all the same")
	}
	u.keys(input.Escape)

	// Left of where it is: it is sent back, and the reasons are asked for.
	u.take(card(tide), leg(feature, "draft"), func() { u.seeIn(".tip", "Sends it back to Yusuf, Draft") })
	u.seeIn("#what", "Reasons")
	u.fill("#ask-reasons", "Begin with Joan.")
	u.must(u.named("^Send back$").Click(proto.InputMouseButtonLeft, 1))
	both(tide, feature, "draft")
	if l := s.leg(tide, "draft"); l.Reasons != "Begin with Joan." || l.Rework == 0 {
		t.Errorf("sent back with %q", l.Reasons)
	}
	u.seeIn("#foot", "Sent back")
	u.keys('u')
	both(tide, feature, "edit")

	// Where it cannot go, nothing happens but a word about it.
	u.take(card(cloth), leg(feature, "release"), func() { u.seeIn(".tip", "From here it cannot go there") })
	if s.leg(cloth, "brief").State != relay.Running {
		t.Error("it went where it cannot go")
	}

	// Order by hand is the desk's.
	grit, stone := s.titled("Millstone grit"), s.titled("How a stone is dressed")
	u.take(card(grit), card(stone), func() { u.seeIn(".tip", "Before “How a stone is dressed”") })
	first := fmt.Sprintf(`() => document.querySelector('%s [data-piece]').dataset.piece === "%d"`, leg(feature, "draft"), grit)
	u.waits(first, "it is not the first")
	other.waits(first, "it is not the first on the other screen")
	if s.leg(grit, "draft").Turn != 1 || s.leg(stone, "draft").Turn != 2 {
		t.Error("the order is not stored")
	}

	// Onto the lane of somebody else: it is given away.
	u.open("/track?lanes=person")
	other.open("/track?lanes=person")
	u.take(card(grit), fmt.Sprintf(`.lane-head[data-person="%d"]`, adaeze), func() { u.seeIn(".tip", "Gives Draft to Adaeze") })
	u.waits(fmt.Sprintf(`() => Boolean(document.querySelector('#lane-%d [data-piece="%d"]'))`, adaeze, grit), "she does not have it")
	other.waits(fmt.Sprintf(`() => Boolean(document.querySelector('#lane-%d [data-piece="%d"]'))`, adaeze, grit), "she does not have it on her screen")
	if l := s.leg(grit, "draft"); l.Holder != adaeze {
		t.Errorf("%d has it", l.Holder)
	}
	u.keys('u')
	other.waits(fmt.Sprintf(`() => Boolean(document.querySelector('#lane-%d [data-piece="%d"]'))`, yusuf, grit), "he does not have it back")
	if l := s.leg(grit, "draft"); l.Holder != yusuf {
		t.Errorf("%d has it", l.Holder)
	}
}

// By keyboard, and followed on another screen: passed, refused with what is missing, given
// away, and taken back; what can be done with a card is a list of its own.
func TestTheTrackIsMovedByKeyboard(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(adaeze, 1280)
	s.briefed(s.titled("Bolting cloth, thread by thread"))
	u.open("/track")
	other.open("/track")
	cloth, tide, grit := s.titled("Bolting cloth, thread by thread"), s.titled("The last tide mill on the Severn"), s.titled("Millstone grit")
	focus := func(id ref.Piece) { u.eval(`(s) => document.querySelector(s + " a.title").focus()`, card(id)) }
	focus(cloth)
	u.keys('m', input.ArrowRight)
	u.told("Draft. Passes Brief to Draft, which nobody has yet")
	u.keys(input.Enter)
	for _, x := range []*user{u, other} {
		x.atLeg(cloth, feature, "draft")
	}
	u.keys('u')
	for _, x := range []*user{u, other} {
		x.atLeg(cloth, feature, "brief")
	}
	focus(tide)
	u.keys('m', input.ArrowRight)
	u.told("Edit cannot be passed yet")
	u.keys(input.Enter)
	u.seeIn("#what", "Before it can be passed")
	u.keys(input.Escape)
	if s.leg(tide, "edit").State != relay.Running {
		t.Error("it was passed all the same")
	}
	focus(tide)
	u.keys('.')
	u.seeIn("#what", "Before it can be passed")
	u.keys(input.Escape)
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	u.isFit("the track after a pass", string(axe))
	u.tall(800)

	u.open("/track?lanes=person")
	other.open("/track?lanes=person")
	focus(grit)
	u.keys('m', input.ArrowUp)
	u.told("Sian Prowse. Gives Draft to Sian")
	u.keys(input.Enter)
	has := func(person ref.Person) string {
		return fmt.Sprintf(`() => Boolean(document.querySelector('#lane-%d [data-piece="%d"]'))`, person, grit)
	}
	for _, x := range []*user{u, other} {
		x.waits(has(sian), "she does not have it")
	}
	if l := s.leg(grit, "draft"); l.Holder != sian {
		t.Errorf("%d has it", l.Holder)
	}
	u.keys('u')
	for _, x := range []*user{u, other} {
		x.waits(has(yusuf), "he does not have it back")
	}
}
