package api

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/programs"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// inOneGo is how many entries of the logbook are sent before it is looked whether whoever listens may still.
const inOneGo = 500

// stream is what is done, as it is done: by the way of the HTML standard (server-sent events), each with
// its number, from which one goes on.
func (s *Section) stream(a huma.API) {
	type in struct {
		Desk    int64  `query:"desk" doc:"One of yours; without it the first."`
		Last    string `header:"Last-Event-ID" maxLength:"40" doc:"The last that was heard; what was done since comes first."`
		After   int64  `query:"after" minimum:"0" doc:"The same, for who cannot send it as a header; without both it begins now."`
		Seconds int    `query:"seconds" minimum:"1" maximum:"86400" default:"86400" doc:"After how many it ends by itself."`
	}
	add(s, a, ask{method: http.MethodGet, path: "/events", id: "hearEvents", says: "What is done, as it is done, for as long as one listens", area: scope.Logbook, right: scope.Read, tag: "Logbook", streams: "text/event-stream"},
		func(ctx context.Context, k programs.Key, in *in) (*huma.StreamResponse, error) {
			d, err := deskOf(k, in.Desk)
			if err != nil {
				return nil, err
			}
			after := in.After
			if in.Last != "" {
				if _, err := fmt.Sscan(in.Last, &after); err != nil || after < 0 {
					return nil, newsroom.Invalid("Last-Event-ID", "That is no number of an event. Give the last that was heard.")
				}
			}
			mark := s.Events.Mark() // of before it is looked what was done
			if in.Last == "" && in.After == 0 {
				newest, _, err := s.Logbook.OfDesk(ctx, k.Person.ID, store.LogSieve{Desk: d, Limit: 1})
				if err != nil {
					return nil, err
				}
				for _, e := range newest {
					after = e.Seq
				}
			}
			all, err := s.heard(ctx, k, d, after)
			if err != nil {
				return nil, err
			}
			return &huma.StreamResponse{Body: func(c huma.Context) {
				c.SetHeader("Content-Type", "text/event-stream")
				c.SetHeader("X-Accel-Buffering", "no")
				until, stop := context.WithTimeout(c.Context(), time.Duration(in.Seconds)*time.Second)
				defer stop()
				s.tell(until, c, told{k, d, mark, after, all})
			}}, nil
		})
}

// heard gives what was done on a desk after an entry, as far as somebody sees it.
func (s *Section) heard(ctx context.Context, k programs.Key, d ref.Desk, after int64) ([]store.Entry, error) {
	all, _, err := s.Logbook.OfDesk(ctx, k.Person.ID, store.LogSieve{Desk: d, Behind: after, Oldest: true, Limit: inOneGo})
	return all, err
}

// told is what somebody hears of a desk: from a mark of the news on, and first what was done before it.
type told struct {
	key   programs.Key
	desk  ref.Desk
	mark  string
	after int64 // the last entry that was heard
	all   []store.Entry
}

// tell sends entries, and what comes after them, until the context ends or the token opens nothing more.
func (s *Section) tell(ctx context.Context, c huma.Context, t told) {
	w := c.BodyWriter()
	flush := func() bool { return true }
	if rw, ok := w.(http.ResponseWriter); ok {
		out := http.NewResponseController(rw)
		_ = out.SetWriteDeadline(time.Time{}) // where none was set there is none to lift
		flush = func() bool { return out.Flush() == nil }
	}
	still := func() bool { return s.Programs.Opens(context.WithoutCancel(ctx), t.key) }
	ctx, done := s.Lines.Open(ctx, still)
	defer done()
	for say := "retry: 3000\n\n"; ; say = ": \n\n" { // that it lives
		for _, e := range t.all {
			b, err := json.Marshal(entryOf(&e))
			if err != nil {
				s.Log.Error("tell a program", "problem", err)
				return
			}
			say += fmt.Sprintf("id: %d\nevent: entry\ndata: %s\n\n", e.Seq, b)
			t.after = e.Seq
		}
		if _, err := io.WriteString(w, say); err != nil || !flush() {
			return
		}
		if len(t.all) < inOneGo {
			waiting, stop := context.WithTimeout(ctx, kit.Breath)
			_, next, _, err := s.Events.After(waiting, t.mark)
			stop()
			if ctx.Err() != nil || err != nil && waiting.Err() == nil {
				return
			}
			t.mark = next
		}
		var err error
		if !still() {
			return
		}
		if t.all, err = s.heard(ctx, t.key, t.desk, t.after); err != nil {
			return // whoever listens comes back, and is told why not
		}
	}
}
