package english

import (
	"fmt"
	"testing"

	"greenbaton/core/day"
)

func TestNumbersAreWrittenAsOneSaysThem(t *testing.T) {
	for _, x := range []struct{ got, want string }{
		{Number(0), "0"}, {Number(999), "999"}, {Number(2140), "2,140"}, {Number(-2140), "-2,140"}, {Number(1_234_567), "1,234,567"},
		{Plural(0, "day"), "0 days"}, {Plural(1, "day"), "1 day"}, {Plural(1200, "piece"), "1,200 pieces"},
		{Counted(1, "piece"), "one piece"}, {Counted(3, "piece"), "3 pieces"},
		{CountOf(0), "None"}, {CountOf(3), "Three"}, {CountOf(11), "11"}, {CountOf(-3), "-3"},
		{Count(0, "leg"), "No legs"}, {Count(1, "leg"), "One leg"}, {Count(10, "leg"), "Ten legs"}, {Count(11, "leg"), "11 legs"}, {Count(-2, "leg"), "-2 legs"},
		{Times(1), "once"}, {Times(2), "twice"}, {Times(12), "12 times"},
		{Verb(1, "is", "are"), "is"}, {Verb(0, "is", "are"), "are"},
		{Hours(0), "0 h"}, {Hours(20), "20 min"}, {Hours(450), "7½ h"}, {Hours(465), "8 h"}, {Hours(60), "1 h"}, {HoursTyped(90), "1.5"}, {HoursTyped(180), "3"},
		{Clock(582), "09:42"}, {Size(1), "1 byte"}, {Size(340_000), "340 kB"}, {Size(2_100_000), "2.1 MB"},
	} {
		if x.got != x.want {
			t.Errorf("%q, want %q", x.got, x.want)
		}
	}
}

func TestWordsAreJoinedAndCut(t *testing.T) {
	for _, x := range []struct{ got, want string }{
		{And(nil), ""}, {And([]string{"Ruth"}), "Ruth"}, {And([]string{"Ruth", "Dao", "Hollis"}), "Ruth, Dao and Hollis"}, {Or([]string{"Ruth", "Dao"}), "Ruth or Dao"},
		{A("idea"), "an idea"}, {A("piece"), "a piece"}, {A(""), "a "},
		{Quoted("a “b” c"), "“a ““b”” c”"},
		{UpperFirst("öl"), "Öl"}, {LowerFirst("The mill"), "the mill"}, {UpperFirst(""), ""},
		{Cut("four", 4), "four"}, {Cut("mills and grain", 7), "mills…"}, {Cut("ëëëë", 3), "ëë…"},
		{Date(0), "no day yet"}, {Date(day.NewDate(2026, 12, 3)), "Thu 3 Dec"},
	} {
		if x.got != x.want {
			t.Errorf("%q, want %q", x.got, x.want)
		}
	}
}

func TestHowLongAgoIsSaidInTheLargestUnitThatTells(t *testing.T) {
	now := day.Moment(1_795_000_000)
	for ago, want := range map[day.Moment]string{
		0: "just now", 59: "just now", 60: "1 minute ago", 3599: "59 minutes ago", 3600: "1 hour ago", 86_399: "23 hours ago", 86_400: "1 day ago",
		14 * 86_400: "2 weeks ago", 70 * 86_400: "2 months ago", 700 * 86_400: "1 year ago", 800 * 86_400: "2 years ago",
	} {
		if got := Ago(now-ago, now); got != want {
			t.Errorf("%d seconds: %q, want %q", ago, got, want)
		}
	}
}

func Example() {
	fmt.Println(Count(3, "leg")+" "+Verb(3, "waits", "wait")+" for "+And([]string{"Ruth", "Hollis"})+",", Plural(1, "day"), "each.")
	// Output: Three legs wait for Ruth and Hollis, 1 day each.
}
