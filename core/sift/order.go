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
	case c.Key == "title":
		return key{text: f.Low}
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

func (k *key) compare(x *key, down bool) int {
	if k.none != x.none {
		if k.none {
			return 1
		}
		return -1
	}
	n := cmp.Compare(k.num, x.num)
	if n == 0 {
		n = strings.Compare(k.text, x.text)
	}
	if down {
		return -n
	}
	return n
}

// Sort gives the first of some pieces in an order, so many as are needed; equal ones
// keep theirs. The others are never put into order, which makes the first page of fifty
// thousand pieces cheap.
func Sort[T any](rows []T, need int, facts func(T) Facts, order []By) []T {
	need = min(need, len(rows))
	if need == 0 || len(order) == 0 {
		return rows[:need]
	}
	h := heap{n: len(order), order: order}
	keys := make([]key, h.n)
	var f Facts // one for all, since its address is given away
	for i, r := range rows {
		f = facts(r)
		keys[0] = order[0].Column.key(&f)
		if len(h.at) == need && keys[0].compare(&h.keys[int(h.at[0])*h.n], order[0].Down) > 0 {
			continue
		}
		for k := 1; k < len(order); k++ {
			keys[k] = order[k].Column.key(&f)
		}
		h.offer(keys, int32(i), need)
	}
	slices.SortFunc(h.at, h.compare)
	out := make([]T, need)
	for i, x := range h.at {
		out[i] = rows[h.rows[x]]
	}
	return out
}

// heap keeps the first so many of all that are offered, the last of them on top.
type heap struct {
	order []By
	n     int     // keys of each
	keys  []key   // of those that are kept, n each
	rows  []int32 // where they stood
	at    []int32 // the heap itself
}

// compare orders two of those that are kept, by their places in keys.
func (h *heap) compare(x, y int32) int {
	return h.against(h.keys[int(x)*h.n:], h.rows[x], y)
}

// against orders what is offered, that stood at a row, and one of those that are kept.
func (h *heap) against(keys []key, row int32, y int32) int {
	for k := range h.order {
		if c := keys[k].compare(&h.keys[int(y)*h.n+k], h.order[k].Down); c != 0 {
			return c
		}
	}
	return int(row - h.rows[y])
}

func (h *heap) offer(keys []key, row int32, most int) {
	if len(h.at) < most {
		h.keys, h.rows = append(h.keys, keys...), append(h.rows, row)
		h.at = append(h.at, int32(len(h.rows)-1))
		for i := len(h.at) - 1; i > 0; { // up
			up := (i - 1) / 2
			if h.compare(h.at[i], h.at[up]) <= 0 {
				return
			}
			h.at[i], h.at[up] = h.at[up], h.at[i]
			i = up
		}
		return
	}
	top := h.at[0]
	if h.against(keys, row, top) >= 0 {
		return
	}
	copy(h.keys[int(top)*h.n:], keys)
	h.rows[top] = row
	for i := 0; ; { // down
		least := 2*i + 1
		if least >= len(h.at) {
			return
		}
		if least+1 < len(h.at) && h.compare(h.at[least+1], h.at[least]) > 0 {
			least++
		}
		if h.compare(h.at[i], h.at[least]) >= 0 {
			return
		}
		h.at[i], h.at[least] = h.at[least], h.at[i]
		i = least
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
	first, more := "", []string(nil)
	c.each(f, func(s string) {
		switch {
		case first == "":
			first = s
		case s != first && !slices.Contains(more, s):
			more = append(more, s)
		}
	})
	if more == nil {
		return first
	}
	return first + ", " + strings.Join(more, ", ")
}

// Sum adds up a column of numbers over a piece; ok is false for what is no number.
func (c *Column) Sum(f *Facts) (n float64, ok bool) {
	if c.Kind != Number || c.Key == "number" || c.Key == "hand" {
		return 0, false
	}
	n, ok = c.num(f)
	return n, ok && !math.IsInf(n, 0)
}

// Figure gives what a column of numbers holds of a piece; ok is false where it holds none.
func (c *Column) Figure(f *Facts) (n float64, ok bool) {
	if c.Kind != Number {
		return 0, false
	}
	n, ok = c.num(f)
	return n, ok && !math.IsInf(n, 0) && !math.IsNaN(n)
}

// Day gives the day that a column of dates holds of a piece; ok is false where it holds none.
func (c *Column) Day(f *Facts) (d day.Date, ok bool) {
	if c.Kind != Date {
		return 0, false
	}
	n, ok := c.num(f)
	return day.Date(n), ok
}

// Sums reports whether a column can be added up.
func (c *Column) Sums() bool { return c.Kind == Number && c.Key != "number" && c.Key != "hand" }

func formatted(k Kind, n float64) string {
	if k == Date {
		return day.Date(n).Format("Mon 2 Jan 2006")
	}
	return strconv.FormatFloat(n, 'f', -1, 64)
}
