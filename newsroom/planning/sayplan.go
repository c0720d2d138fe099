package planning

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// SayChange says what a change of the plan does: "gives Draft to Yusuf". The piece
// may be nil where the change is about no piece.
func SayChange(b *newsroom.Setup, p *relay.Piece, c plan.Change) string {
	name := ""
	if p != nil && p.Leg(c.Leg) != nil {
		name = p.Leg(c.Leg).Name
	}
	switch c.Do {
	case plan.DoMove:
		if c.At == 0 {
			return "takes its day away"
		}
		return "goes out " + b.At(c.At, p.DeskID)
	case plan.DoGive:
		if c.Person == 0 {
			return "opens " + name + " to whoever takes it"
		}
		return fmt.Sprintf("gives %s to %s", name, b.Name(c.Person))
	case plan.DoAllow:
		return fmt.Sprintf("gives %s %s", name, english.Plural(c.Days, "day"))
	case plan.DoPin:
		if c.Date == 0 {
			return "lets the due date of " + name + " follow from the day again"
		}
		return fmt.Sprintf("pins %s to %s", name, english.Date(c.Date))
	case plan.DoNotBefore:
		if c.Date == 0 {
			return "lets " + name + " begin when its turn comes"
		}
		return fmt.Sprintf("keeps %s from beginning before %s", name, english.Date(c.Date))
	case plan.DoOverlap:
		return fmt.Sprintf("runs %s side by side with %s", name, waited(b, p, c.Leg))
	case plan.DoAway:
		return fmt.Sprintf("takes %s off for %s", daySpan(c), b.Name(c.Person))
	}
	return ""
}

// SayChanges says changes in a line: "gives Draft to Yusuf".
func SayChanges(b *newsroom.Setup, r plan.Consequence) string {
	changes := r.Changes
	var out []string
	for _, c := range changes[:min(3, len(changes))] {
		p := r.Piece(c.Piece)
		s := SayChange(b, p, c)
		if p != nil && len(changes) > 1 && c.Do == plan.DoMove {
			s = "“" + p.Title + "” " + s
		}
		out = append(out, s)
	}
	if n := len(changes) - len(out); n > 0 {
		out = append(out, english.Plural(n, "more change"))
	}
	return english.And(out)
}

func daySpan(c plan.Change) string {
	if c.Date == c.To {
		return english.Date(c.Date)
	}
	return english.Date(c.Date) + " to " + english.Date(c.To)
}

// waited names the legs that a leg waits for.
func waited(b *newsroom.Setup, p *relay.Piece, leg string) string {
	var out []string
	l := p.Leg(leg)
	for i := range p.Legs {
		if l.WaitsFor(p.Legs[i].Key) {
			out = append(out, p.Legs[i].Name)
		}
	}
	return english.And(out)
}

// SayWay says a way out as a sentence that tells what to do.
func SayWay(b *newsroom.Setup, p *relay.Piece, w plan.Way) string {
	switch w.Kind {
	case plan.Later:
		return "Move it to the next free slot that works, " + b.At(w.Changes[0].At, p.DeskID)
	case plan.Trade:
		other := w.Result.Effects[1]
		return fmt.Sprintf("Swap days with “%s”, which goes out %s and %s", other.Was.Title, b.At(other.Was.GoesOut, p.DeskID), keeps(other.After))
	}
	var parts []string
	squeezed := map[int][]string{} // legs by the days taken off them
	for _, c := range w.Changes {
		l := p.Leg(c.Leg)
		switch c.Do {
		case plan.DoAllow:
			squeezed[l.Need()-c.Days] = append(squeezed[l.Need()-c.Days], l.Name)
		case plan.DoGive:
			if l.Holder == 0 {
				parts = append(parts, fmt.Sprintf("give %s, which nobody has, to %s", l.Name, b.Name(c.Person)))
			} else {
				parts = append(parts, fmt.Sprintf("give %s to %s instead of %s", l.Name, b.Name(c.Person), b.Name(l.Holder)))
			}
		case plan.DoOverlap:
			parts = append(parts, fmt.Sprintf("run %s side by side with %s", l.Name, waited(b, p, c.Leg)))
		}
	}
	for _, n := range slices.Backward(slices.Sorted(maps.Keys(squeezed))) {
		each := ""
		if len(squeezed[n]) > 1 {
			each = "each of "
		}
		parts = append(parts, fmt.Sprintf("take %s off %s%s", english.Plural(n, "day"), each, english.And(squeezed[n])))
	}
	return english.UpperFirst(english.And(parts))
}

func keeps(pr plan.Projection) string {
	if pr.Pace == plan.Ready {
		return "is ready"
	}
	if pr.InHand == 0 {
		return "just makes the other day"
	}
	return "keeps " + english.Plural(pr.InHand, "day") + " in hand"
}

// Said is a sentence, and whether it tells of something good or bad.
type Said struct {
	Person ref.Person
	Text   string
	Good   bool
}

// aFew is how many minutes more or less are not worth a word.
const aFew = plan.FewMinutes

