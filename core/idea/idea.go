// Package idea knows what may become a piece: an idea with where it came from, what
// became of it, and how it scores. A title is all it needs.
package idea

import (
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// State is what became of an idea.
type State string

// The states of an idea. None of them takes it away.
const (
	Waiting State = "waiting"
	Resting State = "resting" // until a day, or for nobody knows how long
	Used    State = "used"    // there is a piece of it
	Turned  State = "turned down"
)

// States lists the states with what each is called.
var States = []struct {
	State State
	Name  string
}{{Waiting, "Waiting"}, {Resting, "Resting"}, {Used, "Used"}, {Turned, "Turned down"}}

// Source is where an idea came from.
type Source string

// The sources of ideas.
const (
	Own      Source = "own"
	Research Source = "research"
	Reader   Source = "reader"
	Partner  Source = "partner"
	Asked    Source = "request"
)

// Sources lists the sources with what each is called.
var Sources = []struct {
	Source Source
	Name   string
}{{Own, "Own thought"}, {Research, "Research"}, {Reader, "A reader"}, {Partner, "A partner"}, {Asked, "A request"}}

// Name says what a source is called.
func (s Source) Name() string {
	for _, x := range Sources {
		if x.Source == s {
			return x.Name
		}
	}
	return string(s)
}

// Idea is something that may become a piece.
type Idea struct {
	ID         ref.Idea
	DeskID     ref.Desk
	Title      string
	Notes      string
	Links      string // an address a line
	Source     Source
	Origin     string // who or what it came from, in words
	Phrase     string // a search phrase it would answer
	Volume     int    // how often that is looked for in a month; 0 unknown
	Difficulty int    // how hard it is to be found for it, of 100; 0 unknown
	Reach      int    // how many it would interest, 1 to 5; 0 not judged yet
	Fit        int    // how well it fits the desk, 1 to 5
	Effort     int    // how much work it would be, 1 to 5
	Tags       string // in order, with commas
	State      State
	Why        string     // it rests or was turned down
	Until      day.Date   // it rests
	PieceID    ref.Piece  // what it became
	By         ref.Person // who caught it
	CaughtAt   day.Moment
	SettledBy  ref.Person // who decided its state last
	SettledAt  day.Moment
	BatchID    ref.Batch // the list it was brought in with
	Key        string    // by which a phone knows it, so that it is not caught twice
	Version    int
}

// The most of what is typed, in characters.
const (
	MaxTitle = 300
	MaxNotes = 20_000
	MaxLinks = 4_000
	maxShort = 200
)

// Check reads what was typed of an idea into the form in which it is kept. A
// *relay.Refusal names what is wrong and what to do.
func (i Idea) Check() (Idea, error) {
	bad := func(field, text string, args ...any) (Idea, error) {
		return i, &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: fmt.Sprintf(text, args...)}
	}
	i.Title = strings.Join(strings.Fields(i.Title), " ")
	for _, s := range []*string{&i.Notes, &i.Links, &i.Origin, &i.Phrase, &i.Why} {
		*s = strings.TrimSpace(strings.ReplaceAll(*s, "\r\n", "\n"))
	}
	if i.Source == "" {
		i.Source = Own
	}
	switch n := len([]rune(i.Title)); {
	case n == 0:
		return bad("title", "An idea needs a title; everything else can wait.")
	case n > MaxTitle:
		return bad("title", "The title has %d characters, and %d is the most. Keep the beginning, and put the rest into the notes.", n, MaxTitle)
	case len([]rune(i.Notes)) > MaxNotes:
		return bad("notes", "Keep the notes under %d characters; a link to the rest is enough.", MaxNotes)
	case len([]rune(i.Links)) > MaxLinks:
		return bad("links", "Keep the links under %d characters.", MaxLinks)
	case !slices.ContainsFunc(Sources, func(x struct {
		Source Source
		Name   string
	}) bool {
		return x.Source == i.Source
	}):
		return bad("source", "Choose where the idea came from.")
	case len([]rune(i.Origin)) > maxShort:
		return bad("origin", "Keep who it came from under %d characters.", maxShort)
	case len([]rune(i.Phrase)) > maxShort:
		return bad("phrase", "Keep the search phrase under %d characters.", maxShort)
	case i.Volume < 0 || i.Volume > 1_000_000_000:
		return bad("volume", "How often it is looked for lies between 0 and 1,000,000,000 a month.")
	case i.Difficulty < 0 || i.Difficulty > 100:
		return bad("difficulty", "The difficulty lies between 0 and 100.")
	case len([]rune(i.Why)) > 1000:
		return bad("why", "Keep the reason under 1,000 characters.")
	}
	for _, x := range []struct {
		n    int
		name string
	}{{i.Reach, "reach"}, {i.Fit, "fit"}, {i.Effort, "effort"}} {
		if x.n < 0 || x.n > 5 {
			return bad(x.name, "The %s lies between 1 and 5.", x.name)
		}
	}
	for _, l := range i.LinkList() {
		if !strings.HasPrefix(l, "https://") && !strings.HasPrefix(l, "http://") {
			return bad("links", "Write each link on a line of its own, beginning with https://. “%s” does not.", english.Cut(l, 60))
		}
	}
	var err error
	i.Tags, err = relay.ReadTags(i.Tags)
	return i, err
}

