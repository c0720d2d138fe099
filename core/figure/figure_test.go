package figure

import (
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"
)

func TestFiguresAreReadAsTheyAreMeant(t *testing.T) {
	for s, want := range map[string]string{
		"0": "0", "7": "7", "1200": "1200", "1,200": "1200", "1 200": "1200", "1'200": "1200", "1’200": "1200", "1\u00a0200": "1200", "1\u202f200": "1200",
		"1,234,567": "1234567", "1.234.567": "1234567", "12.5": "12.5", "12.50": "12.5", ".5": "0.5", "0.125": "0.125", "1234.567": "1234.567", "1,200.50": "1200.5", "1.200,50": "1200.5",
		"1 200.5": "1200.5", "1 234 567.25": "1234567.25", " 42 ": "42", "-3": "-3", "−3": "-3", "+2": "2", "-1,200": "-1200", "007": "7", "12.3456": "12.3456",
	} {
		n, err := Read(s)
		if err != nil || strings.TrimSuffix(strings.TrimRight(n.FloatString(6), "0"), ".") != want {
			t.Errorf("%q: %v, %v, want %s", s, n, err, want)
		}
	}
	for s, want := range map[string][2]string{"12,50": {"12.50", "1250"}, "1,5": {"1.5", "15"}, "1.200": {"1200", "1.2"}, "-12,5": {"-12.5", "-125"}, "1,2345": {"1.2345", "12345"}, "0,125": {"0.125", "125"}, "999.125": {"999125", "999.1250"}} {
		_, err := Read(s)
		var u *Unclear
		if !errors.As(err, &u) || u.Typed != s || u.One != want[0] || u.Or != want[1] {
			t.Errorf("%q: %v", s, err)
		}
	}
	for _, s := range []string{"", " ", "many", "1e5", "0x10", "1/2", "NaN", "Inf", "1,2,3", "1,23,456", "1,200.5.0", "1.2.3", ",", ".", "-", "--1", "1-", "12 50", "1 2", "1,2 345", "1.200.5", "1,200,50", "1 200,300.5", strings.Repeat("9", 40), "1_000", "٣", "$5", "5 %"} {
		if n, err := Read(s); !errors.Is(err, ErrNone) {
			t.Errorf("%q is %v, %v", s, n, err)
		}
	}
}

func TestWholeNumbersAndParts(t *testing.T) {
	for s, want := range map[string]int{"1,200": 1200, "-5": -5, "12.0": 12, "1,000,000,000": 1_000_000_000} {
		if n, err := Whole(s); err != nil || n != want {
			t.Errorf("%q: %d, %v", s, n, err)
		}
	}
	for _, s := range []string{"1.5", "1,000,000,001", "9999999999999999999999"} {
		if n, err := Whole(s); !errors.Is(err, ErrNone) {
			t.Errorf("%q is %d, %v", s, n, err)
		}
	}
	for _, x := range []struct {
		s     string
		by    int64
		want  int
		exact bool
	}{{"12.50", 100, 1250, true}, {"0.005", 100, 1, false}, {"1.5", 60, 90, true}, {"-0.5", 1, -1, false}, {"0.29", 100, 29, true}, {"1,200", 100, 120_000, true}} {
		if n, exact, err := Times(x.s, x.by); err != nil || n != x.want || exact != x.exact {
			t.Errorf("%q times %d: %d, %v, %v", x.s, x.by, n, exact, err)
		}
	}
}

// Whatever way a figure is written with thousands, it is the figure or is asked about.
func TestNoFigureIsChangedSilently(t *testing.T) {
	d := rand.New(rand.NewPCG(1, 1))
	for range 20_000 {
		whole, part := strconv.Itoa(d.IntN(5_000_000)), ""
		if n := d.IntN(5); n > 0 {
			part = fmt.Sprintf("%0*d", n, d.IntN(10))
		}
		group, before := []string{"", ",", ".", " ", "'"}[d.IntN(5)], []string{".", ","}[d.IntN(2)]
		if group == before {
			continue // nobody writes both alike
		}
		s := ""
		for i, c := range whole {
			if i > 0 && (len(whole)-i)%3 == 0 {
				s += group
			}
			s += string(c)
		}
		want := whole
		if part != "" {
			s += before + part
			want += "." + part
		}
		n, err := Read(s)
		if err != nil {
			continue
		}
		if got := n.FloatString(6); strings.TrimRight(strings.TrimRight(got, "0"), ".") != strings.TrimRight(strings.TrimRight(want+map[bool]string{true: "", false: "."}[part != ""], "0"), ".") && !thousandsToo(s, n.FloatString(0)) {
			t.Fatalf("%q is read as %s, and means %s", s, got, want)
		}
	}
}

// thousandsToo reports whether a figure reads as well as one of thousands: 1,200 does, in
// whatever country it was written.
func thousandsToo(s, is string) bool {
	return strings.Count(s, ",") > 0 && !strings.Contains(s, ".") && strings.ReplaceAll(s, ",", "") == is
}

// Where it is said what stands before a fraction, a figure written that way is read as it was, whatever
// stands between its thousands; one that cannot be of that way is left.
func TestFiguresAreReadByTheirMark(t *testing.T) {
	for _, x := range []struct {
		typed string
		by    Mark
		want  string
	}{
		{"1.900", Comma, "1900"}, {"1.900", Point, "1.9"}, {"1,900", Comma, "1.9"}, {"1,900", Point, "1900"}, {"12,50", Comma, "12.5"}, {"12,50", Point, "12,50"}, {"1.234.567,5", Comma, "1234567.5"},
		{"1.234.567,5", Point, "1.234.567,5"}, {"-1.234", Point, "-1.2340"}, {"−1.234", Comma, "−1234"}, {"0.125", Comma, "0.125"}, {"0,125", Comma, "0.1250"}, {"1.2345,6", Comma, "1.2345,6"}, {"1900", Comma, "1900"},
		{"none", Comma, "none"}, {"", Point, ""}, {"1,2,3", Comma, "1,2,3"}, {"1.9.0", Point, "1.9.0"},
	} {
		if got := Meant(x.typed, x.by); got != x.want {
			t.Errorf("%q by %q is %q, want %q", x.typed, x.by, got, x.want)
		}
	}
	d := rand.New(rand.NewPCG(2, 7))
	for range 20_000 {
		whole, fraction := d.IntN(3_000_000), d.IntN(10_000)
		want := big.NewRat(int64(whole)*10_000+int64(fraction), 10_000)
		for mark, group := range map[Mark]string{Comma: ".", Point: ","} {
			digits := strconv.Itoa(whole)
			if d.IntN(2) == 0 {
				for i := len(digits) - 3; i > 0; i -= 3 {
					digits = digits[:i] + group + digits[i:]
				}
			}
			typed := digits
			if fraction != 0 {
				typed += string(mark) + strings.TrimRight(fmt.Sprintf("%04d", fraction), "0")
			}
			got, err := Read(Meant(typed, mark))
			if err != nil || got.Cmp(want) != 0 {
				t.Fatalf("%q by %q is %v, %v; want %v", typed, mark, got, err, want)
			}
		}
	}
}
