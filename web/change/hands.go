package change

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// stands says how a piece would stand on each day of a span, while a hand holds it.
func (s *Section) stands(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	var span planning.Span
	if span.From, err = day.ParseDate(c.QueryParam("from")); err != nil {
		return kit.Input("from", "Write the first day like 2026-12-03.")
	}
	if span.To, err = day.ParseDate(c.QueryParam("to")); err != nil {
		return kit.Input("to", "Write the last day like 2026-12-03.")
	}
	stands, err := s.Planning.Stands(c.Request().Context(), kit.Me(c).ID, id, span, kit.Int[ref.Sketch](c.QueryParams(), "sketch"))
	if err != nil {
		return err
	}
	out := map[string]kit.SentenceOf{}
	for d, x := range stands {
		out[d.String()] = sayStand(x)
	}
	return c.JSON(http.StatusOK, map[string]any{"days": out})
}

func sayStand(x plan.Stand) kit.SentenceOf {
	standing := store.Standing{Pace: x.Pace, InHand: x.InHand}
	return kit.SentenceOf{Says: english.LowerFirst(newsroom.SayPace(standing)), Tone: kit.Tone(standing)}
}

// slot shows what can be done with an open slot: fill it, or close the gap.
func (s *Section) slot(c *echo.Context) error {
	ctx := c.Request().Context()
	id, err := kit.ID[ref.Channel](c)
	if err != nil {
		return err
	}
	b, board, err := s.Kernel.Board(ctx)
	if err != nil {
		return err
	}
	if sketch := kit.Int[ref.Sketch](c.QueryParams(), "sketch"); sketch != 0 {
		x, err := s.Planning.SketchFor(ctx, kit.Me(c).ID, sketch)
		if err != nil {
			return err
		}
		board = x.After
	}
	ch, at := b.Channel(id), kit.Int[day.Moment](c.QueryParams(), "at")
	if ch.ID == 0 || !slices.Contains(kit.Me(c).Desks, ch.DeskID) || at == 0 || !kit.Me(c).Access.May(relay.SeeAll) {
		return newsroom.ErrNotFound
	}
	v := slotDoView{Channel: ch.Name, ID: ch.ID, At: int64(at), Says: b.At(at, ch.DeskID)}
	for _, c := range board.Close(ch.ID, at, plan.Closing{Ready: true}) {
		p := board.Piece(c.Piece)
		v.Behind = append(v.Behind, kit.Choice{Key: kit.Str(p.ID), Name: fmt.Sprintf("“%s”, %s", p.Title, b.At(p.GoesOut, p.DeskID))})
		v.Ready += kit.Bit(p.Ready())
	}
	v.Moves = len(board.Close(ch.ID, at, plan.Closing{}))
	when := at.In(b.Zones[ch.DeskID])
	v.Fill = fmt.Sprintf("/pieces/new?channel=%d&date=%s&time=%s", ch.ID, when.Format("2006-01-02"), url.QueryEscape(when.Format("15:04")))
	return s.ShowPart(c, "slotdo", "Open slot", v)
}

type slotDoView struct {
	Channel, Says, Fill string
	ID                  ref.Channel
	At                  int64
	Moves               int          // pieces that move when the gap is closed up to the next open slot
	Ready               int          // of those behind it, that are ready and stay
	Behind              []kit.Choice // the pieces behind it, up to the next open slot
}