// LinkList gives the links of an idea.
func (i *Idea) LinkList() []string { return strings.Fields(i.Links) }

// TagList gives the tags of an idea.
func (i *Idea) TagList() []string {
	if i.Tags == "" {
		return nil
	}
	return strings.Split(i.Tags, ",")
}

// Weights say how much a desk makes of reach, fit and little effort.
type Weights struct{ Reach, Fit, Effort int }

// UsualWeights are those of a desk that chose none.
var UsualWeights = Weights{2, 2, 1}

// Score gives how promising an idea is, from 0 to 100: the mean of reach, fit and
// little effort by the weights of the desk, each of them 0 at one end of its five steps
// and 100 at the other. What is not judged yet is left out; judged says how many are
// not. With nothing judged that weighs, there is no score.
func (i *Idea) Score(w Weights) (score, judged int, ok bool) {
	sum, of := 0, 0
	for _, x := range []struct{ n, weight int }{{i.Reach, w.Reach}, {i.Fit, w.Fit}, {6 - i.Effort, w.Effort}} {
		if x.n < 1 || x.n > 5 {
			continue
		}
		judged++
		sum, of = sum+x.weight*(x.n-1)*25, of+x.weight
	}
	if of == 0 {
		return 0, judged, false
	}
	return (2*sum + of) / (2 * of), judged, true
}

// Settle gives the idea as somebody decided on it: to let it wait, rest or be turned
// down. Turning down and resting say why, and what is used is not decided on again.
func (i Idea) Settle(to State, why string, until day.Date, today day.Date) (Idea, error) {
	why = strings.TrimSpace(why)
	bad := func(field, text string) (Idea, error) {
		return i, &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
	}
	switch {
	case i.State == Used:
		return i, &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("“%s” is used: there is a piece of it. Change the piece instead.", i.Title)}
	case to != Waiting && to != Resting && to != Turned:
		return bad("state", "Choose whether it waits, rests or is turned down.")
	case to == Turned && why == "":
		return bad("why", "Say why it is turned down, in a few words; whoever had the idea reads it.")
	case len([]rune(why)) > 1000:
		return bad("why", "Keep the reason under 1,000 characters.")
	case to == Resting && until != 0 && until <= today:
		return bad("until", "Let it rest until a day to come, or leave the day out.")
	}
	i.State, i.Why, i.Until = to, why, 0
	if to == Waiting {
		i.Why = ""
	}
	if to == Resting {
		i.Until = until
	}
	return i, nil
}

// Awake gives the state an idea has on a day: one that rested until then waits again.
func (i *Idea) Awake(today day.Date) State {
	if i.State == Resting && i.Until != 0 && i.Until <= today {
		return Waiting
	}
	return i.State
}
