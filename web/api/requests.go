package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/ref"
	"greenbaton/core/request"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/programs"
	"greenbaton/store"
)

// Request is what somebody asked for by a form.
type Request struct {
	ID      int64           `json:"id"`
	Form    int64           `json:"form"`
	Title   string          `json:"title"`
	Name    string          `json:"name" doc:"Who asks."`
	Mail    string          `json:"mail,omitempty"`
	Wanted  string          `json:"wanted,omitempty" format:"date"`
	State   string          `json:"state"`
	Why     string          `json:"why,omitempty" doc:"It was turned down."`
	Piece   int64           `json:"piece,omitempty" doc:"What was made of it."`
	Version int             `json:"version" doc:"Grows with whatever is said about it."`
	At      time.Time       `json:"at"`
	Answers []RequestAnswer `json:"answers"`
}

// RequestAnswer is an answer in a request.
type RequestAnswer struct {
	Question string `json:"question"`
	Answer   string `json:"answer"`
}

// Form is how something is asked of a desk.
type Form struct {
	ID        int64          `json:"id"`
	Name      string         `json:"name"`
	Key       string         `json:"key" doc:"The last part of its address."`
	Open      bool           `json:"open" doc:"It takes requests."`
	Questions []FormQuestion `json:"questions"`
}

// FormQuestion is a question of a form.
type FormQuestion struct {
	Question string   `json:"question"`
	Kind     string   `json:"kind"`
	Needed   bool     `json:"needed,omitempty"`
	Choices  []string `json:"choices,omitempty"`
}

// NewRequest is something to be asked for by a form.
type NewRequest struct {
	Name    string            `json:"name,omitempty" maxLength:"200" doc:"Who asks; you, if left out."`
	Mail    string            `json:"mail,omitempty" maxLength:"200" doc:"Where the answer goes; to you, if left out."`
	Title   string            `json:"title" minLength:"1" maxLength:"300"`
	Wanted  string            `json:"wanted,omitempty" doc:"A day like 2026-12-03; without one whenever."`
	Answers map[string]string `json:"answers,omitempty" doc:"By the question as the form asks it; yes or no to what is answered so."`
}

// TakeRequest is how a request is taken.
type TakeRequest struct {
	Title    string `json:"title,omitempty" maxLength:"300" doc:"Of the piece; that of the request, if left out."`
	Format   int64  `json:"format,omitempty" minimum:"0" doc:"That which its form brings, if left out."`
	GoesOut  string `json:"goes_out,omitempty" doc:"A time as RFC 3339 has it; without one it has no day yet."`
	Writer   int64  `json:"writer,omitempty" minimum:"0"`
	Owner    int64  `json:"owner,omitempty" minimum:"0" doc:"You, if left out."`
	Priority string `json:"priority,omitempty" enum:"first,high,usual,can wait"`
	Word     string `json:"word,omitempty" maxLength:"2000" doc:"To whoever asked."`
	Keep     bool   `json:"keep,omitempty" doc:"The piece does not begin yet."`
}

func requestShown(r *store.Request) Request {
	x := Request{ID: int64(r.ID), Form: int64(r.FormID), Title: r.Title, Name: r.Name, Mail: r.Mail, Wanted: r.Wanted.String(), State: r.State, Why: r.Why, Piece: int64(r.PieceID), Version: r.Version, At: *timeOf(max(r.At, 1)), Answers: []RequestAnswer{}}
	for _, y := range r.Said {
		x.Answers = append(x.Answers, RequestAnswer{y.Name, y.Value})
	}
	return x
}

type (
	OneRequest struct {
		ID int64 `path:"id" minimum:"1"`
	}
	requestOut struct {
		ETag string `header:"ETag"`
		Body Request
	}
)

func (s *Section) request(ctx context.Context, k programs.Key, id int64) (*requestOut, error) {
	t, err := s.Intake.Triage(ctx, k.Person.ID, ref.Request(id))
	if err != nil {
		return nil, err
	}
	return &requestOut{fmt.Sprintf(`"%d"`, t.Version), requestShown(&t.Request)}, nil
}

