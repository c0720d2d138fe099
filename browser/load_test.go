package browser

import (
	"fmt"
	"os"
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// The load is moved by hand: an open leg is given to who has room, a leg of an unfolded
// person goes to somebody else and to another day, each with what it does said first;
// another screen follows, and the last is taken back.
func TestTheLoadIsMovedByHandOnTwoScreens(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(maren, 1280)
	u.tall(1700)
	u.open("/load")
	other.open("/load")
	flour := s.titled("Flour dust and lungs: what the miller knew")
	row := func(person int) string { return fmt.Sprintf(`.load-row[data-person="%d"]`, person) }
	u.take(fmt.Sprintf(`.open-leg[data-piece="%d"]`, flour), row(dao), func() {
		u.waits(fmt.Sprintf(`() => document.querySelector('%s').dataset.stands === "does not run this"`, row(yusuf)), "it does not say who cannot")
		u.seeIn(".tip", "Gives Pictures to Dao")
	})
	gone := fmt.Sprintf(`() => !document.querySelector('.open-leg[data-piece="%d"]')`, flour)
	u.waits(gone, "it is still open")
	other.waits(gone, "it is still open on the other screen")
	if l := s.leg(flour, "pictures"); l.Holder != dao {
		t.Errorf("%d has it", l.Holder)
	}

	u.must(u.find(row(dao)+" [data-unfold]").Click("left", 1))
	bar := fmt.Sprintf(`%s .load-leg[data-piece="%d"]`, row(dao), flour)
	u.find(bar)
	shift := s.titled("The night shift at Quern Street")
	before := s.leg(shift, "cut").Due
	u.take(fmt.Sprintf(`%s .load-leg[data-piece="%d"][data-leg=cut]`, row(dao), shift), row(dao)+` [data-date="2026-12-02"]`, func() { u.seeIn(".tip", "Pins Cut to Wed 2 Dec") })
	u.seeIn("#foot", "pins Cut to Wed 2 Dec")
	if l := s.leg(shift, "cut"); l.Due.String() != "2026-12-02" || l.Due == before {
		t.Errorf("it is due %v, it was %v", l.Due, before)
	}
	u.keys('u')
	u.seeIn("#foot", "Taken back")
	if l := s.leg(shift, "cut"); l.Due != before {
		t.Errorf("it is due %v, it was %v", l.Due, before)
	}

	u.take(bar, row(ruth), func() { u.seeIn(".tip", "Gives Pictures to Ruth") })
	u.waits(fmt.Sprintf(`() => !document.querySelector('%s')`, bar), "Dao still has it")
	if l := s.leg(flour, "pictures"); l.Holder != ruth {
		t.Errorf("%d has it", l.Holder)
	}
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	u.isFit("the load, unfolded", string(axe))
}

// The same by keyboard.
func TestTheLoadIsMovedByKeyboard(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/load?unfold=7")
	shift := s.titled("The night shift at Quern Street")
	u.eval(`(s) => document.querySelector(s + " a.title").focus()`, fmt.Sprintf(`.load-leg[data-piece="%d"]`, shift))
	u.keys('m', input.ArrowDown)
	u.told("Hollis Mbeki. Gives Cut to Hollis")
	u.keys(input.Escape)
	u.told("Put back")
	if l := s.leg(shift, "cut"); l.Holder != dao {
		t.Error("it was given without being let go")
	}
	// To a day: the columns of the unfolded person are reached sideways.
	u.keys('m', input.ArrowRight)
	u.told("Pins Cut to")
	u.keys(input.ArrowLeft, input.ArrowLeft)
	u.told("Wednesday 2 December. Pins Cut to Wed 2 Dec")
	u.keys(input.Escape)
}
