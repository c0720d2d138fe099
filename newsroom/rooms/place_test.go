package rooms_test

import (
	"strings"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/newsroom/planning"
)

// Whichever way a piece gets a day, who is there already is said, and that a channel has no
// slot then: where it is made, or moved.
func TestATakenTimeAndADayWithoutASlotAreNoticed(t *testing.T) {
	h := newHouse(t)
	h.make("12-11") // a Friday with a slot
	id := h.make("12-18")
	for date, want := range map[string]string{
		"12-11": "“The tide mill” goes out on Web then as well. The next free slot is Mon 14 Dec, 08:00.",
		"12-12": "Web has no slot on Sat 12 Dec, 08:00. The next free slot is Mon 14 Dec, 08:00.",
		"12-14": "",
	} {
		at := day.Wall(on(date), 480, h.now.Location())
		p, err := h.Planning.Prospect(ctx, lead, planning.Draft{Title: "Another", Format: 1, Owner: lead, GoesOut: at})
		h.must(err)
		if p.Place != want {
			t.Errorf("made for %s: %q, want %q", date, p.Place, want)
		}
		c, err := h.Planning.Preview(ctx, lead, []plan.Change{{Do: plan.DoMove, Piece: id, At: at}})
		h.must(err)
		got := ""
		for _, x := range append(c.Clashes, c.Off...) {
			got = planning.SayPlace(h.books(), x)
		}
		if got != want {
			t.Errorf("moved to %s: %q, want %q", date, got, want)
		}
		if strings.HasPrefix(want, "Web") != (len(c.Off) == 1) {
			t.Errorf("moved to %s: %d clashes, %d without a slot", date, len(c.Clashes), len(c.Off))
		}
	}
}
