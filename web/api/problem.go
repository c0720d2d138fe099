package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// Problem is what went wrong, as RFC 9457 has it.
type Problem struct {
	Type   string              `json:"type" doc:"about:blank: the status says what kind of problem it is."`
	Title  string              `json:"title" doc:"What the status means."`
	Status int                 `json:"status" doc:"The status of the answer."`
	Detail string              `json:"detail,omitempty" doc:"What was wrong, and what to do."`
	Field  string              `json:"field,omitempty" doc:"The field that it is about."`
	Since  []string            `json:"since,omitempty" doc:"What is still to do, or what changed meanwhile, a sentence each."`
	Errors []*huma.ErrorDetail `json:"errors,omitempty" doc:"What is wrong with what was sent, one by one."`
}

// Error gives what was wrong.
func (p *Problem) Error() string { return p.Detail }

// GetStatus gives the status of the answer.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType gives the type of a problem instead of that of an answer.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

func newProblem(status int, detail string) *Problem {
	return &Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: detail}
}

func init() {
	huma.DefaultArrayNullable = false
	huma.NewError = func(status int, detail string, errs ...error) huma.StatusError {
		p := newProblem(status, detail)
		for _, err := range errs {
			var d huma.ErrorDetailer
			if errors.As(err, &d) {
				p.Errors = append(p.Errors, d.ErrorDetail())
			} else if err != nil {
				p.Errors = append(p.Errors, &huma.ErrorDetail{Message: err.Error()})
			}
		}
		return p
	}
}

// problem gives the problem that an error is. One that nobody foresaw is logged, and not shown.
func (s *Section) problem(ctx context.Context, err error) error {
	var known huma.StatusError
	if errors.As(err, &known) {
		return err
	}
	var refusal *relay.Refusal
	switch {
	case errors.Is(err, newsroom.ErrNotFound), errors.Is(err, store.ErrNone):
		return newProblem(http.StatusNotFound, "There is nothing here, or it is not yours to see.")
	case errors.Is(err, newsroom.ErrToken), errors.Is(err, newsroom.ErrEnded):
		return newProblem(http.StatusUnauthorized, newsroom.ErrToken.Error())
	case errors.As(err, &refusal):
		p := newProblem(kit.StatusOf(refusal), refusal.Text)
		if errors.Is(refusal.Reason, relay.ErrChanged) && matched(ctx) {
			p = newProblem(http.StatusPreconditionFailed, refusal.Text)
		}
		p.Field, p.Since = refusal.Field, refusal.Unmet
		return p
	}
	s.Log.Error("failed", "operation", ctx.Value(operation{}), "problem", err)
	if newsroom.ReceiptOf(ctx).Stored() {
		return newProblem(http.StatusInternalServerError, "It is stored, but could not be answered. Do not ask for it again; look at what there is.")
	}
	return newProblem(http.StatusInternalServerError, "Something went wrong here. Nothing was changed. Ask again; if it happens again, tell whoever runs Green Baton.")
}

// write answers with a problem outside an operation.
func (p *Problem) write(w http.ResponseWriter) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(p.Status)
	if err := json.NewEncoder(w).Encode(p); err != nil {
		return // whoever asked is gone
	}
}
