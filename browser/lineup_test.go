package browser

import (
	"fmt"
	"os"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
)

// take presses the mouse on something, moves it in steps to another thing, tells held
// what can be seen then, and lets go.
func (u *user) take(from, to string, held func()) {
	u.t.Helper()
	u.eval(`(a, b) => { const [x, y] = [a, b].map((s) => document.querySelector(s)); (x.getBoundingClientRect().top < y.getBoundingClientRect().top ? x : y).scrollIntoView({ block: "start" }); scrollBy(0, -60) }`, from, to)
	a, b := u.middle(from), u.middle(to)
	m := u.page.Mouse
	u.must(m.MoveTo(a))
	u.must(m.Down(proto.InputMouseButtonLeft, 1))
	for k := 1.0; k <= 10; k++ {
		u.must(m.MoveTo(proto.Point{X: a.X + (b.X-a.X)*k/10, Y: a.Y + (b.Y-a.Y)*k/10}))
	}
	held()
	u.must(m.Up(proto.InputMouseButtonLeft, 1))
}

// tall makes the window as high as a whole view.
func (u *user) tall(height int) {
	u.t.Helper()
	u.must(u.page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: 1280, Height: height, DeviceScaleFactor: 1}))
}

func (u *user) middle(selector string) proto.Point {
	u.t.Helper()
	u.find(selector)
	var p proto.Point
	_, err := fmt.Sscan(u.eval(`(s) => { const r = document.querySelector(s).getBoundingClientRect(); return (r.left + r.width / 2) + " " + (r.top + Math.min(r.height / 2, 30)) }`, selector), &p.X, &p.Y)
	u.must(err)
	return p
}

// card is where a piece is on a view, and cell where a day is.
func card(id ref.Piece) string { return fmt.Sprintf(`[data-view] [data-piece="%d"]`, id) }

func cell(date string) string { return fmt.Sprintf(`td[data-date="%s"]`, date) }

// shownOn waits until a piece is shown on a day.
func (u *user) shownOn(id ref.Piece, date string) {
	u.t.Helper()
	u.waits(fmt.Sprintf(`() => Boolean(document.querySelector('%s [data-piece="%d"]'))`, cell(date), id), fmt.Sprintf("piece %d is not on %s", id, date))
}

func (u *user) waits(js, otherwise string) {
	u.t.Helper()
	if !u.until(rod.Eval(js)) {
		u.t.Fatalf("%s: %s", otherwise, u.eval(`() => [...document.querySelectorAll("#what[open], #foot, .tip, [data-view]")].map((e) => e.innerText).join("\n--\n")`))
	}
}

// outOn gives the date on which a stored piece goes out.
func (s *site) outOn(id ref.Piece) string {
	b, err := s.Newsroom.Setup(ctx)
	s.must(err)
	row := s.stored(id)
	return row.GoesOut.Date(b.Zones[row.DeskID]).String()
}

// Two people look at the lineup, and what one does the other sees: a piece without a
// day is taken to a slot, to another day with its dates chosen, onto another piece, a
// gap is closed, and all is taken back; both screens end as the data is.
func TestTheLineupIsMovedByHandOnTwoScreens(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(adaeze, 1280)
	u.tall(1500)
	other.tall(1500)
	u.open("/lineup")
	other.open("/lineup")
	tithe := s.titled("The miller’s tithe")
	u.take(card(tithe), cell("2026-12-21"), func() {
		u.waits(`() => document.querySelector('td[data-date="2026-11-27"]').dataset.stands?.includes("short")`, "the days do not say how it would stand")
		u.seeIn(".tip", "Goes out Mon 21 Dec, 08:00")
		other.waits(fmt.Sprintf(`() => document.querySelector('%s')?.dataset.held === "Maren is moving it"`, card(tithe)), "it is not marked that somebody moves it")
	})
	both := func(id ref.Piece, date string) {
		t.Helper()
		u.shownOn(id, date)
		other.shownOn(id, date)
		if got := s.outOn(id); got != date {
			t.Errorf("piece %d goes out %s, shown is %s", id, got, date)
		}
	}
	both(tithe, "2026-12-21")
	u.seeIn("#foot", "goes out Mon 21 Dec")
	other.waits(fmt.Sprintf(`() => !document.querySelector('%s').dataset.held`, card(tithe)), "it stays marked")

	// A piece with legs behind it asks whether the dates follow; the other keeps them.
	tide := s.titled("The last tide mill on the Severn")
	before := s.stored(tide)
	u.take(card(tide), cell("2026-12-14"), func() { u.seeIn(".tip", "Goes out Mon 14 Dec") })
	u.seeIn("#what", "Do it, and keep the dates")
	u.must(u.named("Do it, and keep the dates").Click(proto.InputMouseButtonLeft, 1))
	both(tide, "2026-12-14")
	if after := s.stored(tide); after.Leg("release").Due != before.Leg("release").Due {
		t.Error("the dates were to be kept")
	}
	u.keys('u')
	both(tide, "2026-12-03")
	u.seeIn("#foot", "Taken back")

	// One put on another of its channel: they swap.
	grit := s.titled("Millstone grit")
	u.take(card(grit), card(tithe), func() { u.seeIn(".tip", "goes out Mon 21 Dec") })
	u.seeIn("#what", "Do it")
	u.must(u.named("^Do it, and let the dates follow$").Click(proto.InputMouseButtonLeft, 1))
	both(grit, "2026-12-21")
	both(tithe, "2026-12-09")

	// Back to the tray, and taken back from there.
	u.take(card(tithe), `[data-drop=tray]`, func() { u.seeIn(".tip", "Takes its day away") })
	other.waits(fmt.Sprintf(`() => Boolean(document.querySelector('[data-part=tray] [data-piece="%d"]'))`, tithe), "it is not in the tray")
	if row := s.stored(tithe); row.GoesOut != 0 {
		t.Error("it still has a day")
	}
	u.waits(fmt.Sprintf(`() => Boolean(document.querySelector('[data-part=tray] [data-piece="%d"]'))`, tithe), "it is not in the tray")
	u.keys('u')
	both(tithe, "2026-12-09")
}

