package kit

import (
	"fmt"
	"html"
	"html/template"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/intake"
)

// Marked writes a snippet with what matched marked.
func Marked(snippet string) template.HTML {
	s := html.EscapeString(strings.Join(strings.Fields(snippet), " "))
	return template.HTML(strings.NewReplacer(intake.Mark, "<mark>", intake.Unmark, "</mark>").Replace(s))
}

// LikeView is a piece or an idea that may be about the same.
type LikeView struct {
	Href, Title, Says string
	Snippet           template.HTML
	Near              bool // so alike that it is likely the same
	Did, Learnt       string
}

// NewLikes shows pieces and ideas that may be about the same.
func NewLikes(b *newsroom.Setup, likes []intake.Like, now day.Moment) []LikeView {
	var out []LikeView
	for _, l := range likes {
		v := LikeView{Near: l.Alike >= 0.6}
		if l.Piece != nil {
			v.Href, v.Title = fmt.Sprintf("/pieces/%d", l.Piece.ID), l.Piece.Title
			v.Says = fmt.Sprintf("%s, %s", b.Format(l.Piece.FormatID).Name, english.LowerFirst(newsroom.SayPace(l.Piece.Standing)))
			if l.Piece.GoesOut != 0 {
				v.Says += ", " + l.Piece.GoesOut.In(b.Zones[l.Piece.DeskID]).Format("Mon 2 Jan 2006")
			}
			if l.Did.ID != 0 {
				v.Did, v.Learnt = english.UpperFirst(figures.SayOutcome(l.Did.Said)), l.Did.Learnt
			}
			if l.Snippet != "" {
				v.Snippet = Marked(l.Snippet)
			}
		} else {
			v.Href, v.Title = fmt.Sprintf("/ideas/%d", l.Idea.ID), l.Idea.Title
			v.Says = fmt.Sprintf("Idea of %s, %s, %s", b.Name(l.Idea.By), english.Ago(l.Idea.CaughtAt, now), l.Idea.State)
		}
		out = append(out, v)
	}
	return out
}
