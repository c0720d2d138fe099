package copyroom

import (
	"greenbaton/core/brief"
	"greenbaton/core/relay"
)

// BriefOf is the brief of a piece of which nothing else is said.
func BriefOf(p *relay.Piece) brief.Brief {
	return brief.Brief{WordsFrom: p.WordsFrom, WordsTo: p.WordsTo, About: p.Brief, Answers: map[string]string{}}
}
