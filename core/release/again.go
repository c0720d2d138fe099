package release

import (
	"cmp"
	"fmt"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Past is a piece as it counts for what is worth taking up again.
type Past struct {
	ID    ref.Piece
	First ref.Piece // the piece of which it is an edition; itself for none
	Topic ref.Topic
	Out   day.Date // since when it is out; 0 for one on its way
}

// Worth is a piece that is worth taking up again.
type Worth struct {
	ID    ref.Piece
	Score int
	Why   []string
}

// UsualAge is after how many days pieces are looked at again where the desk says nothing else.
const UsualAge = 365

// For how many days nothing of a topic is a gap, and how many before the day of the year on which
// a piece went out its season begins.
const gap, ahead = 90, 60

// Again gives the pieces that are worth taking up again, the most so first: out for so many days
// at least, not followed by an edition that is out later or on its way, and speaking for
// themselves by a gap in their topic, by the time of the year, or by their age in whole years.
func Again(all []Past, today day.Date, age int) []Worth {
	last, newest := map[ref.Topic]day.Date{}, map[ref.Piece]Past{} // by topic and by first edition
	begun := map[ref.Topic]bool{}
	for _, p := range all {
		if last[p.Topic] = max(last[p.Topic], p.Out); p.Out == 0 {
			begun[p.Topic] = true
		}
		if n, ok := newest[p.First]; !ok || p.Out == 0 || n.Out != 0 && p.Out > n.Out {
			newest[p.First] = p
		}
	}
	var out []Worth
	for _, p := range all {
		old := int(today - p.Out)
		if p.Out == 0 || newest[p.First].ID != p.ID || old < age {
			continue
		}
		w := Worth{ID: p.ID}
		say := func(n int, text string) { w.Score, w.Why = w.Score+n, append(w.Why, text) }
		if years := old / 365; years > 0 {
			long := "out for a year"
			if years > 1 {
				long = fmt.Sprintf("out for %d years", years)
			}
			say(min(years, 3), long)
		} else {
			w.Why = append(w.Why, fmt.Sprintf("out for %d days", old))
		}
		if quiet := int(today - last[p.Topic]); p.Topic != 0 && quiet >= gap && !begun[p.Topic] {
			say(2, fmt.Sprintf("nothing on its topic for %d days", quiet))
		}
		if n := untilDay(today, p.Out); n <= ahead {
			say(2, "it went out at this time of the year")
		}
		if w.Score > 0 {
			out = append(out, w)
		}
	}
	outAt := map[ref.Piece]day.Date{}
	for _, p := range all {
		outAt[p.ID] = p.Out
	}
	slices.SortStableFunc(out, func(x, y Worth) int {
		return cmp.Or(y.Score-x.Score, cmp.Compare(untilDay(today, outAt[x.ID]), untilDay(today, outAt[y.ID])), cmp.Compare(x.ID, y.ID))
	})
	return out
}

// untilDay gives how many days it is until the day of the year of a date comes round.
func untilDay(today, of day.Date) int {
	const year = 365
	return (int(of-today)%year + year) % year
}
