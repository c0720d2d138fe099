package sift

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
)

// By is one key of an order.
type By struct {
	Column *Column
	Down   bool
}

// Order reads an order such as "due,-priority"; what names no column is left out.
func Order(columns []Column, text string) []By {
	var out []By
	for key := range strings.SplitSeq(text, ",") {
		key, down := strings.CutPrefix(strings.TrimSpace(key), "-")
		if c := Find(columns, key); c != nil && !slices.ContainsFunc(out, func(b By) bool { return b.Column == c }) {
			out = append(out, By{c, down})
		}
	}
	return out
}

// key is a value of a column by which pieces are ordered: by number first, then by
// text. What has no value comes last, whichever way round.
type key struct {
	none bool
	num  float64
	text string
}

func (c *Column) key(f *Facts) key {
	switch {
	case c.rank != nil:
		return key{num: float64(c.rank(f))}
	case c.Kind == Yes:
		if c.yes(f) {
			return key{num: -1}
		}
		return key{}
	case c.num != nil:
		n, ok := c.num(f)
		return key{none: !ok, num: n}
	}
	k := key{none: true}
	c.each(f, func(s string) {
		if s = strings.ToLower(s); k.none || s < k.text {
			k = key{text: s}
		}
	})
	return k
}

// each gives the values of a column as texts.
func (c *Column) each(f *Facts, put func(string)) {
	if c.Kind == Named {
		c.ids(f, func(id int64) { put(c.Names(id)) })
		return
	}
	c.texts(f, func(s string) {
		if s != "" {
			put(s)
		}
	})
}

func (k key) compare(x key, down bool) int {
	if k.none != x.none {
		if k.none {
			return 1
		}
		return -1
	}
	n := cmp.Or(cmp.Compare(k.num, x.num), strings.Compare(k.text, x.text))
	if down {
		return -n
	}
	return n
}

// Sort puts pieces into an order; equal ones keep theirs.
func Sort[T any](rows []T, facts func(T) Facts, order []By) {
	if len(order) == 0 || len(rows) < 2 {
		return
	}
	type keyed struct {
		row  T
		keys []key
	}
	all, keys := make([]keyed, len(rows)), make([]key, len(rows)*len(order))
	for i, r := range rows {
		f := facts(r)
		all[i] = keyed{r, keys[i*len(order) : (i+1)*len(order)]}
		for k, b := range order {
			all[i].keys[k] = b.Column.key(&f)
		}
	}
	slices.SortStableFunc(all, func(x, y keyed) int {
		for k := range order {
			if n := x.keys[k].compare(y.keys[k], order[k].Down); n != 0 {
				return n
			}
		}
		return 0
	})
	for i := range all {
		rows[i] = all[i].row
	}
}

// Group is the value by which a piece is grouped, as a text to show: "" where it has
// none. Of several values it is all of them.
func (c *Column) Group(f *Facts) string {
	switch {
	case c.Kind == Yes:
		if c.yes(f) {
			return "Yes"
		}
		return "No"
	case c.Key == "pace":
		return string(f.Pace)
	case c.Kind == Number || c.Kind == Date:
		n, ok := c.num(f)
		if !ok {
			return ""
		}
		return formatted(c.Kind, n)
	}
	var out []string
	c.each(f, func(s string) {
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	})
	return strings.Join(out, ", ")
}

// Sum adds up a column of numbers over a piece; ok is false for what is no number.
func (c *Column) Sum(f *Facts) (n float64, ok bool) {
	if c.Kind != Number || c.Key == "number" || c.Key == "hand" {
		return 0, false
	}
	n, ok = c.num(f)
	return n, ok && !math.IsInf(n, 0)
}

// Sums reports whether a column can be added up.
func (c *Column) Sums() bool { return c.Kind == Number && c.Key != "number" && c.Key != "hand" }

func formatted(k Kind, n float64) string {
	if k == Date {
		return day.Date(n).Format("Mon 2 Jan 2006")
	}
	return strconv.FormatFloat(n, 'f', -1, 64)
}
