package browser

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// drag takes something by its middle to another place, in steps, with the mouse.
func (u *user) drag(selector string, dx, dy float64, held func()) {
	u.t.Helper()
	u.must(u.page.Wait(putAway))
	u.eval(`(s) => document.querySelector(s).scrollIntoView({ block: "center" })`, selector)
	shape, err := u.find(selector).Shape()
	u.must(err)
	at := shape.OnePointInside()
	m := u.page.Mouse
	u.must(m.MoveTo(*at))
	u.must(m.Down(proto.InputMouseButtonLeft, 1))
	for k := 1.0; k <= 8; k++ {
		u.must(m.MoveTo(proto.Point{X: at.X + dx*k/8, Y: at.Y + dy*k/8}))
	}
	held()
	u.must(m.Up(proto.InputMouseButtonLeft, 1))
}

// putAway is when nothing is asked any more, and what was held is back in its place.
var putAway = rod.Eval(`() => !document.querySelector("#what .what-body")?.hasChildNodes()`)

// column gives how wide a day of the drawing is on the screen.
func (u *user) column() float64 {
	u.t.Helper()
	var w float64
	_, err := fmt.Sscan(u.eval(`() => { const c = document.querySelector("[x-data=chart]"); return String(c.querySelector("svg").getBoundingClientRect().width / +c.dataset.width * +c.dataset.unit) }`), &w)
	u.must(err)
	return w
}

// shownDates reads the dates that the dialog says will change, by leg.
func (u *user) shownDates(option int) map[string]string {
	u.t.Helper()
	out := map[string]string{}
	text := u.eval(`(n) => [...[...document.querySelectorAll("#what .option")][n].querySelectorAll("li.contents")].map(l => l.children[0].innerText + "|" + l.querySelector("strong").innerText).join("\n")`, option)
	for line := range strings.Lines(text) {
		if leg, date, ok := strings.Cut(strings.TrimSpace(line), "|"); ok {
			out[leg] = date
		}
	}
	return out
}

