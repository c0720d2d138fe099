package api

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/programs"
)

// Copy is the text of a piece, with what is proposed in it left.
type Copy struct {
	Piece     int64      `json:"piece"`
	Version   int        `json:"version" doc:"The newest version that was kept."`
	Words     int        `json:"words"`
	Markdown  string     `json:"markdown" doc:"CommonMark."`
	HTML      string     `json:"html"`
	Proposals []Proposal `json:"proposals" doc:"What is proposed in it; for who works on it."`
}

// Proposal is a change of a copy that somebody proposes.
type Proposal struct {
	By     int64  `json:"by"`
	Before string `json:"before" doc:"The words that would go; empty where words would only come."`
	After  string `json:"after" doc:"The words that would come; empty where words would only go."`
}

// Query is a question about a copy.
type Query struct {
	ID      int64      `json:"id"`
	Piece   int64      `json:"piece"`
	About   string     `json:"about" enum:"words,picture,piece"`
	Quote   string     `json:"quote,omitempty" doc:"The words it is about."`
	Text    string     `json:"text"`
	By      int64      `json:"by,omitempty"`
	For     int64      `json:"for,omitempty" doc:"Whom it is for; whoever works on the piece where it is missing."`
	At      time.Time  `json:"at"`
	Settled *time.Time `json:"settled,omitempty"`
	Answers []Answer   `json:"answers"`
}

// Answer is an answer to a query.
type Answer struct {
	By   int64     `json:"by,omitempty"`
	At   time.Time `json:"at"`
	Text string    `json:"text"`
}

// Verdict is what somebody said of a copy.
type Verdict struct {
	Leg  string    `json:"leg"`
	By   int64     `json:"by,omitempty" doc:"Missing for somebody without an account."`
	Name string    `json:"name"`
	Say  string    `json:"say"`
	Text string    `json:"text,omitempty"`
	At   time.Time `json:"at"`
}

type copyOut struct {
	ETag string `header:"ETag"`
	Body Copy
}

// copyOf gives the copy of a piece as it is now.
func (s *Section) copyOf(ctx context.Context, k programs.Key, id int64) (*copyOut, error) {
	x, err := s.Planning.Sheet(ctx, k.Person.ID, ref.Piece(id))
	if err != nil {
		return nil, err
	}
	m, _, err := s.Copyroom.MarginOf(ctx, k.Person.ID, ref.Piece(id))
	if err != nil {
		return nil, err
	}
	left := x.Text.Left()
	picture := func(file ref.File) string { return fmt.Sprintf("%s/pieces/%d/pictures/%d", s.Base, id, file) }
	out := &copyOut{ETag: fmt.Sprintf(`"%d-copy"`, x.Seq+1), Body: Copy{Piece: id, Version: x.Copy.Version, Words: left.Words(), Markdown: format.Markdown(left, picture), HTML: format.HTMLWith(left, picture), Proposals: []Proposal{}}}
	for _, p := range m.Proposals {
		out.Body.Proposals = append(out.Body.Proposals, Proposal{By: int64(p.By), Before: p.Was(), After: p.Becomes()})
	}
	return out, nil
}

func (s *Section) copies(a huma.API) {
	add(s, a, ask{method: http.MethodGet, path: "/pieces/{id}/copy", id: "getCopy", says: "The copy of a piece", area: scope.Copy, right: scope.Read, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *OnePiece) (*copyOut, error) {
			return s.copyOf(ctx, k, in.ID)
		})
	type replaceIn struct {
		OnePiece
		Changes
		Body struct {
			Markdown string `json:"markdown,omitempty" maxLength:"2000000" doc:"CommonMark; either this or html."`
			HTML     string `json:"html,omitempty" maxLength:"2000000"`
			Propose  bool   `json:"propose,omitempty" doc:"What is different is proposed, for somebody to take or leave."`
		}
	}
	add(s, a, ask{method: http.MethodPut, path: "/pieces/{id}/copy", id: "replaceCopy", says: "Replaces the copy as one edit, or proposes to", area: scope.Copy, right: scope.Write, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *replaceIn) (*copyOut, error) {
			version, err := versionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			var text copy.Text
			switch {
			case (in.Body.Markdown == "") == (in.Body.HTML == ""):
				return nil, newsroom.Invalid("markdown", "Give the copy as markdown or as html.")
			case in.Body.Markdown != "":
				text, err = format.FromMarkdown([]byte(in.Body.Markdown))
			default:
				text, err = format.FromHTML([]byte(in.Body.HTML))
			}
			if err != nil {
				return nil, newsroom.Invalid("markdown", "The copy was not understood: %s.", strings.TrimSuffix(err.Error(), "."))
			}
			o := copyroom.Replace{Text: text, Seq: copyroom.OnNewest, Propose: in.Body.Propose}
			if version > 0 {
				o.Seq = version - 1
			}
			if _, err := s.Copyroom.ReplaceCopy(ctx, k.Person.ID, ref.Piece(in.ID), o); err != nil {
				return nil, err
			}
			return s.copyOf(ctx, k, in.ID)
		})
	s.queries(a)
	s.verdicts(a)
	s.files(a)
}

