package ideas

import (
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/intake"
	"greenbaton/web/kit"
)

type catchView struct {
	Mine    []ideaRow // what the one who looks caught last
	Form    url.Values
	Problem string
	Field   string
	Sources []struct {
		Source idea.Source
		Name   string
	}
}

// lately is how many of one's own ideas the page to catch them shows.
const lately = 12

// catchPage is where ideas are caught, also on a phone without a connection.
func (s *Section) catchPage(c *echo.Context) error {
	return s.showCatch(c, http.StatusOK, nil, url.Values{"title": {c.QueryParam("title")}})
}

func (s *Section) showCatch(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values) error {
	ctx := c.Request().Context()
	l, err := s.Intake.Ideas(ctx, kit.Me(c).ID, intake.IdeaFilter{Desk: kit.Here(c), By: kit.Me(c).ID, Order: "newest"})
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := catchView{Form: typed, Sources: idea.Sources}
	for _, r := range l.Rows[:min(lately, len(l.Rows))] {
		v.Mine = append(v.Mine, newIdeaRow(b, kit.Me(c), r, s.Newsroom.Now()))
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "catch", "Catch an idea", v)
}

// catch keeps an idea. A page that kept it while there was no connection says how many
// seconds ago that was, under which key it has it, for which desk, and whose it is.
func (s *Section) catch(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	if who := kit.Int[ref.Person](form, "who"); who != 0 && who != kit.Me(c).ID {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This idea was caught by somebody else on this device. It stays here until they sign in again."}
	}
	i, err := readIdea(form)
	if i.DeskID, i.Key = kit.Int[ref.Desk](form, "desk"), form.Get("key"); i.DeskID == 0 {
		i.DeskID = kit.Here(c)
	}
	var id ref.Idea
	fresh := false
	if err == nil {
		id, fresh, err = s.Intake.Catch(c.Request().Context(), kit.Me(c).ID, i, kit.Int[int64](form, "ago"))
	}
	if err == nil && kit.WantsJSON(c) {
		return c.JSON(http.StatusOK, map[string]any{"id": id, "fresh": fresh})
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && kit.WantsJSON(c) {
		return c.JSON(kit.StatusOf(refusal), map[string]any{"problem": refusal.Text, "field": refusal.Field})
	}
	return s.Answered(c, err, fmt.Sprintf("“%s” is caught.", english.Cut(i.Title, 80)), kit.Back(form, "/catch"), func(status int, r *relay.Refusal) error { return s.showCatch(c, status, r, form) })
}

// manifest lets a phone put the page that catches ideas on its home screen.
func (s *Section) manifest(c *echo.Context) error {
	icon := func(name, size, kind, purpose string) map[string]string {
		return map[string]string{"src": s.Asset(name), "sizes": size, "type": kind, "purpose": purpose}
	}
	c.Response().Header().Set("Content-Type", "application/manifest+json")
	return c.JSON(http.StatusOK, map[string]any{
		"id": "/catch", "name": "Green Baton: catch an idea", "short_name": "Catch", "start_url": "/catch", "scope": "/catch", "display": "standalone",
		"background_color": "#F7F5EE", "theme_color": "#1B6240",
		"icons": []map[string]string{icon("icon-192.png", "192x192", "image/png", "any"), icon("icon-512.png", "512x512", "image/png", "any maskable")},
	})
}

// worker serves the script that keeps the page to catch ideas at hand without a
// connection. It lies beside the page, since a browser lets it care for no other.
func (s *Section) worker(files fs.FS) echo.HandlerFunc {
	return func(c *echo.Context) error {
		b, err := fs.ReadFile(files, "worker.js")
		if err != nil {
			return err
		}
		c.Response().Header().Set("Service-Worker-Allowed", "/catch")
		c.Response().Header().Set("Cache-Control", "no-cache")
		return c.Blob(http.StatusOK, "text/javascript; charset=utf-8", b)
	}
}
