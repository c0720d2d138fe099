package kit

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// ProgramsBelow is below which programs ask, who are answered with problems and never with pages.
const ProgramsBelow = "/api/v1/"

// failed answers what went wrong with a page that says what to do.
func (s *Server) failed(c *echo.Context, err error) {
	if resp, _ := echo.ResolveResponseStatus(c.Response(), nil); resp != nil && resp.Committed {
		return
	}
	v := unforeseen(c.Request().Context(), err)
	var refusal *relay.Refusal
	switch {
	case errors.Is(err, newsroom.ErrNotFound) || echo.StatusCode(err) == http.StatusNotFound || echo.StatusCode(err) == http.StatusMethodNotAllowed:
		v = errorView{Status: http.StatusNotFound, Title: "There is nothing here", Text: "The address is wrong, or what was here is not yours to see. Look for it in the list of pieces, or ask your lead."}
	case errors.As(err, &refusal):
		v = errorView{Status: StatusOf(refusal), Title: titleOf(refusal), Text: refusal.Text, Since: refusal.Unmet}
		if refusal.Field == "link" && refusal.Reason == relay.ErrNotYours {
			v.Title = "This link opens nothing now"
		}
	case echo.StatusCode(err) == http.StatusRequestEntityTooLarge:
		v = errorView{Status: http.StatusRequestEntityTooLarge, Title: "This is too large", Text: "It was not taken. A file may have up to 10 MB, and a copy up to 2 MB of text. Make it smaller, or split it in two."}
	case echo.StatusCode(err) >= 400 && echo.StatusCode(err) < 500:
		v = errorView{Status: echo.StatusCode(err), Title: "This was not understood", Text: "Go back, look at what was sent, and try again."}
	default:
		s.Log.Error("failed", "id", c.Request().Context().Value(requestID), "route", c.Path(), "problem", err)
	}
	v.Outside = c.Param("token") != "" || Me(c).ID == 0
	v.Request, _ = c.Request().Context().Value(requestID).(string)
	if strings.HasPrefix(c.Request().URL.Path, ProgramsBelow) { // RFC 9457
		c.Response().Header().Set("Content-Type", "application/problem+json")
		err = c.JSON(v.Status, map[string]any{"type": "about:blank", "title": http.StatusText(v.Status), "status": v.Status, "detail": v.Text})
	} else if WantsJSON(c) {
		err = c.JSON(v.Status, map[string]any{"problem": v.Text, "since": v.Since})
	} else {
		err = s.Show(c, v.Status, "error", v.Title, v)
	}
	if err != nil {
		s.Log.Error("failed to say so on a page", "problem", err)
		if err := c.String(v.Status, v.Title+". "+v.Text); err != nil {
			s.Log.Error("failed to say so", "problem", err)
		}
	}
}

// unforeseen says what is known of an error that nobody foresaw: that the data cannot be
// reached, that what was asked is stored all the same, or that nothing was done.
func unforeseen(ctx context.Context, err error) errorView {
	trouble := store.TroubleOf(err)
	switch {
	case newsroom.ReceiptOf(ctx).Stored():
		v := errorView{Status: http.StatusInternalServerError, Title: "It is stored, but could not be shown", Text: "What you did was done and is stored; do not do it again. Only the answer failed. Open the page anew to see it."}
		if trouble != "" {
			v.Text += " " + string(trouble)
		}
		return v
	case trouble != "":
		return errorView{Status: http.StatusServiceUnavailable, Title: "The data cannot be reached", Text: string(trouble) + " What was stored before is not lost."}
	}
	return errorView{Status: http.StatusInternalServerError, Title: "Something went wrong here", Text: "It is not your doing, and nothing was changed. Try again; if it happens again, tell whoever runs Green Baton the number below."}
}

type errorView struct {
	Status  int
	Title   string
	Text    string
	Since   []string
	Request string
	Outside bool // whoever comes has no account here, or did not come by it
}

// StatusOf gives the status of HTTP with which a refusal is answered.
func StatusOf(r *relay.Refusal) int {
	if errors.Is(r, newsroom.ErrEnded) {
		return http.StatusUnauthorized
	}
	switch r.Reason {
	case relay.ErrNotYours:
		return http.StatusForbidden
	case relay.ErrChanged, relay.ErrNotNow:
		return http.StatusConflict
	case relay.ErrMachine:
		return http.StatusServiceUnavailable
	}
	return http.StatusUnprocessableEntity
}

func titleOf(r *relay.Refusal) string {
	switch r.Reason {
	case relay.ErrNotYours:
		return "This is not yours to do"
	case relay.ErrChanged:
		return "The piece has changed meanwhile"
	case relay.ErrNotNow:
		return "This cannot be done now"
	case relay.ErrUnmet:
		return "Something is still to do"
	case relay.ErrMachine:
		return "It cannot be stored just now"
	}
	return "Something in the form needs another look"
}

// WantsJSON reports whether a script asks, which reads an answer rather than a page.
func WantsJSON(c *echo.Context) bool { return c.Request().Header.Get("Accept") == "application/json" }
