package rooms_test

import (
	"strings"
	"testing"
	"time"

	"greenbaton/core/rule"
)

// nextDay goes on to the next weekday, and lets the house do what is due then.
func (x *testHouse) nextDay() {
	x.t.Helper()
	for {
		x.now = x.now.AddDate(0, 0, 1)
		if d := x.now.Weekday(); d != time.Saturday && d != time.Sunday {
			break
		}
	}
	x.must(x.Tick(ctx))
}

// A leg that begins when its date is past has its days from then on: it is late before it
// begins, which is said once, and nobody is reminded in the same second.
func TestWhatIsLateBeforeItBeginsIsSaidOnceAsThat(t *testing.T) {
	h := newHouse(t)
	h.rules(
		rule.Rule{When: rule.Overdue, N: 1, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellHolder}, Words: "It was due. {leg}"}}},
		rule.Rule{When: rule.Overdue, N: 3, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellLeads}, Words: "Three days over. {leg}"}}},
	)
	id := h.make("11-27") // there is not nearly enough time for it
	row := h.piece(id)
	first := row.Running()[0]
	if first.Due >= h.today() {
		t.Fatalf("the first leg is due %s", first.Due)
	}
	if h.tells(first.Holder, "It was due.") || h.tells(lead, "Three days over.") {
		t.Error("who has just been given it is reminded")
	}
	if !h.tells(first.Holder, "By the plan it was due") {
		t.Error("it is not said that it is late")
	}
	if says := h.books().SayCause(row); !strings.Contains(says, "after it was due") || strings.Contains(says, "longer than planned") {
		t.Errorf("the cause is %q", says)
	}
	for range first.Allowance - 1 {
		h.nextDay()
		if h.tells(first.Holder, "It was due.") {
			t.Fatal("who has its days is reminded")
		}
	}
	h.nextDay()
	if !h.tells(first.Holder, "It was due.") || h.tells(lead, "Three days over.") {
		t.Error("a day past its days, nobody is reminded, or too many")
	}
	if says := h.books().SayCause(h.piece(id)); !strings.Contains(says, "longer than planned") {
		t.Errorf("the cause is %q", says)
	}
}
