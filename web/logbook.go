package web

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/desk"
	"greenbaton/store"
)

type logView struct {
	Title string
	Piece int64
	Lines []logLine
	Older string
}

type logLine struct {
	Seq     int64
	When    string
	Who     string
	What    string
	Why     string
	Changes []change
	Piece   int64
	Title   string // of the piece, where the lines are of several
}

type change struct{ Before, After string }

func logLines(b *desk.Books, es []store.Entry) []logLine {
	var out []logLine
	for _, e := range es {
		who := "Green Baton"
		if e.Actor != 0 {
			who = b.Person(e.Actor).Name
		}
		out = append(out, logLine{e.Seq, b.At(e.At, e.DeskID), who, e.What, e.Why, changes(e), e.PieceID, ""})
	}
	return out
}

// changes pairs the lines of what was before with those of what is after.
func changes(e store.Entry) []change {
	before, after := strings.Split(e.Before, "\n"), strings.Split(e.After, "\n")
	var out []change
	for i := range max(len(before), len(after)) {
		var x change
		if i < len(before) {
			x.Before = before[i]
		}
		if i < len(after) {
			x.After = after[i]
		}
		if x != (change{}) {
			out = append(out, x)
		}
	}
	return out
}

func (s *Server) pieceLog(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	es, err := s.House.PieceLog(ctx, me(c).ID, id, int64At(c.QueryParams(), "below"), perPage)
	if err != nil {
		return err
	}
	sheet, err := s.House.Sheet(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	return s.showLog(c, logView{Title: sheet.Row.Title, Piece: id}, es, nil, fmt.Sprintf("/pieces/%d/logbook", id))
}

func (s *Server) deskLog(c *echo.Context) error {
	p := me(c)
	if len(p.Desks) == 0 {
		return desk.ErrNotFound
	}
	es, titles, err := s.House.DeskLog(c.Request().Context(), p.ID, here(c), int64At(c.QueryParams(), "below"), perPage)
	if err != nil {
		return err
	}
	return s.showLog(c, logView{Title: "Logbook"}, es, titles, "/logbook")
}

func (s *Server) showLog(c *echo.Context, v logView, es []store.Entry, titles map[int64]string, address string) error {
	b, err := s.House.Books(c.Request().Context())
	if err != nil {
		return err
	}
	v.Lines = logLines(b, es)
	for i := range v.Lines {
		v.Lines[i].Title = titles[v.Lines[i].Piece]
	}
	if len(es) == perPage {
		v.Older = fmt.Sprintf("%s?below=%d", address, es[len(es)-1].Seq)
	}
	return s.show(c, http.StatusOK, "logbook", "Logbook", v)
}
