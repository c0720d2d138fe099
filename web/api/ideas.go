package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/programs"
)

// Idea is what may become a piece.
type Idea struct {
	ID         int64     `json:"id"`
	Desk       int64     `json:"desk"`
	Title      string    `json:"title"`
	Notes      string    `json:"notes,omitempty"`
	Links      []string  `json:"links"`
	Source     string    `json:"source,omitempty"`
	Origin     string    `json:"origin,omitempty" doc:"Who or what it came from, in words."`
	Phrase     string    `json:"phrase,omitempty" doc:"A search phrase it would answer."`
	Volume     int       `json:"volume,omitempty" doc:"How often that is looked for in a month."`
	Difficulty int       `json:"difficulty,omitempty" doc:"How hard it is to be found for it, of 100."`
	Tags       []string  `json:"tags"`
	State      string    `json:"state" doc:"As it is today."`
	Score      *int      `json:"score,omitempty" doc:"Of 100; missing until it is judged."`
	Piece      int64     `json:"piece,omitempty" doc:"What it became."`
	By         int64     `json:"by,omitempty"`
	CaughtAt   time.Time `json:"caught_at"`
}

// NewIdea is an idea to be caught.
type NewIdea struct {
	Desk       int64    `json:"desk,omitempty" minimum:"0" doc:"One of yours; without it the first."`
	Title      string   `json:"title" minLength:"1" maxLength:"300"`
	Notes      string   `json:"notes,omitempty" maxLength:"20000"`
	Links      []string `json:"links,omitempty" maxItems:"40"`
	Origin     string   `json:"origin,omitempty" maxLength:"200"`
	Phrase     string   `json:"phrase,omitempty" maxLength:"200"`
	Volume     int      `json:"volume,omitempty" minimum:"0" maximum:"1000000000"`
	Difficulty int      `json:"difficulty,omitempty" minimum:"0" maximum:"100"`
	Tags       []string `json:"tags,omitempty" maxItems:"30"`
}

// lists reads a text with separators into its parts.
func lists(text, by string) []string {
	out := []string{}
	for x := range strings.SplitSeq(text, by) {
		if x = strings.TrimSpace(x); x != "" {
			out = append(out, x)
		}
	}
	return out
}

func ideaOf(r *intake.IdeaRow) Idea {
	x := Idea{
		ID: int64(r.ID), Desk: int64(r.DeskID), Title: r.Title, Notes: r.Notes, Links: lists(r.Links, "\n"), Source: string(r.Source), Origin: r.Origin, Phrase: r.Phrase, Volume: r.Volume, Difficulty: r.Difficulty,
		Tags: lists(r.Tags, ","), State: string(r.State), Piece: int64(r.PieceID), By: int64(r.By), CaughtAt: *timeOf(max(r.CaughtAt, 1)),
	}
	if r.Scored {
		x.Score = new(r.Score)
	}
	return x
}

type ideaOut struct{ Body Idea }

func (s *Section) idea(ctx context.Context, k programs.Key, id ref.Idea) (*ideaOut, error) {
	r, _, err := s.Intake.Idea(ctx, k.Person.ID, id)
	if err != nil {
		return nil, err
	}
	return &ideaOut{ideaOf(&r)}, nil
}

func (s *Section) ideas(a huma.API) {
	type listIn struct {
		Desk  int64  `query:"desk" doc:"One of yours; without it the first."`
		State string `query:"state" doc:"Without it all." enum:"waiting,resting,used,turned down"`
		Text  string `query:"text" maxLength:"200" doc:"Words that are all in it."`
		Tag   string `query:"tag" maxLength:"60"`
		Page
	}
	type ideasOut struct {
		Body struct {
			Ideas []Idea `json:"ideas"`
			Next  string `json:"next,omitempty" doc:"The cursor of the next ones; missing where there are none."`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/ideas", id: "listIdeas", says: "Ideas, the newest first", area: scope.Ideas, right: scope.Read, tag: "Ideas"},
		func(ctx context.Context, k programs.Key, in *listIn) (*ideasOut, error) {
			d, err := deskOf(k, in.Desk)
			if err != nil {
				return nil, err
			}
			after, err := in.after()
			if err != nil {
				return nil, err
			}
			l, err := s.Intake.Ideas(ctx, k.Person.ID, intake.IdeaFilter{Desk: d, State: idea.State(in.State), Text: in.Text, Tag: in.Tag, All: true})
			if err != nil {
				return nil, err
			}
			slices.SortFunc(l.Rows, func(a, b intake.IdeaRow) int { return int(b.ID - a.ID) })
			out := &ideasOut{}
			out.Body.Ideas = []Idea{}
			for i := range l.Rows {
				if after != 0 && int64(l.Rows[i].ID) >= after {
					continue
				}
				if n := len(out.Body.Ideas); n == in.Limit {
					out.Body.Next = cursorAfter(out.Body.Ideas[n-1].ID)
					break
				}
				out.Body.Ideas = append(out.Body.Ideas, ideaOf(&l.Rows[i]))
			}
			return out, nil
		})
	type oneIn struct {
		ID int64 `path:"id" minimum:"1"`
	}
	add(s, a, ask{method: http.MethodGet, path: "/ideas/{id}", id: "getIdea", says: "An idea", area: scope.Ideas, right: scope.Read, tag: "Ideas"},
		func(ctx context.Context, k programs.Key, in *oneIn) (*ideaOut, error) {
			return s.idea(ctx, k, ref.Idea(in.ID))
		})
	type catchIn struct{ Body NewIdea }
	type catchOut struct {
		Location string `header:"Location"`
		Body     Idea
	}
	add(s, a, ask{method: http.MethodPost, path: "/ideas", id: "catchIdea", says: "Catches an idea", area: scope.Ideas, right: scope.Write, made: true, tag: "Ideas"},
		func(ctx context.Context, k programs.Key, in *catchIn) (*catchOut, error) {
			d, err := deskOf(k, in.Body.Desk)
			if err != nil {
				return nil, err
			}
			n := in.Body
			id, _, err := s.Intake.Catch(ctx, k.Person.ID, idea.Idea{DeskID: d, Title: n.Title, Notes: n.Notes, Links: strings.Join(n.Links, "\n"), Origin: n.Origin, Phrase: n.Phrase, Volume: n.Volume, Difficulty: n.Difficulty, Tags: strings.Join(n.Tags, ",")}, 0)
			if err != nil {
				return nil, err
			}
			x, err := s.idea(ctx, k, id)
			if err != nil {
				return nil, err
			}
			return &catchOut{Location: fmt.Sprintf("%s%s/ideas/%d", s.Base, Base, id), Body: x.Body}, nil
		})
}
