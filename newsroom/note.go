package newsroom

import (
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Note is what one person is told about a piece.
type Note struct {
	To      ref.Person
	Kind    string
	Text    string
	Why     string
	Mail    bool
	Link    string // where it leads, when not to the piece
	Private bool   // as of store.Item
}

// NoteTo makes a note to somebody; mail says whether it is worth a mail for who chose nothing.
func NoteTo(to ref.Person, kind, text, why string, mail bool) Note {
	return Note{To: to, Kind: kind, Text: text, Why: why, Mail: mail}
}

// Send tells somebody of a note, about a piece.
func (a *Command) Send(p *relay.Piece, n Note) error {
	return a.Notify(store.Item{PersonID: n.To, PieceID: p.ID, Kind: n.Kind, Text: n.Text, Why: n.Why, At: a.Now, Link: n.Link, Private: n.Private}, n.Mail)
}

// FirstSentence gives a text up to its first full stop, without it.
func FirstSentence(s string) string {
	if i := strings.Index(s, ". "); i >= 0 {
		return s[:i]
	}
	return s
}
