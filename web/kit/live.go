package kit

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Event is what a page is told: the pieces that changed, or everything, or that
// somebody has taken one up.
type Event struct {
	Kind   newsroom.EventKind `json:"kind"`
	Pieces []ref.Piece        `json:"pieces,omitempty"` // none: look at everything again
	Who    string             `json:"who,omitempty"`    // who holds it; for staff
	Own    bool               `json:"own,omitempty"`    // it was the one who listens
}

// Breath is after how many seconds without news the connection shows that it lives.
const Breath = 20 * time.Second

// live sends a page what happens in the house, from the mark it was made at, or the
// one it heard last before the connection broke. It names pieces only; what is in
// them the page asks for like any other.
func (s *Server) live(c *echo.Context) error {
	ctx := c.Request().Context()
	mark := c.Request().Header.Get("Last-Event-ID")
	if mark == "" {
		mark = c.QueryParam("after")
	}
	who := Me(c)
	w := c.Response()
	h := w.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("X-Accel-Buffering", "no")
	out := http.NewResponseController(w)
	if err := out.SetWriteDeadline(time.Time{}); err != nil && s.Log != nil {
		s.Log.Debug("no deadline to set", "problem", err)
	}
	w.WriteHeader(http.StatusOK)
	if _, err := io.WriteString(w, "retry: 1500\n\n"); err != nil {
		return nil
	}
	if err := out.Flush(); err != nil {
		return nil // gone already
	}
	still := s.Newsroom.Still(s.Visitor(ctx))
	ctx, done := s.Lines.Open(ctx, still)
	defer done()
	for {
		waiting, stop := context.WithTimeout(ctx, Breath)
		news, next, gap, err := s.Events.After(waiting, mark)
		stop()
		if ctx.Err() != nil || err != nil && waiting.Err() == nil || !still() {
			return nil // signed out; the page learns it when it asks
		}
		b, bookErr := s.Newsroom.Setup(ctx)
		if bookErr != nil {
			return nil
		}
		if err := sendNews(w, s.Events.MarkOf, b, who, news, next, gap); err != nil || out.Flush() != nil {
			return nil
		}
		mark = next
	}
}

// sendNews writes what of the news concerns somebody, each with the mark behind it, so that
// a connection that breaks in the middle goes on where it broke.
func sendNews(w io.Writer, mark func(newsroom.Event) string, b *newsroom.Setup, who store.Person, news []newsroom.Event, next string, gap bool) error {
	if gap {
		return sendEvent(w, next, Event{Kind: newsroom.Changed})
	}
	sent := false
	for _, n := range news {
		if len(n.Desks) > 0 && !slices.ContainsFunc(n.Desks, func(d ref.Desk) bool { return slices.Contains(who.Desks, d) }) {
			continue
		}
		e := Event{Kind: n.Kind, Pieces: n.Pieces, Own: n.By == who.ID}
		if n.Kind != newsroom.Changed && n.Kind != newsroom.Written {
			if e.Own || !who.Access.May(relay.SeeAll) {
				continue
			}
			e.Who = b.Name(n.By)
		}
		if err := sendEvent(w, mark(n), e); err != nil {
			return err
		}
		sent = true
	}
	if sent {
		return nil
	}
	_, err := fmt.Fprintf(w, "id: %s\n: nothing new\n\n", next)
	return err
}

func sendEvent(w io.Writer, id string, e Event) error {
	text, err := json.Marshal(e)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(w, "id: %s\ndata: %s\n\n", id, text)
	return err
}