// SayShifts says what a change does to people, a sentence or two each: the days on
// which they go over, and those on which they have less than before.
func SayShifts(b *newsroom.Setup, shifts []load.Shift) []Said {
	var out []Said
	for len(shifts) > 0 {
		n := 1
		for n < len(shifts) && shifts[n].Person == shifts[0].Person {
			n++
		}
		var more, less []load.Shift
		for _, s := range shifts[:n] {
			switch {
			case s.After >= s.Works+aFew && s.After > s.Before:
				more = append(more, s)
			case s.After < s.Before-aFew:
				less = append(less, s)
			}
		}
		if len(more) > 0 {
			out = append(out, Said{more[0].Person, sayMore(b, more), false})
		}
		if len(less) > 0 {
			out = append(out, Said{less[0].Person, sayLess(b, less), true})
		}
		shifts = shifts[n:]
	}
	return out
}

func sayMore(b *newsroom.Setup, days []load.Shift) string {
	most := days[0]
	for _, s := range days {
		if s.After-s.Works > most.After-most.Works {
			most = s
		}
	}
	works := "works " + english.Hours(most.Works)
	if most.Works == 0 {
		works = "does not work then"
	}
	has := fmt.Sprintf("%s on %s, and %s.", english.Hours(most.After), most.Date.Format("Mon 2 Jan"), works)
	if len(days) == 1 {
		return fmt.Sprintf("%s would have %s", b.Name(most.Person), has)
	}
	return fmt.Sprintf("%s would be over on %s: at most %s", b.Name(most.Person), english.Plural(len(days), "day"), has)
}

func sayLess(b *newsroom.Setup, days []load.Shift) string {
	most, over := days[0], false
	for _, s := range days {
		if s.Before-s.After > most.Before-most.After {
			most = s
		}
		over = over || s.After > s.Works
	}
	if !over {
		return fmt.Sprintf("%s is over no more on %s.", b.Name(most.Person), dates(b, days))
	}
	return fmt.Sprintf("%s has less on %s: %s instead of %s on %s.", b.Name(most.Person), english.Plural(len(days), "day"), english.Hours(most.After), english.Hours(most.Before), most.Date.Format("Mon 2 Jan"))
}

func dates(b *newsroom.Setup, days []load.Shift) string {
	if len(days) > 3 {
		return english.Plural(len(days), "day")
	}
	var out []string
	for _, s := range days {
		out = append(out, s.Date.Format("Mon 2 Jan"))
	}
	return english.And(out)
}

// SaySum says what becomes of several pieces, and who goes over by it.
func SaySum(b *newsroom.Setup, sum plan.Sum, people bool) string {
	parts := []string{english.Count(sum.Moved, "piece") + " change"}
	if sum.Tighter > 0 {
		parts = append(parts, english.Plural(sum.Tighter, "piece")+" "+english.Verb(sum.Tighter, "has", "have")+" fewer days in hand")
	}
	if sum.Short > 0 {
		parts = append(parts, fmt.Sprintf("%d %s short", sum.Short, english.Verb(sum.Short, "becomes", "become")))
	} else {
		parts = append(parts, "none becomes short")
	}
	if people {
		var names []string
		for _, id := range sum.Over {
			names = append(names, b.Name(id))
		}
		if len(names) == 0 {
			names = []string{"nobody"}
		}
		parts = append(parts, english.And(names)+" "+english.Verb(len(names), "goes", "go")+" over")
	}
	return strings.Join(parts, "; ") + "."
}

// SaySketch says what a sketch comes to, and whether that is nothing bad.
func SaySketch(b *newsroom.Setup, s *Sketch) (says string, good bool) {
	sum, amiss := s.Sum(), len(s.Clashes)+len(s.Off)
	if len(s.Trial.Changes) == 0 {
		return "Nothing is in it yet.", true
	}
	says = SaySum(b, sum, true)
	if amiss > 0 {
		says += fmt.Sprintf(" %s would have a time that is taken, or no slot.", english.Count(amiss, "piece"))
	}
	return says, sum.Short == 0 && len(sum.Over) == 0 && amiss == 0
}

// SayPlace says what is amiss with a time: who is there already, or that the channel has no
// slot then; and the next free one.
func SayPlace(b *newsroom.Setup, c plan.Clash) string {
	channel, desk := b.Channel(c.Piece.ChannelID).Name, c.Piece.DeskID
	said := fmt.Sprintf("%s has no slot on %s.", channel, b.At(c.At, desk))
	if len(c.With) > 0 {
		var titles []string
		for _, x := range c.With[:min(2, len(c.With))] {
			titles = append(titles, "“"+x.Title+"”")
		}
		if n := len(c.With) - len(titles); n > 0 {
			titles = append(titles, english.Plural(n, "other"))
		}
		said = fmt.Sprintf("%s %s out on %s then as well.", english.And(titles), english.Verb(len(titles), "goes", "go"), channel)
	}
	if c.Free != 0 {
		said += " The next free slot is " + b.At(c.Free, desk) + "."
	}
	return said
}

// SayCandidate says what a leg would do to somebody: "1 h over", or how it fits.
func SayCandidate(c load.Candidate) string {
	switch {
	case c.Over >= aFew:
		return english.Hours(c.Over) + " over"
	case c.Peak >= 1000:
		return "just full on the fullest day"
	}
	return fmt.Sprintf("fits; the fullest day is %d %% full", c.Peak/10)
}
