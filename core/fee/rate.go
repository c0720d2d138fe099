package fee

import (
	"fmt"
	"math/big"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
)

// Per is what a rate is counted by.
type Per string

// By what rates are counted.
const (
	Word  Per = "word"
	Piece Per = "piece"
	Hour  Per = "hour"
)

// Terms are what work costs.
type Terms struct {
	Per   Per
	Rate  int64 // of one, in hundredths of the smallest unit
	Least int64 // that the fee is at least, in smallest units; 0 for none
	Most  int64 // and at most; 0 for none
}

// Nothing reports whether somebody agreed to work for nothing.
func (t Terms) Nothing() bool { return t.Rate == 0 && t.Least == 0 }

// Say writes terms: "15p a word" as "£0.15 a word, at least £50".
func (t Terms) Say(c Currency) string {
	if t.Nothing() {
		return "nothing is paid"
	}
	s := fmt.Sprintf("%s %s %s", c.Rate(t.Rate), map[Per]string{Word: "a", Piece: "a", Hour: "an"}[t.Per], t.Per)
	if t.Least > 0 {
		s += ", at least " + c.Say(t.Least)
	}
	if t.Most > 0 {
		s += ", at most " + c.Say(t.Most)
	}
	return s
}

// Rule is what a desk pays: in general, or for what it names.
type Rule struct {
	ID     ref.Rate
	Person ref.Person
	Leg    string // by its name; "" for any
	Role   string
	Format ref.Format
	Terms
}

// Asked is the work of which it is asked what it costs.
type Asked struct {
	Person  ref.Person
	Leg     string
	Role    string
	Format  ref.Format
	ForFees bool // whoever runs it is paid by what they do; others only by a rule of their own
}

// fits reports whether a rule is about some work.
func (r Rule) fits(a Asked) bool {
	return (r.Person == 0 && a.ForFees || r.Person == a.Person && r.Person != 0) && (r.Leg == "" || strings.EqualFold(r.Leg, a.Leg)) && (r.Role == "" || r.Role == a.Role) && (r.Format == 0 || r.Format == a.Format)
}

// near is how near a rule is to the work: person before leg before role before format.
func (r Rule) near() int {
	n := 0
	for i, has := range []bool{r.Format != 0, r.Role != "", r.Leg != "", r.Person != 0} {
		if has {
			n |= 1 << i
		}
	}
	return n
}

// Nearest gives the rule that is nearest to some work: that of the person for the leg, the role and
// the format, of the person in general, of the leg, of the role, of the format, in general. Of two
// that are as near the newer counts.
func Nearest(rules []Rule, a Asked) (Rule, bool) {
	best, found := Rule{}, false
	for _, r := range rules {
		if r.fits(a) && (!found || r.near() > best.near() || r.near() == best.near() && r.ID > best.ID) {
			best, found = r, true
		}
	}
	return best, found
}

// Work is what was done, as far as it counts.
type Work struct {
	Words   int // as the copy stands, with proposals left
	Asked   int // the most words the brief asks for; 0 for any number
	Beyond  bool
	Minutes int // as whoever did it says
	Share   int // per cent of the fee that is owed, 100 usually
	Times   int // of a rework, how often it came back
}

// counted gives how many words count.
func (w Work) counted() int {
	if w.Asked > 0 && !w.Beyond {
		return min(w.Words, w.Asked)
	}
	return w.Words
}

// Owed gives what work comes to, in smallest units: rate times words, hours or one, then at least
// the least and at most the most, then the share of it, rounded once.
func (t Terms) Owed(w Work, r Rounding) int64 {
	x := big.NewRat(t.Rate, 100)
	switch t.Per {
	case Word:
		x.Mul(x, big.NewRat(int64(max(0, w.counted())), 1))
	case Hour:
		x.Mul(x, big.NewRat(int64(max(0, w.Minutes)), 60))
	}
	if least := big.NewRat(t.Least, 1); x.Cmp(least) < 0 {
		x = least
	}
	if most := big.NewRat(t.Most, 1); t.Most > 0 && x.Cmp(most) > 0 {
		x = most
	}
	x.Mul(x, big.NewRat(int64(w.Share)*int64(max(1, w.Times)), 100))
	return r.Round(x)
}

// SayHours writes hours as they are paid, to the minute: "4 h", "4½ h", "1 h 20 min".
func SayHours(minutes int) string {
	switch h, m := minutes/60, minutes%60; {
	case m == 0:
		return fmt.Sprintf("%d h", h)
	case m == 30 && h > 0:
		return fmt.Sprintf("%d½ h", h)
	case h == 0:
		return fmt.Sprintf("%d min", m)
	default:
		return fmt.Sprintf("%d h %d min", h, m)
	}
}

// SayOwed says in one line how it came about: "1,280 words at £0.15, to 1,200", "4 h 30 min at £32",
// "half, not used".
func (t Terms) SayOwed(w Work, c Currency) string {
	if t.Nothing() {
		return "for nothing, as agreed"
	}
	var s string
	switch t.Per {
	case Word:
		s = fmt.Sprintf("%s at %s", english.Plural(w.Words, "word"), c.Rate(t.Rate))
		if n := w.counted(); n < w.Words {
			s += ", to " + english.Number(n)
		}
	case Hour:
		s = fmt.Sprintf("%s at %s", SayHours(w.Minutes), c.Rate(t.Rate))
	default:
		s = "by the piece"
	}
	bare := t
	bare.Least, bare.Most = 0, 0
	whole := w
	whole.Share, whole.Times = 100, 1
	switch is, plain := t.Owed(whole, Even), bare.Owed(whole, Even); {
	case is > plain:
		s += ", at least " + c.Say(t.Least)
	case is < plain:
		s += ", at most " + c.Say(t.Most)
	}
	switch {
	case w.Share == 50:
		s += ", half of it"
	case w.Share != 100:
		s += fmt.Sprintf(", %d %% of it", w.Share)
	}
	if w.Times > 1 {
		s += fmt.Sprintf(", %s times", english.Number(w.Times))
	}
	return s
}

// DueOn gives the day by which a statement is to be paid: so many days after it, or the next
// working day where that is none.
func DueOn(made day.Date, days int, cal *day.Calendar) day.Date {
	due := made + day.Date(days)
	if cal == nil || cal.Empty() {
		return due
	}
	return cal.NextWorking(due)
}