// A gap is closed: the pieces behind it each go a slot earlier.
func TestAGapIsClosedFromTheLineup(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(adaeze, 1280)
	u.open("/lineup")
	other.open("/lineup")
	ovens, flour := s.titled("Six ovens, one village"), s.titled("Flour dust and lungs: what the miller knew")
	u.must(u.find(cell("2026-11-26")+" .hole-do").Click(proto.InputMouseButtonLeft, 1))
	u.must(u.named("Close the gap").Click(proto.InputMouseButtonLeft, 1))
	u.seeIn("#what", "Flour dust")
	u.must(u.named("^Do it, and let the dates follow$").Click(proto.InputMouseButtonLeft, 1))
	u.shownOn(flour, "2026-11-26")
	other.shownOn(flour, "2026-11-26")
	for date, id := range map[string]ref.Piece{"2026-11-25": ovens, "2026-11-26": flour, "2026-11-27": s.titled("How a stone is dressed")} {
		if got := s.outOn(id); got != date {
			t.Errorf("piece %d goes out %s, not %s", id, got, date)
		}
	}
	u.keys('u')
	other.shownOn(flour, "2026-11-27")
	u.shownOn(flour, "2026-11-27")
}

// The same by keyboard: taken up with m, the arrow keys choose, Enter lets go; a
// screen reader is told.
func TestTheLineupIsMovedByKeyboard(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(adaeze, 1280)
	u.open("/lineup")
	other.open("/lineup")
	id := s.titled("Spelt, a second look")
	u.eval(`(s) => document.querySelector(s + " a.title").focus()`, card(id))
	u.keys('m')
	u.told("Spelt, a second look is taken up")
	u.keys(input.ArrowDown)
	u.told("Friday 11 December. Goes out Fri 11 Dec, 08:00")
	u.keys(input.Escape)
	u.told("Put back")
	if s.outOn(id) != "2026-12-04" {
		t.Error("it moved without being let go")
	}
	u.keys('m', input.ArrowDown, input.ArrowDown, input.ArrowLeft, input.ArrowLeft, input.ArrowLeft, input.ArrowLeft)
	u.told("Monday 14 December. Goes out Mon 14 Dec")
	u.keys(input.Enter)
	u.shownOn(id, "2026-12-14")
	other.shownOn(id, "2026-12-14")
	if got := s.outOn(id); got != "2026-12-14" {
		t.Errorf("it goes out %s", got)
	}
	// x chooses what lies on the day: they swap.
	u.eval(`(s) => document.querySelector(s + " a.title").focus()`, card(id))
	u.keys('m', input.ArrowRight, input.ArrowRight)
	u.told("Wednesday 16 December. Goes out")
	u.keys('x')
	u.told("A bakery opens at Nether Olding. “Spelt, a second look” goes out Wed 16 Dec")
	u.keys(input.Enter)
	u.seeIn("#what", "Do it")
	u.keys(input.Enter)
	u.shownOn(id, "2026-12-16")
	for _, x := range []*user{u, other} {
		x.shownOn(id, "2026-12-16")
		x.shownOn(s.titled("A bakery opens at Nether Olding"), "2026-12-14")
	}
	// A gap is closed, and taken back.
	flour := s.titled("Flour dust and lungs: what the miller knew")
	u.eval(`(s) => document.querySelector(s).focus()`, cell("2026-11-26")+" .hole-fill")
	u.keys('.')
	u.seeIn("#what", "Close the gap")
	u.tabTo("Close the gap")
	u.keys(input.Enter)
	u.seeIn("#what", "Do it, and let the dates follow")
	u.keys(input.Enter)
	for _, x := range []*user{u, other} {
		x.shownOn(flour, "2026-11-26")
	}
	if got := s.outOn(flour); got != "2026-11-26" {
		t.Errorf("it goes out %s", got)
	}
	u.keys('u')
	for _, x := range []*user{u, other} {
		x.shownOn(flour, "2026-11-27")
	}
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	u.isFit("the lineup after a move", string(axe))
}