func (s *Section) requests(a huma.API) {
	type listIn struct {
		Desk  int64  `query:"desk" doc:"One of yours; without it the first."`
		State string `query:"state" maxLength:"20" doc:"Without it all, the newest first; otherwise those that wait longest first."`
	}
	type requestsOut struct {
		Body struct {
			Requests []Request `json:"requests" doc:"At most two hundred."`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/requests", id: "listRequests", says: "What others asked for by a form", area: scope.Ideas, right: scope.Read, tag: "Requests"},
		func(ctx context.Context, k programs.Key, in *listIn) (*requestsOut, error) {
			d, err := deskOf(k, in.Desk)
			if err != nil {
				return nil, err
			}
			l, err := s.Intake.Requests(ctx, k.Person.ID, d, in.State)
			if err != nil {
				return nil, err
			}
			out := &requestsOut{}
			out.Body.Requests = []Request{}
			for i := range l.Rows {
				out.Body.Requests = append(out.Body.Requests, requestShown(&l.Rows[i]))
			}
			return out, nil
		})
	add(s, a, ask{method: http.MethodGet, path: "/requests/{id}", id: "getRequest", says: "A request", area: scope.Ideas, right: scope.Read, tag: "Requests"},
		func(ctx context.Context, k programs.Key, in *OneRequest) (*requestOut, error) {
			return s.request(ctx, k, in.ID)
		})
	s.forms(a)
	s.decides(a)
}

// forms are the operations by which something is asked for.
func (s *Section) forms(a huma.API) {
	type formsIn struct {
		Desk int64 `query:"desk" doc:"One of yours; without it the first."`
	}
	type formsOut struct {
		Body struct {
			Forms []Form `json:"forms"`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/forms", id: "listForms", says: "The forms by which a desk is asked for something", area: scope.Ideas, right: scope.Read, tag: "Requests"},
		func(ctx context.Context, k programs.Key, in *formsIn) (*formsOut, error) {
			d, err := deskOf(k, in.Desk)
			if err != nil {
				return nil, err
			}
			all, err := s.Intake.Forms(ctx, k.Person.ID, d)
			if err != nil {
				return nil, err
			}
			out := &formsOut{}
			out.Body.Forms = []Form{}
			for _, f := range all {
				x := Form{ID: int64(f.ID), Name: f.Name, Key: f.Slug, Open: f.Open, Questions: []FormQuestion{}}
				for _, q := range f.Fields {
					y := FormQuestion{Question: q.Name, Kind: string(q.Kind), Needed: q.Must}
					for _, o := range q.Options {
						y.Choices = append(y.Choices, o.Name)
					}
					x.Questions = append(x.Questions, y)
				}
				out.Body.Forms = append(out.Body.Forms, x)
			}
			return out, nil
		})
	type requestIn struct {
		Key  string `path:"key" maxLength:"80" doc:"Of the form."`
		Body NewRequest
	}
	type requestMade struct {
		Body struct {
			Follow string `json:"follow" doc:"The address at which whoever asked follows it; it is secret."`
		}
	}
	add(s, a, ask{method: http.MethodPost, path: "/forms/{key}/requests", id: "makeRequest", says: "Asks for something by a form, without files", area: scope.Ideas, right: scope.Write, made: true, tag: "Requests"},
		func(ctx context.Context, k programs.Key, in *requestIn) (*requestMade, error) {
			f, err := s.Intake.Form(ctx, k.Person.ID, in.Key)
			if err != nil {
				return nil, err
			}
			if !slices.Contains(k.Person.Desks, f.DeskID) {
				return nil, newsroom.ErrNotFound
			}
			asked, err := s.asked(ctx, k, f, &in.Body)
			if err != nil {
				return nil, err
			}
			token, err := s.Intake.Ask(ctx, k.Person.ID, f, asked, nil)
			if err != nil {
				return nil, err
			}
			out := &requestMade{}
			out.Body.Follow = s.Base + "/asked/" + token
			return out, nil
		})
}

// asked reads a request as its form does.
func (s *Section) asked(ctx context.Context, k programs.Key, f request.Form, n *NewRequest) (request.Asked, error) {
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return request.Asked{}, err
	}
	typed := map[string]string{"who": n.Name, "mail": n.Mail, "title": n.Title, "wanted": n.Wanted}
	if n.Name == "" && n.Mail == "" {
		typed["who"], typed["mail"] = k.Person.Name, k.Person.Mail
	}
	for question, answer := range n.Answers {
		i := slices.IndexFunc(f.Fields, func(x request.Field) bool { return strings.EqualFold(x.Name, question) })
		if i < 0 {
			return request.Asked{}, newsroom.Invalid("answers", "The form does not ask “%s”.", question)
		}
		if f.Fields[i].Kind == request.Files {
			return request.Asked{}, newsroom.Invalid("answers", "“%s” asks for files, which are sent on the page of the form.", question)
		}
		typed[fmt.Sprintf("f%d", i)] = answer
	}
	return f.Read(func(field string) string { return typed[field] }, nil, s.Newsroom.Now().Date(b.Zones[f.DeskID]))
}

// decides are the operations that decide on requests.
func (s *Section) decides(a huma.API) {
	type takeIn struct {
		OneRequest
		Changes
		Body TakeRequest
	}
	add(s, a, ask{method: http.MethodPost, path: "/requests/{id}/take", id: "takeRequest", says: "Makes a piece of a request; whoever asked is told", area: scope.Ideas, right: scope.Write, tag: "Requests"},
		func(ctx context.Context, k programs.Key, in *takeIn) (*requestOut, error) {
			version, err := versionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			x, err := s.Intake.Triage(ctx, k.Person.ID, ref.Request(in.ID))
			if err != nil {
				return nil, err
			}
			t := intake.Take{Title: in.Body.Title, Format: ref.Format(in.Body.Format), Writer: ref.Person(in.Body.Writer), Owner: ref.Person(in.Body.Owner), Word: in.Body.Word, Park: in.Body.Keep}
			if t.Format == 0 {
				t.Format = x.Format
			}
			if t.Owner == 0 {
				t.Owner = k.Person.ID
			}
			if t.GoesOut, err = momentOf("goes_out", in.Body.GoesOut); err != nil {
				return nil, err
			}
			if in.Body.Priority != "" {
				p, err := priorityOf(in.Body.Priority)
				if err != nil {
					return nil, err
				}
				t.Priority = &p
			}
			if _, err := s.Intake.TakeRequest(ctx, k.Person.ID, x.ID, version, t); err != nil {
				return nil, err
			}
			return s.request(ctx, k, in.ID)
		})
	type requestSay struct {
		OneRequest
		Changes
		Body struct {
			Text string `json:"text" minLength:"1" maxLength:"2000" doc:"Whoever asked reads it."`
		}
	}
	for _, x := range []struct {
		path, id, says string
		do             func(ctx context.Context, by ref.Person, id ref.Request, version int, text string) error
	}{
		{"/requests/{id}/ask-back", "askBack", "Asks whoever asked something; the request waits for the answer", func(ctx context.Context, by ref.Person, id ref.Request, version int, text string) error {
			return s.Intake.AskBack(ctx, by, id, version, text)
		}},
		{"/requests/{id}/turn-down", "turnDownRequest", "Says no to a request, with the reason", func(ctx context.Context, by ref.Person, id ref.Request, version int, text string) error {
			return s.Intake.TurnDown(ctx, by, id, version, text)
		}},
	} {
		add(s, a, ask{method: http.MethodPost, path: x.path, id: x.id, says: x.says, area: scope.Ideas, right: scope.Write, tag: "Requests"},
			func(ctx context.Context, k programs.Key, in *requestSay) (*requestOut, error) {
				version, err := versionOf(in.IfMatch)
				if err != nil {
					return nil, err
				}
				if err := x.do(ctx, k.Person.ID, ref.Request(in.ID), version, in.Body.Text); err != nil {
					return nil, err
				}
				return s.request(ctx, k, in.ID)
			})
	}
}
