package browser

import (
	"fmt"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/store"
)

// Somebody takes a campaign by its end to another day, sees what that would mean, and does it.
func TestTheEndOfACampaignIsMovedByHand(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/campaigns")
	u.see("Winter on the water has used 49 % of its time")
	u.act(func() {
		u.drag(`[data-id="2"] [data-end="to"]`, 120, 0, func() { u.waits(`() => Boolean(document.querySelector(".tip").textContent)`, "the day is not said") })
	})
	u.see("If its days were others")
	u.see("instead of 47 days")
	if c := s.campaign(2); c.ToDay.String() != "2026-12-18" {
		t.Fatalf("it ends on %s before anything was done", c.ToDay)
	}
	u.press("Change its days")
	u.see("Its days are changed.")
	if c := s.campaign(2); c.ToDay <= 20805 || c.FromDay.String() != "2026-11-02" {
		t.Errorf("it runs from %s to %s", c.FromDay, c.ToDay)
	}
	staff := s.as(yusuf, 1280)
	staff.open("/campaigns/2")
	if n := staff.eval(`() => document.querySelectorAll("[data-end]").length`); n != "0" {
		t.Errorf("who does not lead the desk can take %s ends", n)
	}
}

func (s *site) campaign(id ref.Campaign) (c store.Campaign) {
	s.t.Helper()
	s.must(s.Newsroom.DB.Get(ctx, &c, "SELECT * FROM campaign WHERE id = ?", id))
	return c
}

// Somebody sets up a regular: the coming days appear with what they would do, one is left out, and
// its pieces are made at once.
func TestARegularIsSetUpAndMakesItsPieces(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	before := s.pieces()
	u := s.as(maren, 1280)
	u.open("/regulars")
	u.press("New regular")
	u.fill("#title", "Corn exchange {n}")
	u.choose("#format", "1")
	u.see("Tick at least one weekday.")
	u.eval(`() => document.querySelector('[name=weekday][value="6"]').click()`)
	u.see("Every Saturday")
	u.seeIn("[data-answer]", "made at once")
	u.see("Corn exchange 1")
	u.choose("#kind", "last day")
	u.see("The last working day of every month")
	u.waits(`() => document.querySelector('[data-for=weekly]').hidden`, "the weekdays are still asked for")
	u.choose("#kind", "weekly")
	u.see("Every Saturday")
	u.eval(`() => { const d = document.querySelector('[name=out]'); d.closest("details").open = true; d.click(); }`)
	u.see("left out")
	u.press("Begin it")
	u.see("It is kept.")
	u.see("Corn exchange")
	made := s.pieces() - before
	if made < 1 || made > 4 {
		t.Errorf("%d pieces were made", made)
	}
	var title string
	s.must(s.Newsroom.DB.Get(ctx, &title, "SELECT title FROM piece ORDER BY id DESC LIMIT 1"))
	if title == "" || title[:13] != "Corn exchange" {
		t.Errorf("the last is %q", title)
	}
}

// A step is written down at a piece, stands on the Today of who does it, and is ticked there.
func TestAStepBesideTheLegsIsDone(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	tide := s.titled("The last tide mill on the Severn")
	u := s.as(maren, 1280)
	u.open("/pieces/" + fmt.Sprint(tide))
	u.unfold("Add a step…")
	u.press("Add it")
	u.see("Say what is to be done")
	u.open("/pieces/" + fmt.Sprint(tide))
	u.unfold("Add a step…")
	u.fill("#step-text", "Buy a tide table")
	u.choose("#step-person", fmt.Sprint(yusuf))
	u.press("Add it")
	u.see("The step is written down.")
	other := s.as(yusuf, 390)
	other.open("/")
	other.see("Buy a tide table")
	other.click("Buy a tide table")
	other.waits(`() => !document.body.textContent.includes("Buy a tide table")`, "it is still to be done")
}

// Reports are looked at by month, sifted, and lead to their pieces; a goal is set, and how a piece
// did is said.
func TestReportsLeadToTheirPieces(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/reports")
	u.see("30 pieces went out")
	u.press("30 pieces went out, 28 on their day.")
	u.see("30 pieces")
	u.open("/reports?long=month&on=2026-10-15")
	u.see("How the desk ran, October 2026")
	u.press("Set goals")
	u.fill("#goal", "No zero")
	u.fill("#target", "0")
	u.press("Set the goal")
	u.see("A goal is above zero.")
	u.fill("#target", "25")
	u.press("Set the goal")
	u.see("The goal is set.")
	u.open("/")
	u.press("Say how it did")
	u.unfold("How did it do?")
	u.eval(`() => document.querySelector('[name=said][value=partly]').click()`)
	u.fill("#learnt", "Readers ask for the recipe.")
	u.press("Note it")
	u.see("It comes up again when somebody plans the like.")
	u.open("/reports/learnt?words=recipe")
	u.see("Readers ask for the recipe.")
}

// A month is printed on one page, of A4 and of Letter, and sent on the first working day.
func TestAMonthIsOnOnePage(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/reports/month?on=2026-10-01")
	u.see("Millrace, October 2026")
	if n := u.printed(); n != 1 {
		t.Errorf("it is printed on %d pages of A4", n)
	}
	if n := u.printedOn(8.5, 11); n != 1 {
		t.Errorf("it is printed on %d pages of Letter", n)
	}
	u.unfold("Send it…")
	u.eval(`() => document.querySelector('[name=to][value="1"]').click()`)
	u.press("That is whom")
	u.see("On the first working day of the next month it is sent.")
}
