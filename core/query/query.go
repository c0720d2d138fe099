// Package query knows questions about a copy: whom they are for, who may settle them,
// whose turn it is, and whom their words name.
package query

import (
	"slices"
	"strings"
	"unicode"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// About is what a query is about.
type About string

// What a query can be about.
const (
	Words   About = "words"
	Picture About = "picture"
	Piece   About = "piece" // the whole of it
)

// The most that a query takes.
const (
	MaxText  = 2_000 // characters
	MaxQuote = 300   // of the words it is about
)

// Query is a question about a copy.
type Query struct {
	ID        ref.Query
	PieceID   ref.Piece
	About     About
	Quote     string   // the words it is about, as they were when it was asked
	FileID    ref.File // the picture
	X, Y      int      // the point on it, in hundredths from the left and the top
	Text      string
	ForID     ref.Person // whom it is for; 0 is whoever works on the piece
	Only      bool       // only they may settle it
	Reason    int        // the leg below asks for an answer to it, from this run on: the piece was sent back with it, or it is a note
	Leg       string
	Note      bool // it came with a sign-off
	By        ref.Person
	At        day.Moment
	SettledBy ref.Person
	SettledAt day.Moment
	HeardAt   day.Moment // the last word on it
}

// Settled reports whether it is settled.
func (q *Query) Settled() bool { return q.SettledAt != 0 }

// Answer is a reply to a query.
type Answer struct {
	ID      ref.Answer
	QueryID ref.Query
	By      ref.Person
	At      day.Moment
	Text    string
	FileID  ref.File
}

// Check puts a query into form, or says in a *relay.Refusal what is missing.
func (q Query) Check() (Query, error) {
	q.Text = strings.TrimSpace(strings.ReplaceAll(q.Text, "\r\n", "\n"))
	switch {
	case q.Text == "":
		return q, refuse("text", "Write what you want to know.")
	case len([]rune(q.Text)) > MaxText:
		return q, refuse("text", "Keep a query under 2,000 characters.")
	case q.Only && q.ForID == 0:
		return q, refuse("for", "Say who alone may settle it.")
	case q.About == Picture && (q.FileID == 0 || q.X < 0 || q.X > 100 || q.Y < 0 || q.Y > 100):
		return q, refuse("text", "Point at the place on the picture again.")
	}
	q.Quote = english.Cut(strings.Join(strings.Fields(q.Quote), " "), MaxQuote)
	return q, nil
}

func refuse(field, text string) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
}

// MaySettle reports whether somebody may settle a query, and open it again: whom alone it
// is for, otherwise who asked, whom it is for, and who decides on the copy. gone says
// that whom alone it is for no longer works here; leads may then.
func (q *Query) MaySettle(who ref.Person, decides, lead, gone bool) bool {
	if q.Only {
		return q.ForID == who || gone && lead
	}
	return q.By == who || q.ForID == who || decides
}

// Turn says whose turn it is on an open query: whom it is for, until they have had the
// last word; then who asked. 0 is whoever works on the piece, or nobody when it is settled.
func (q *Query) Turn(answers []Answer) ref.Person {
	if q.Settled() {
		return 0
	}
	for i := len(answers) - 1; i >= 0; i-- {
		if answers[i].By == q.By {
			break
		}
		if q.ForID == 0 || answers[i].By == q.ForID {
			return q.By
		}
	}
	return q.ForID
}

// Answered reports whether somebody else than who asked has said something to a query, or
// it is settled.
func (q *Query) Answered(answers []Answer) bool {
	return q.Settled() || slices.ContainsFunc(answers, func(a Answer) bool { return a.By != q.By })
}

// Named is somebody whom words can name.
type Named struct {
	ID   ref.Person
	Name string
}

// Mentions finds the people whom a text names as "@Ruth" or "@Ruth Ainsley", each once.
// A first name that several people have names nobody.
func Mentions(text string, people []Named) []ref.Person {
	var out []ref.Person
	low := strings.ToLower(text)
	for i := range low {
		if low[i] != '@' || i > 0 && wordBefore(low[:i]) {
			continue
		}
		if id := named(low[i+1:], people); id != 0 && !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	return out
}

func named(rest string, people []Named) ref.Person {
	var whole ref.Person
	var first ref.Person
	many := false
	for _, p := range people {
		name := strings.ToLower(p.Name)
		if begins(rest, name) {
			whole = p.ID
		}
		if f, _, _ := strings.Cut(name, " "); begins(rest, f) {
			many = many || first != 0
			first = p.ID
		}
	}
	switch {
	case whole != 0:
		return whole
	case many:
		return 0
	}
	return first
}

func begins(s, name string) bool {
	rest, ok := strings.CutPrefix(s, name)
	if !ok || name == "" {
		return false
	}
	for _, r := range rest {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	}
	return true
}

func wordBefore(s string) bool {
	r := []rune(s)
	last := r[len(r)-1]
	return unicode.IsLetter(last) || unicode.IsDigit(last)
}
