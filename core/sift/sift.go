package sift

import (
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"greenbaton/core/day"
)

// Sieve lets some pieces through.
type Sieve struct {
	Terms []Term
}

// Term is what is asked of one column.
type Term struct {
	Column *Column
	Value  string // as it was written
	not    bool
	none   bool // no value fits
	any    bool // every value fits
	words  []string
	ids    []int64
	spans  []span
}

type span struct{ from, to float64 }

// Find gives a column by its key, or nil.
func Find(columns []Column, key string) *Column {
	for i := range columns {
		if columns[i].Key == key {
			return &columns[i]
		}
	}
	return nil
}

// Written gives how values of a column are asked for in an address: any of them, or none of
// them where it is turned round; empty where nothing is asked.
func Written(values []string, not bool) string {
	v := strings.Join(slices.DeleteFunc(slices.Clone(values), func(v string) bool { return strings.TrimSpace(v) == "" }), ",")
	if not && v != "" {
		return "!" + v
	}
	return v
}

// ValuesOf reads what Written wrote for a column of a kind. A text is one value, with its commas.
func ValuesOf(kind Kind, written string) (values []string, not bool) {
	rest, not := strings.CutPrefix(strings.TrimSpace(written), "!")
	if kind == Text {
		return []string{rest}, not
	}
	for v := range strings.SplitSeq(rest, ",") {
		if v = strings.TrimSpace(v); v != "" {
			values = append(values, v)
		}
	}
	return values, not
}

// Only reports whether a sieve asks of no other columns than these.
func (s *Sieve) Only(keys ...string) bool {
	return !slices.ContainsFunc(s.Terms, func(t Term) bool { return !slices.Contains(keys, t.Column.Key) })
}

// Lets reports whether something with an id goes through what is asked of a Named column.
func (s *Sieve) Lets(key string, id int64) bool {
	for i := range s.Terms {
		if t := &s.Terms[i]; t.Column.Key == key && t.Column.Kind == Named && (slices.Contains(t.ids, id) || t.any) == t.not {
			return false
		}
	}
	return true
}

// Parse reads the terms of an address, by the columns of a house. What names no column
// is left alone; a value that is not understood is an error that says what to write.
func Parse(columns []Column, q url.Values, today day.Date) (Sieve, error) {
	var s Sieve
	for i := range columns {
		c := &columns[i]
		for _, v := range q[c.Key] {
			if v = strings.TrimSpace(v); v == "" {
				continue
			}
			t, err := c.parse(v, today)
			if err != nil {
				return Sieve{}, err
			}
			s.Terms = append(s.Terms, t)
		}
	}
	return s, nil
}

func (c *Column) parse(value string, today day.Date) (Term, error) {
	t := Term{Column: c, Value: value}
	values, not := ValuesOf(c.Kind, value)
	t.not = not
	for _, v := range values {
		switch {
		case v == "none":
			t.none = true
		case v == "any":
			t.any = true
		case c.Kind == Choice || c.Kind == Text:
			t.words = append(t.words, strings.ToLower(v))
		case c.Kind == Yes:
			if v != "yes" && v != "no" {
				return t, fmt.Errorf("ask for %s with yes or no; “%s” is neither", c.Name, v)
			}
			t.not = t.not != (v == "no")
		case c.Kind == Named:
			id, err := strconv.ParseInt(v, 10, 64)
			if err != nil {
				return t, fmt.Errorf("choose what %s is from the list; “%s” is not on it", c.Name, v)
			}
			t.ids = append(t.ids, id)
		default:
			x, err := c.span(v, today)
			if err != nil {
				return t, err
			}
			t.spans = append(t.spans, x)
		}
	}
	return t, nil
}

// span reads a value or a span of a number or date.
func (c *Column) span(v string, today day.Date) (span, error) {
	if s, ok := within(v, today); ok && c.Kind == Date {
		return s, nil
	}
	from, to, two := strings.Cut(v, "..")
	out := span{math.Inf(-1), math.Inf(1)}
	var err error
	if from = strings.TrimSpace(from); from != "" {
		if out.from, err = c.number(from, today); err != nil {
			return out, err
		}
	}
	if to = strings.TrimSpace(to); to != "" {
		if out.to, err = c.number(to, today); err != nil {
			return out, err
		}
	}
	if !two {
		out.to = out.from
	}
	return out, nil
}

// within gives the days that words of the calendar stand for: weeks run from Monday to
// Sunday (ISO 8601).
func within(words string, today day.Date) (span, bool) {
	days := func(from, to day.Date) (span, bool) { return span{float64(from), float64(to - 1)}, true }
	monday := today.Monday()
	month := func(ahead time.Month) day.Date { return day.NewDate(today.Year(), today.Month()+ahead, 1) }
	switch words {
	case "yesterday":
		return days(today-1, today)
	case "today":
		return days(today, today+1)
	case "tomorrow":
		return days(today+1, today+2)
	case "last week":
		return days(monday-7, monday)
	case "this week":
		return days(monday, monday+7)
	case "next week":
		return days(monday+7, monday+14)
	case "last month":
		return days(month(-1), month(0))
	case "this month":
		return days(month(0), month(1))
	case "next month":
		return days(month(1), month(2))
	}
	return span{}, false
}

// mostDays is how many days from today a date may be written.
const mostDays = 20_000

func (c *Column) number(s string, today day.Date) (float64, error) {
	if c.Kind != Date {
		n, err := strconv.ParseFloat(s, 64)
		if err != nil || math.IsNaN(n) {
			return 0, fmt.Errorf("ask for %s with a number like 3, or a span like 1..5; “%s” is not one", c.Name, s)
		}
		return n, nil
	}
	if s == "today" {
		return float64(today), nil
	}
	if n, err := strconv.Atoi(s); err == nil && (s[0] == '+' || s[0] == '-' || s == "0") && n > -mostDays && n < mostDays {
		return float64(int(today) + n), nil
	}
	d, err := day.ParseDate(s)
	if err != nil {
		return 0, fmt.Errorf("ask for %s with a date like 2026-12-03, with days from today like +3, a span like 0..+7, or words like next week; “%s” is none of these", c.Name, s)
	}
	return float64(d), nil
}

// Fits reports whether a piece goes through the sieve: every term lets it.
func (s *Sieve) Fits(f *Facts) bool {
	for i := range s.Terms {
		if t := &s.Terms[i]; t.fits(f) == t.not {
			return false
		}
	}
	return true
}

func (t *Term) fits(f *Facts) bool {
	c := t.Column
	has, fits := false, false
	switch c.Kind {
	case Yes:
		return c.yes(f)
	case Text, Choice:
		c.texts(f, func(v string) {
			if v == "" {
				return
			}
			has = true
			v = strings.ToLower(v)
			for _, w := range t.words {
				fits = fits || w == v || c.Kind == Text && strings.Contains(v, w)
			}
		})
	case Named:
		c.ids(f, func(id int64) {
			has = true
			for _, x := range t.ids {
				fits = fits || x == id
			}
		})
	default:
		var n float64
		n, has = c.num(f)
		if c.Kind == Date {
			n = math.Floor(n)
		}
		for _, x := range t.spans {
			fits = fits || has && n >= x.from && n <= x.to
		}
	}
	return fits || t.any && has || t.none && !has
}
