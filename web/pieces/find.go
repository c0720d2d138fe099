package pieces

import (
	"fmt"
	"html/template"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
	copypage "greenbaton/web/copy"
	"greenbaton/web/kit"
)

type findView struct {
	Text    string
	Pieces  []foundView
	People  []store.Person
	Lead    bool
	Empty   string
	Queries []copypage.QueryView // open and settled ones with these words
}

type foundView struct {
	ID      ref.Piece
	Title   string
	Says    string
	By      string
	Snippet template.HTML
}

// foundOnPage and foundAsTyped are how many pieces are shown on the page of what was
// found, and below the field as one types.
const foundOnPage, foundAsTyped = 60, 8

// find looks for pieces and people, on a page of its own or as one types.
func (s *Section) find(c *echo.Context) error {
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
	f, err := s.Intake.Find(ctx, kit.Me(c).ID, text, most)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := findView{Text: text, People: f.People, Lead: kit.Me(c).Access.May(relay.SetUpDesk)}
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
		return s.Render(c, http.StatusOK, "find", "found", v)
	}
	return s.Show(c, http.StatusOK, "find", "Find", v)
}

// mostQueriesFound is how many queries of each kind are found.
const mostQueriesFound = 4

// findQueries looks for queries, open ones first.
func (s *Section) findQueries(c *echo.Context, b *newsroom.Setup, text string) ([]copypage.QueryView, error) {
	var out []copypage.QueryView
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	for _, which := range []string{copyroom.QueriesAll, copyroom.QueriesDone} {
		list, err := s.Copyroom.Queries(c.Request().Context(), kit.Me(c).ID, which, text, mostQueriesFound)
		if err != nil {
			return nil, err
		}
		for _, q := range list.Queries {
			row := list.Rows[q.PieceID]
			x := copypage.NewQueryView(b, q, row.DeskID, "")
			x.Piece = &row
			out = append(out, x)
		}
	}
	return out, nil
}

var foundBy = map[string]string{"near": "a title like it", "tag": "by its tag", "number": "by its number", "copy": "in the copy"}

func newFound(b *newsroom.Setup, x intake.FoundPiece) foundView {
	v := foundView{ID: x.ID, Title: x.Title, By: foundBy[x.By]}
	v.Says = fmt.Sprintf("No. %d · %s · %s", x.Number, b.Format(x.FormatID).Name, english.LowerFirst(newsroom.SayPace(x.Standing)))
	if x.GoesOut != 0 {
		v.Says += " · " + x.GoesOut.In(b.Zones[x.DeskID]).Format("Mon 2 Jan 2006")
	}
	if x.Snippet != "" {
		v.Snippet = kit.Marked(x.Snippet)
	}
	return v
}
