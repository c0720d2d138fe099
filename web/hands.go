package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// stands says how a piece would stand on each day of a span, while a hand holds it.
func (s *Server) stands(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	var span planning.Span
	if span.From, err = day.ParseDate(c.QueryParam("from")); err != nil {
		return input("from", "Write the first day like 2026-12-03.")
	}
	if span.To, err = day.ParseDate(c.QueryParam("to")); err != nil {
		return input("to", "Write the last day like 2026-12-03.")
	}
	stands, err := s.Newsroom.Planning.Stands(c.Request().Context(), me(c).ID, id, span)
	if err != nil {
		return err
	}
	out := map[string]sentenceOf{}
	for d, x := range stands {
		out[d.String()] = sayStand(x)
	}
	return c.JSON(http.StatusOK, map[string]any{"days": out})
}

type sentenceOf struct {
	Says string `json:"says"`
	Tone string `json:"tone"`
}

func sayStand(x plan.Stand) sentenceOf {
	standing := store.Standing{Pace: x.Pace, InHand: x.InHand}
	return sentenceOf{newsroom.LowerFirst(newsroom.SayPace(standing)), tone(standing)}
}

// done answers an act on a view: what was done, the number to take it back by, and the
// pieces it concerns.
func (s *Server) done(c *echo.Context, said string, pieces ...int64) error {
	u, err := s.Newsroom.LastUndo(c.Request().Context(), me(c).ID)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"said": said, "undo": u.ID, "pieces": pieces})
}

// piecesOf gives the pieces that changes are about.
func piecesOf(changes []plan.Change) []int64 {
	var out []int64
	for _, c := range changes {
		if c.Piece != 0 && !slices.Contains(out, c.Piece) {
			out = append(out, c.Piece)
		}
	}
	return out
}

// do shows all that can be done with a piece from a view, as forms: on a page of its
// own, or as a part of one.
func (s *Server) do(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	v, err := s.pieceFor(c, id)
	if err != nil {
		return err
	}
	return s.showPart(c, "do", "What can be done with "+v.Row.Title, v)
}

// showPart shows a page, or for a script that asks for it only the part of its name.
func (s *Server) showPart(c *echo.Context, page, title string, v any) error {
	if c.Request().Header.Get("X-Part") != "" {
		return s.render(c, http.StatusOK, page, page+"-part", v)
	}
	return s.show(c, http.StatusOK, page, title, v)
}

// slot shows what can be done with an open slot: fill it, or close the gap.
func (s *Server) slot(c *echo.Context) error {
	ctx := c.Request().Context()
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	b, board, err := s.Newsroom.Board(ctx)
	if err != nil {
		return err
	}
	ch, at := b.Channel(id), day.Moment(int64At(c.QueryParams(), "at"))
	if ch.ID == 0 || !slices.Contains(me(c).Desks, ch.DeskID) || at == 0 || !me(c).Access.May(relay.SeeAll) {
		return newsroom.ErrNotFound
	}
	v := slotDoView{Channel: ch.Name, ID: ch.ID, At: int64(at), Says: b.At(at, ch.DeskID), Moves: len(board.Row(ch.ID, at, false))}
	when := at.In(b.Zones[ch.DeskID])
	v.Fill = fmt.Sprintf("/pieces/new?channel=%d&date=%s&time=%s", ch.ID, when.Format("2006-01-02"), url.QueryEscape(when.Format("15:04")))
	return s.showPart(c, "slotdo", "Open slot", v)
}

type slotDoView struct {
	Channel, Says, Fill string
	ID, At              int64
	Moves               int
}
