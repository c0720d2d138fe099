package measure

import (
	"strings"

	"greenbaton/core/day"
)

// What figures are from. Those of a list are "list 3", by its number; those of a log "log 14", by
// the hour, so that a log that is sent in parts adds up and one that is sent twice does not.
const (
	Hand    = "hand"
	Program = "program"
	Visits  = "visits" // counted on the shipped site
	Clicks  = "clicks" // on short links
)

// family gives what a source is one of: all hours of a log are one.
func family(source string) string {
	if strings.HasPrefix(source, "log ") {
		return "log"
	}
	return source
}

// counted reports whether a source is the program's own count, which gives way to all others.
func counted(source string) bool { return source == Visits || source == Clicks }

// Said is what one source says of a day.
type Said struct {
	Day    day.Date
	Source string
	Value  float64
	At     day.Moment
	Stands bool
}

// Stand says of each figure of a piece whether it stands: of several sources of one day the one
// that came last, but for the program's own count, which gives way to what somebody brought.
func Stand(all []Said) []bool {
	type best struct {
		family  string
		at      day.Moment
		counted bool
	}
	of := map[day.Date]best{}
	for _, s := range all {
		x := best{family(s.Source), s.At, counted(s.Source)}
		b, known := of[s.Day]
		later := x.at > b.at || x.at == b.at && (x.family == Hand || b.family != Hand && x.family > b.family)
		if !known || b.counted && !x.counted || b.counted == x.counted && later {
			of[s.Day] = x
		}
	}
	out := make([]bool, len(all))
	for i, s := range all {
		out[i] = of[s.Day].family == family(s.Source)
	}
	return out
}

// Days adds the figures that stand up by day, in the order of the days.
func Days(all []Said) []Point {
	var out []Point
	for _, s := range all {
		if !s.Stands {
			continue
		}
		if n := len(out); n > 0 && out[n-1].Day == s.Day {
			out[n-1].Value += s.Value
			continue
		}
		out = append(out, Point{Day: s.Day, Value: s.Value, Weight: 1})
	}
	return out
}
