package views

import (
	"fmt"
	"html"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// hues are by what cards can be coloured; the first is none.
var hues = []string{"", "format", "channel", "campaign", "topic", "who", "priority"}

// extras are the facts that can be shown on a card besides title, time and pace.
var extras = []string{"format", "owner", "topic", "campaign", "priority", "tags", "leg", "due"}

// CardLook is how the cards of a view look: by what they are coloured, and what is on them.
type CardLook struct {
	B       *newsroom.Setup
	columns []sift.Column
	hue     *sift.Column
	shows   []*sift.Column
	legend  []legendEntry
	known   map[string]int // value → its place in the legend
}

// legendEntry says what a colour stands for.
type legendEntry struct {
	Name  string
	Class string
}

// MostHues is how many colours there are: the last is for what has no value, and further
// values share the one before.
const MostHues = 8

func newCardLook(b *newsroom.Setup, columns []sift.Column, hue string, shows []string) *CardLook {
	k := &CardLook{B: b, columns: columns, known: map[string]int{}}
	if slices.Contains(hues[1:], hue) {
		k.hue = sift.Find(columns, hue)
	}
	for _, s := range shows {
		if c := sift.Find(columns, s); c != nil && (slices.Contains(extras, s) || c.Field != 0) {
			k.shows = append(k.shows, c)
		}
	}
	return k
}

// learn settles the colours by all the pieces of a view, in the order of their names,
// so that a part of the view drawn later has the same.
func (k *CardLook) learn(each func(func(*newsroom.Entry))) {
	if k.hue == nil {
		return
	}
	seen := map[string]bool{}
	each(func(e *newsroom.Entry) { seen[k.value(e)] = true })
	none := seen[""]
	delete(seen, "")
	for i, v := range kit.SortedKeys(seen) {
		k.known[v] = min(i, MostHues-2)
		k.legend = append(k.legend, legendEntry{v, "hue-" + strconv.Itoa(min(i, MostHues-2))})
	}
	if k.known[""] = MostHues - 1; none {
		k.legend = append(k.legend, legendEntry{"None", "hue-" + strconv.Itoa(MostHues-1)})
	}
}

func (k *CardLook) value(e *newsroom.Entry) string {
	f := e.Facts()
	if k.hue.Key == "priority" {
		return newsroom.SayPriority(e.Priority)
	}
	return k.hue.Group(&f)
}

// Class gives the class of a card's colour, and what it stands for.
func (k *CardLook) Class(e *newsroom.Entry) (class, says string) {
	if k.hue == nil {
		return "", ""
	}
	v := k.value(e)
	return " hue hue-" + strconv.Itoa(k.known[v]), v
}

// Notes gives what else is shown on a card, and what its colour stands for.
func (k *CardLook) Notes(e *newsroom.Entry) []string {
	var out []string
	f := e.Facts()
	add := func(s string) {
		if s != "" && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	if k.hue != nil {
		if k.hue.Key != "priority" || e.Priority != relay.Usual {
			add(k.value(e))
		}
	}
	for _, c := range k.shows {
		switch c.Key {
		case "priority":
			if e.Priority != relay.Usual {
				add(newsroom.SayPriority(e.Priority))
			}
		case "due":
			if e.NextDue != 0 {
				add("due " + english.Date(e.NextDue))
			}
		default:
			add(c.Group(&f))
		}
	}
	return out
}

// ShortPace says in two or three letters how a piece stands, for a narrow card.
func ShortPace(s store.Standing) string {
	switch s.Pace {
	case plan.Short:
		return fmt.Sprintf("%d d short", -s.InHand)
	case plan.InHand:
		return fmt.Sprintf("%d d in hand", s.InHand)
	}
	return strings.ToLower(newsroom.SayPace(s))
}

// Ring draws a piece in a cramped place: the initials of whoever has it in a ring that shows
// how much of its way is done (relay.Piece.Share).
func Ring(initials, tone string, done float64) template.HTML {
	done = min(max(done, 0), 1)
	const r = 12.0
	all := 2 * math.Pi * r
	return template.HTML(fmt.Sprintf(`<svg class="baton ring-%s" width="28" height="28" viewBox="0 0 28 28" aria-hidden="true"><circle class="ring-back" cx="14" cy="14" r="12"/><circle class="ring-used" cx="14" cy="14" r="12" stroke-dasharray="%.1f %.1f" transform="rotate(-90 14 14)"/><text x="14" y="14">%s</text></svg>`,
		tone, done*all, all, html.EscapeString(initials)))
}

// ToneOf gives the tone of a piece on a card: quiet where that is all there is to say.
func ToneOf(s store.Standing) string {
	t := kit.Tone(s)
	if s.IsQuiet && (t == "good" || t == "plain") {
		return "quiet"
	}
	return t
}

// More writes the way to all that can be done with a piece.
func More(id ref.Piece, title string) string {
	return fmt.Sprintf(`<a class="card-do" href="/pieces/%d/do" data-part aria-label="What can be done with %s">…</a>`, id, html.EscapeString(title))
}

// MostFolded is how many lines are drawn of what is folded; the rest is in the list.
const MostFolded = 80
