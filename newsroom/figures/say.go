package figures

import (
	"math"
	"strconv"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/measure"
	"greenbaton/store"
)

// Number writes a figure as people read it: whole ones with thousands apart, others with one
// place, small ones with two.
func Number(v float64) string {
	switch {
	case math.Abs(v) >= 1e9:
		return strconv.FormatFloat(v/1e9, 'f', 1, 64) + " thousand million"
	case v == math.Trunc(v) || math.Abs(v) >= 100:
		n := int(math.Round(v))
		if n < 0 {
			return "−" + english.Number(-n)
		}
		return english.Number(n)
	case math.Abs(v) >= 10:
		return strings.TrimSuffix(strconv.FormatFloat(v, 'f', 1, 64), ".0")
	}
	return strings.TrimRight(strings.TrimRight(strconv.FormatFloat(v, 'f', 2, 64), "0"), ".")
}

// Say writes a figure with its unit, or with what it counts: “3.4 min”, “1,240 reads”.
func Say(m store.Measure, v float64) string {
	if m.Unit != "" {
		return Number(v) + " " + m.Unit
	}
	return Number(v) + " " + strings.ToLower(m.Name)
}

// SayHow says how figures of several days become one.
func SayHow(how measure.How) string {
	switch how {
	case measure.Averaged:
		return "averaged"
	case measure.Last:
		return "the last one counts"
	}
	return "added up"
}