func (s *site) titled(title string) ref.Piece {
	s.t.Helper()
	var id ref.Piece
	s.must(s.Newsroom.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = ?", title))
	return id
}

func (s *site) agrees(id ref.Piece, shown map[string]string) {
	s.t.Helper()
	if len(shown) == 0 {
		s.t.Error("no date was shown")
	}
	row := s.stored(id)
	for i := range row.Legs {
		if want, ok := shown[row.Legs[i].Name]; ok && row.Legs[i].Due.Format("Mon 2 Jan") != want {
			s.t.Errorf("%s is due %v, shown was %s", row.Legs[i].Name, row.Legs[i].Due, want)
		}
	}
}

// The flag is dragged with the mouse, what follows is said while it is held and
// before it is done, what is stored is what was shown, and it is taken back.
func TestMovingAPiecesDayByHand(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	id := s.titled("Old Weir’s first harvest")
	path := fmt.Sprintf("/pieces/%d", id)
	before := s.stored(id)
	u.open(path)
	u.drag("[data-drag=move] .flag", 5*u.column(), 3, func() {
		u.seeIn(".tip", "Goes out Thu 17 Dec, 10:00")
		u.seeIn(".tip", "in hand")
	})
	u.seeIn("#what", "Do it, and let the dates follow")
	if row := s.stored(id); row.GoesOut != before.GoesOut {
		t.Error("it moved before it was confirmed")
	}
	u.seeIn("#what", "“Wholemeal at school” goes out on Old Weir then as well")
	u.seeIn("#what", "The next free slot is")
	u.keys(input.Escape)
	u.drag("[data-drag=move] .flag", 4*u.column(), 0, func() { u.seeIn(".tip", "Goes out Wed 16 Dec") })
	u.seeIn("#what", "Goes out Wed 16 Dec")
	shown := u.shownDates(0)
	u.press("Do it, and let the dates follow")
	u.see("Done: goes out Wed 16 Dec")
	s.agrees(id, shown)
	u.act(func() { u.keys('u') })
	u.see("Taken back: goes out Wed 16 Dec")
	after := s.stored(id)
	for i := range after.Legs {
		if after.GoesOut != before.GoesOut || after.Legs[i].Due != before.Legs[i].Due {
			t.Errorf("%s is due %v, it was %v", after.Legs[i].Name, after.Legs[i].Due, before.Legs[i].Due)
		}
	}
	// The end of a leg is pinned the same way.
	u.drag("[data-drag=pin][data-leg=release]", -2*u.column(), 0, func() { u.seeIn(".tip", "Pins Release to") })
	u.seeIn("#what", "Pins Release to")
	shown = u.shownDates(0)
	u.press("^Do it$")
	s.agrees(id, shown)
	if row := s.stored(id); row.Leg("release").Pin == 0 || row.Leg("release").Pin != row.Leg("release").Due {
		t.Errorf("the leg is not pinned: %+v", row.Leg("release"))
	}
}

// The same by keyboard alone, keeping the dates.
func TestMovingAPiecesDayByKeyboard(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	id := s.titled("Millstone grit")
	before := s.stored(id)
	u.open(fmt.Sprintf("/pieces/%d", id))
	u.tabTo("The day it goes out")
	u.keys(input.ArrowRight, input.ArrowRight, input.ArrowLeft)
	u.seeIn(".tip", "Goes out Thu 10 Dec, 08:00")
	if told := u.eval(`() => document.querySelector("[aria-live=polite]").textContent`); !strings.Contains(told, "Goes out Thu 10 Dec") {
		t.Errorf("a screen reader is told %q", told)
	}
	u.keys(input.Escape)
	if at := u.eval(`() => String(document.querySelector("[data-drag=move]").getAttribute("transform"))`); at != "null" && at != "<nil>" {
		t.Errorf("it was not let go: %s", at)
	}
	u.keys(input.ArrowRight)
	u.seeIn(".tip", "Goes out Thu 10 Dec, 08:00")
	u.keys(input.Enter)
	u.seeIn("#what", "Do it, and keep the dates")
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	u.isFit("what a change would do", string(axe))
	u.tabTo("Do it, and keep the dates")
	u.enter()
	u.see("Done: goes out Thu 10 Dec")
	after := s.stored(id)
	if after.GoesOut != before.GoesOut+86400 {
		t.Errorf("it goes out %v", after.GoesOut)
	}
	for i := range after.Legs {
		if after.Legs[i].Due != before.Legs[i].Due {
			t.Errorf("%s is due %v, and its date was to be kept", after.Legs[i].Name, after.Legs[i].Due)
		}
	}
}

// A short piece is made whole by each kind of way out; what was promised is what is
// stored, and each is taken back before the next is tried.
func TestEachKindOfWayOutIsTakenAndTakenBack(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	seen := map[plan.Kind]bool{}
	for _, title := range []string{"How a stone is dressed", "Flour dust and lungs: what the miller knew", s.shortened()} {
		id := s.titled(title)
		_, ways, err := s.Newsroom.Planning.WaysOut(ctx, maren, id)
		s.must(err)
		for n, w := range ways {
			if seen[w.Kind] || !w.Complete {
				continue
			}
			seen[w.Kind] = true
			before := s.stored(id)
			u.open("/")
			u.see(title)
			u.open(fmt.Sprintf("/pieces/%d", id))
			u.press("See ways out")
			u.act(func() { u.eval(`(n) => document.querySelectorAll("li.way form[data-change] button")[n].click()`, n) })
			u.see("Done:")
			row := s.stored(id)
			if row.Pace == plan.Short || row.InHand != w.InHand {
				t.Errorf("%s by %s: %s %d, promised was %d in hand", title, w.Kind, row.Pace, row.InHand, w.InHand)
			}
			for _, x := range w.Result.Effects {
				if got := s.stored(x.Was.ID); got.InHand != x.After.InHand {
					t.Errorf("%s by %s: %s has %d in hand, promised was %d", title, w.Kind, got.Title, got.InHand, x.After.InHand)
				}
			}
			u.press("^Undo")
			u.see("Taken back:")
			if row = s.stored(id); row.Pace != plan.Short || row.InHand != before.InHand {
				t.Errorf("%s by %s is not taken back: %s %d", title, w.Kind, row.Pace, row.InHand)
			}
		}
	}
	for _, k := range []plan.Kind{plan.Squeeze, plan.HandOn, plan.Overlap, plan.Later, plan.Trade} {
		if !seen[k] {
			t.Errorf("no piece was made whole by %q", k)
		}
	}
}

// shortened makes a piece short so that giving a leg to somebody else and running
// legs side by side both help: the writer is away before a leg can end.
func (s *site) shortened() string {
	s.t.Helper()
	const title = "Millstone grit"
	id := s.titled(title)
	row := s.stored(id)
	b, err := s.Newsroom.Setup(ctx)
	s.must(err)
	zone := b.Zones[row.DeskID]
	for _, c := range [][]plan.Change{
		{{Do: plan.DoMove, Piece: id, At: day.Wall(day.NewDate(2026, 12, 8), 480, zone)}},
		{{Do: plan.DoAway, Person: yusuf, Date: day.NewDate(2026, 11, 25), To: day.NewDate(2026, 11, 25)}},
	} {
		_, err = s.Newsroom.Planning.ChangePlan(ctx, maren, planning.Change{Changes: c})
		s.must(err)
	}
	if got := s.stored(id); got.Pace != plan.Short {
		s.t.Fatalf("%s is %s %d, it was %s", title, got.Pace, got.InHand, row.Pace)
	}
	return title
}

// Days off are entered with what they do shown first, and a leg is given to whoever
// fits best.
func TestDaysOffAndTheBestPersonForALeg(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/people/3")
	u.choose("#off-from", "2026-11-25")
	u.choose("#off-to", "2026-12-04")
	u.unfold("See what it would do")
	u.seeIn("#what", "Takes Wed 25 Nov to Fri 4 Dec off for Yusuf")
	u.seeIn("#what", "would stand otherwise")
	u.press("^Do it$")
	u.see("Wed 25 Nov to Fri 4 Dec")
	id := s.titled("Flour dust and lungs: what the miller knew")
	u.open("/")
	u.act(func() {
		u.eval(`(h) => document.querySelector('a.btn[href="' + h + '"]').click()`, fmt.Sprintf("/pieces/%d/legs/pictures", id))
	})
	u.see("Fits best")
	u.press("Give it to Dao")
	u.see("Done: gives Pictures to Dao.")
	if got := s.leg(id, "pictures").Holder; got != dao {
		t.Errorf("it is with %d", got)
	}
	u.open("/propose")
	u.see("Given out like this")
	u.press("See what the ticked ones come to")
	u.press("^Do it$")
	var open int
	s.must(s.Newsroom.DB.Get(ctx, &open, "SELECT COUNT(*) FROM leg JOIN piece ON piece.id = piece_id WHERE stage = 'running' AND state IN ('running', 'waiting') AND holder = 0"))
	if open != 0 {
		t.Errorf("%d legs are still open", open)
	}
	if n, err := store.Verify(ctx, s.Newsroom.DB); err != nil {
		t.Error(n, err)
	}
}
