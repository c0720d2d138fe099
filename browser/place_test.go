package browser

import (
	"fmt"
	"testing"

	"github.com/go-rod/rod/lib/proto"
)

// Whichever way a piece gets a day, it is said who is there already, or that the channel has no
// slot then; the next free slot, a swap and going on all the same are offered.
func TestATakenTimeAndADayOffAreSaidWhereverADayIsGiven(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/pieces/new?format=1&date=2026-12-25&time=08:00")
	u.seeIn("[data-place]", "Web has no slot on Fri 25 Dec, 08:00. The next free slot is Mon 4 Jan")
	u.open("/pieces/new?format=1&date=2026-12-09&time=08:00")
	u.seeIn("[data-place]", "“Millstone grit” goes out on Web then as well.")
	id := s.titled("Soda bread four ways")
	u.open(fmt.Sprintf("/pieces/%d/do", id))
	u.eval(`() => document.querySelector("#do-date").value = "2026-12-09"`)
	u.must(u.find("form:has(#do-date) button").Click(proto.InputMouseButtonLeft, 1))
	u.seeIn("#what", "“Millstone grit” goes out on Web then as well. The next free slot is")
	u.must(u.named("Swap days with “Millstone grit” instead").Click(proto.InputMouseButtonLeft, 1))
	u.seeIn("#what [data-sum]", "Two pieces change")
	u.must(u.named("^Do it, and let the dates follow$").Click(proto.InputMouseButtonLeft, 1))
	u.see("Done:")
	if got := s.outOn(id); got != "2026-12-09" {
		t.Errorf("it goes out %s", got)
	}
	if got := s.outOn(s.titled("Millstone grit")); got != "2026-12-11" {
		t.Errorf("the other goes out %s", got)
	}
}

// On a channel that says so the slot of a day off goes out before it, and is a hole there; where
// the desk is closed nothing is open.
func TestSlotsOfDaysOffAreWhereTheChannelPutsThem(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/lineup?from=2026-12-21")
	u.waits(`() => !document.querySelector("[data-date='2026-12-25'] .hole")`, "there is an open slot on Christmas Day")
	u.open("/channels/1")
	u.choose("#rests", "anyway")
	u.press("Save")
	u.see("Saved.")
	u.open("/lineup?from=2026-12-21")
	u.waits(`() => !!document.querySelector("[data-date='2026-12-25'] .hole")`, "no open slot on Christmas Day, though it goes out all the same")
	u.open("/desk")
	u.eval(`() => { document.querySelector("#h-date").value = "2027-02-08"; document.querySelector("#h-to").value = "2027-02-12"; document.querySelector("#h-name").value = "Mill closed" }`)
	u.act(func() { u.must(u.find("form:has(#h-date) .btn").Click(proto.InputMouseButtonLeft, 1)) })
	u.see("The desk is closed from Mon 8 Feb to Fri 12 Feb")
}
