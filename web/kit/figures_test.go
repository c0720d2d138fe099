package kit

import (
	"testing"

	"greenbaton/core/fee"
	"greenbaton/core/relay"
)

var pounds = fee.Currency{Code: "GBP", Digits: 2, Sign: "£"}

// A fee is never changed silently: what can be read in two ways is asked about.
func TestFeesAndHoursAreReadAsTheyAreMeant(t *testing.T) {
	for s, want := range map[string]int{"": 0, "180": 18000, "£1,200": 120000, "12.50": 1250, " $ 7.5 ": 750, "1,200.50": 120050} {
		if got, err := ReadFee(pounds, s); err != nil || got != want {
			t.Errorf("%q: %d, %v", s, got, err)
		}
		if s != "" && got(t, want) != want {
			t.Errorf("%q is written %q", s, FeeText(pounds, want))
		}
	}
	for s, want := range map[string]string{
		"12,50": "“12,50” can be read in two ways: write 12.50, or 1250.", "1.200": "“1.200” can be read in two ways: write 1200, or 1.2.",
		"12.505": "“12.505” can be read in two ways: write 12505, or 12.5050.", "much": "Write the fee like 180 or 12.50; “much” is no amount.", "-5": "Write the fee without a minus: money here is not below 0.", "0.125": "Write the fee with at most 2 decimals behind the point; “0.125” has more.", "99000000": "99000000 is too much to be the fee.",
	} {
		if _, err := ReadFee(pounds, s); err == nil || RefusalIn(err).Reason != relay.ErrInput || err.Error() != want {
			t.Errorf("%q: %v", s, err)
		}
	}
	for s, want := range map[string]int{"": 0, "3": 180, "1.5": 90, "1½": 90, "½": 30, "0.25": 15} {
		if got, err := HoursTyped(s); err != nil || got != want {
			t.Errorf("%q: %d, %v", s, got, err)
		}
	}
	for _, s := range []string{"1,5", "1.250", "lots", "1e3", "9999999999"} {
		if got, err := HoursTyped(s); err == nil {
			t.Errorf("%q is %d", s, got)
		}
	}
}

// got reads a fee again as it is written.
func got(t *testing.T, n int) int {
	t.Helper()
	out, err := ReadFee(pounds, FeeText(pounds, n))
	if err != nil {
		t.Errorf("%q: %v", FeeText(pounds, n), err)
	}
	return out
}