// told waits until a screen reader is told something.
func (u *user) told(text string) {
	u.t.Helper()
	if !u.until(rod.Eval(`(t) => [...document.querySelectorAll("[aria-live], [role=status]")].some((e) => e.textContent.includes(t))`, text)) {
		u.t.Fatalf("a screen reader is not told %q: %s", text, u.eval(`() => [...document.querySelectorAll("[aria-live]")].map((e) => e.textContent).join(" | ")`))
	}
}

// What changed meanwhile is not overwritten: the move is refused with what it would
// come to now, and the screen shows the truth.
func TestAStaleMoveIsRefusedAndExplained(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.tall(1500)
	u.open("/lineup")
	id := s.titled("The miller’s tithe")
	u.take(card(id), cell("2026-12-21"), func() {
		u.seeIn(".tip", "Goes out Mon 21 Dec")
		s.must(s.Newsroom.Planning.GiveLeg(ctx, maren, id, "draft", yusuf, 0)) // on another screen; this one holds still meanwhile
	})
	u.seeIn("#what", "Something changed since this was worked out, so nothing was done")
	if row := s.stored(id); row.GoesOut != 0 {
		t.Error("it was moved all the same")
	}
	u.must(u.named("^Do it$").Click(proto.InputMouseButtonLeft, 1))
	u.shownOn(id, "2026-12-21")
}

// A page whose connection breaks shows what it missed once it is back, and what it hears
// then comes as before.
func TestAPageCatchesUpAfterABreak(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/lineup")
	id := s.titled("Spelt, a second look")
	b, err := s.Newsroom.Setup(ctx)
	s.must(err)
	to := func(d int) { s.must(s.moved(id, day.Wall(day.NewDate(2026, 12, d), 480, b.Zones[1]))) }
	to(14)
	u.shownOn(id, "2026-12-14") // it listens
	offline := func(on bool) {
		s.must(proto.NetworkEmulateNetworkConditions{Offline: on, DownloadThroughput: -1, UploadThroughput: -1}.Call(u.page))
	}
	s.must(proto.NetworkEnable{}.Call(u.page))
	offline(true)
	u.eval(`() => { window.dispatchEvent(new Event("pagehide")); }`) // the stream is let go
	to(21)
	if on := u.eval(`(s) => String(Boolean(document.querySelector(s)))`, cell("2026-12-21")+fmt.Sprintf(` [data-piece="%d"]`, id)); on != "false" {
		t.Error("it is shown without a connection")
	}
	offline(false)
	u.eval(`() => { window.dispatchEvent(new Event("pageshow")); }`)
	u.shownOn(id, "2026-12-21")
	to(16)
	u.shownOn(id, "2026-12-16")
	u.mu.Lock()
	u.problems = nil // the browser complains of the break itself
	u.mu.Unlock()
}

// moved gives a piece another day on another screen.
func (s *site) moved(piece ref.Piece, at day.Moment) error {
	_, err := s.Newsroom.Planning.ChangePlan(ctx, maren, planning.Change{Changes: []plan.Change{{Do: plan.DoMove, Piece: piece, At: at}}})
	return err
}

// What may not be moved is put back as soon as it is taken up, with why; by key a week's end is
// no wall.
func TestARefusalIsSaidWhenItIsTakenUp(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(yusuf, 1280)
	u.open("/lineup")
	const card = `[data-take]:has(a[href="/pieces/391"]) a.title`
	u.find(card)
	u.eval(`(s) => document.querySelector(s).focus()`, card)
	u.keys('m')
	u.seeIn("[x-ref=told]", "Only the owner of the piece and leads may do this")
	u.waits(`() => !document.querySelector(".holding") && document.querySelector(".tip").textContent.includes("Only the owner")`, "it is held still, or nothing is said")
	u.waits(`(s) => document.activeElement === document.querySelector("[data-take] a.title[href='/pieces/391']")`, "the focus is gone")

	v := s.as(maren, 1280)
	v.open("/lineup")
	v.find(card)
	v.eval(`(s) => document.querySelector(s).focus()`, card)
	v.keys('m')
	v.waits(`() => !!document.querySelector(".holding")`, "it is not taken up")
	seen := map[string]bool{}
	for range 7 { // its week has seven days
		v.keys(input.ArrowRight)
		v.waits(`() => !!document.querySelector(".under")`, "it is nowhere")
		seen[v.eval(`() => document.querySelector(".under").closest("tr").rowIndex`)] = true
	}
	if len(seen) != 2 {
		t.Errorf("seven days on it was in the rows %v", seen)
	}
	v.keys(input.Escape)
}