func (s *Section) queriesOf(ctx context.Context, k programs.Key, id int64) ([]Query, error) {
	m, _, err := s.Copyroom.MarginOf(ctx, k.Person.ID, ref.Piece(id))
	if err != nil {
		return nil, err
	}
	out := []Query{}
	for _, q := range m.Queries {
		x := Query{ID: int64(q.ID), Piece: int64(q.PieceID), About: string(q.About), Quote: q.Quote, Text: q.Text, By: int64(q.By), For: int64(q.ForID), At: *timeOf(max(q.At, 1)), Settled: timeOf(q.SettledAt), Answers: []Answer{}}
		for _, a := range q.Answers {
			x.Answers = append(x.Answers, Answer{int64(a.By), *timeOf(max(a.At, 1)), a.Text})
		}
		out = append(out, x)
	}
	return out, nil
}

func (s *Section) queries(a huma.API) {
	type queriesOut struct {
		Body struct {
			Queries []Query `json:"queries"`
		}
	}
	list := func(ctx context.Context, k programs.Key, id int64) (*queriesOut, error) {
		out := &queriesOut{}
		var err error
		out.Body.Queries, err = s.queriesOf(ctx, k, id)
		return out, err
	}
	add(s, a, ask{method: http.MethodGet, path: "/pieces/{id}/queries", id: "listQueries", says: "The queries about a copy", area: scope.Copy, right: scope.Read, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *OnePiece) (*queriesOut, error) {
			return list(ctx, k, in.ID)
		})
	type askIn struct {
		OnePiece
		Body struct {
			Text string `json:"text" minLength:"1" maxLength:"2000"`
			For  int64  `json:"for,omitempty" minimum:"0" doc:"The number of a person; whoever works on the piece without it."`
		}
	}
	type askOut struct {
		Body struct {
			ID int64 `json:"id"`
		}
	}
	add(s, a, ask{method: http.MethodPost, path: "/pieces/{id}/queries", id: "askQuery", says: "Asks something about the piece", area: scope.Copy, right: scope.Write, made: true, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *askIn) (*askOut, error) {
			id, err := s.Copyroom.AskAbout(ctx, k.Person.ID, ref.Piece(in.ID), copyroom.Ask{Query: query.Query{About: query.Piece, Text: in.Body.Text, ForID: ref.Person(in.Body.For)}})
			out := &askOut{}
			out.Body.ID = int64(id)
			return out, err
		})
	type answerIn struct {
		ID   int64 `path:"id" minimum:"1" doc:"Of the query."`
		Body struct {
			Text   string `json:"text,omitempty" maxLength:"2000" doc:"An answer."`
			Settle *bool  `json:"settle,omitempty" doc:"Whether it is settled now."`
		}
	}
	add(s, a, ask{method: http.MethodPost, path: "/queries/{id}", id: "answerQuery", says: "Answers a query, settles it, or opens it again", area: scope.Copy, right: scope.Write, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *answerIn) (*struct{}, error) {
			if in.Body.Text == "" && in.Body.Settle == nil {
				return nil, newsroom.Invalid("text", "Give an answer, or say whether it is settled.")
			}
			if in.Body.Text != "" {
				if err := s.Copyroom.AnswerQuery(ctx, k.Person.ID, ref.Query(in.ID), in.Body.Text, nil); err != nil {
					return nil, err
				}
			}
			if in.Body.Settle != nil {
				return nil, s.Copyroom.SettleQuery(ctx, k.Person.ID, ref.Query(in.ID), *in.Body.Settle)
			}
			return nil, nil
		})
}

func (s *Section) verdicts(a huma.API) {
	type verdictsOut struct {
		Body struct {
			Verdicts []Verdict `json:"verdicts" doc:"The newest first."`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/pieces/{id}/verdicts", id: "listVerdicts", says: "What was said of the copy by those who sign it off", area: scope.Copy, right: scope.Read, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *OnePiece) (*verdictsOut, error) {
			x, err := s.Review.Verdicts(ctx, k.Person.ID, ref.Piece(in.ID))
			if err != nil {
				return nil, err
			}
			b, err := s.Newsroom.Setup(ctx)
			if err != nil {
				return nil, err
			}
			o := &verdictsOut{}
			o.Body.Verdicts = []Verdict{}
			for _, v := range x.Past {
				o.Body.Verdicts = append(o.Body.Verdicts, Verdict{Leg: v.Leg, By: int64(v.PersonID), Name: b.Person(v.PersonID).Name, Say: string(v.Say), Text: v.Text, At: *timeOf(max(v.At, 1))})
			}
			return o, nil
		})
}
