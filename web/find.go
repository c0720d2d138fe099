package web

import (
	"fmt"
	"html"
	"html/template"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
)

type findView struct {
	Text    string
	Pieces  []foundView
	People  []store.Person
	Lead    bool
	Empty   string
	Queries []queryView // open and settled ones with these words
}

type foundView struct {
	ID      int64
	Title   string
	Says    string
	By      string
	Snippet template.HTML
}

// foundOnPage and foundAsTyped are how many pieces are shown on the page of what was
// found, and below the field as one types.
const foundOnPage, foundAsTyped = 60, 8

// find looks for pieces and people, on a page of its own or as one types.
func (s *Server) find(c *echo.Context) error {
	ctx := c.Request().Context()
	text := c.QueryParam("q")
	if len([]rune(text)) > 200 {
		text = string([]rune(text)[:200])
	}
	part := c.Request().Header.Get("X-Part") != ""
	most := foundOnPage
	if part {
		most = foundAsTyped
	}
	f, err := s.Newsroom.Intake.Find(ctx, me(c).ID, text, most)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := findView{Text: text, People: f.People, Lead: me(c).Access.May(relay.SetUpDesk)}
	for _, x := range f.Pieces {
		v.Pieces = append(v.Pieces, newFound(b, x))
	}
	if v.Queries, err = s.findQueries(c, b, text); err != nil {
		return err
	}
	switch {
	case strings.TrimSpace(text) == "":
		v.Empty = "Type a word of a title or of a copy, a number, a tag, or somebody’s name. Old pieces are found too."
	case len(v.Pieces)+len(v.People)+len(v.Queries) == 0:
		v.Empty = fmt.Sprintf("Nothing has “%s” in its title, tags or copy. Try fewer letters.", text)
	}
	if part {
		return s.render(c, http.StatusOK, "find", "found", v)
	}
	return s.show(c, http.StatusOK, "find", "Find", v)
}

// mostQueriesFound is how many queries of each kind are found.
const mostQueriesFound = 4

// findQueries looks for queries, open ones first.
func (s *Server) findQueries(c *echo.Context, b *newsroom.Setup, text string) ([]queryView, error) {
	var out []queryView
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	for _, which := range []string{copyroom.QueriesAll, copyroom.QueriesDone} {
		list, err := s.Newsroom.Copyroom.Queries(c.Request().Context(), me(c).ID, which, text, mostQueriesFound)
		if err != nil {
			return nil, err
		}
		for _, q := range list.Queries {
			row := list.Rows[q.PieceID]
			x := newQueryView(b, q, row.DeskID, "")
			x.Piece = &row
			out = append(out, x)
		}
	}
	return out, nil
}

var foundBy = map[string]string{"near": "a title like it", "tag": "by its tag", "number": "by its number", "copy": "in the copy"}

func newFound(b *newsroom.Setup, x intake.FoundPiece) foundView {
	v := foundView{ID: x.ID, Title: x.Title, By: foundBy[x.By]}
	v.Says = fmt.Sprintf("No. %d · %s · %s", x.Number, b.Format(x.FormatID).Name, newsroom.LowerFirst(newsroom.SayPace(x.Standing)))
	if x.GoesOut != 0 {
		v.Says += " · " + x.GoesOut.In(b.Zones[x.DeskID]).Format("Mon 2 Jan 2006")
	}
	if x.Snippet != "" {
		v.Snippet = marked(x.Snippet)
	}
	return v
}

// marked writes a snippet with what matched marked.
func marked(snippet string) template.HTML {
	s := html.EscapeString(strings.Join(strings.Fields(snippet), " "))
	return template.HTML(strings.NewReplacer(intake.Mark, "<mark>", intake.Unmark, "</mark>").Replace(s))
}
