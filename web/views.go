package web

import (
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// viewsView are the views of a page that are kept under a name, and the form to keep
// what is looked at now.
type viewsView struct {
	Page    string
	Query   string // what is chosen now
	Path    string
	List    []viewLink
	Now     *store.View // the one that is looked at
	Changed bool        // something is chosen otherwise than it was kept
	May     bool        // change it
	Lead    bool
	Staff   bool
}

type viewLink struct {
	store.View
	On bool
}

// newViews finds the views of a page for whoever looks at it.
func (s *Server) newViews(c *echo.Context, b *newsroom.Setup, at address) (viewsView, error) {
	who := me(c)
	v := viewsView{Page: at.path[1:], Path: at.path, Lead: who.Access.May(relay.LeadDesk), Staff: who.Access.May(relay.SeeAll)}
	q := url.Values{}
	for k, x := range at.q {
		if k != "view" && k != "page" && k != "from" && k != "unfold" {
			q[k] = x
		}
	}
	v.Query = q.Encode()
	all, err := s.Newsroom.Planning.Views(c.Request().Context(), who.ID, here(c))
	if err != nil {
		return v, err
	}
	for _, x := range all {
		if x.Page != v.Page {
			continue
		}
		on := x.ID == int64At(at.q, "view")
		if on {
			v.Now, v.Changed, v.May = &x, x.Query != v.Query, planning.MayChangeView(b, who.ID, x) == nil
		}
		v.List = append(v.List, viewLink{x, on})
	}
	return v, nil
}

// openView leads to a view by its address.
func (s *Server) openView(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	v, err := s.Newsroom.Planning.ViewFor(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	if v.DeskID != here(c) {
		s.sessions.Put(c.Request().Context(), "desk", v.DeskID)
	}
	q, err := url.ParseQuery(v.Query)
	if err != nil {
		return err
	}
	q.Set("view", str(v.ID))
	return c.Redirect(http.StatusSeeOther, "/"+v.Page+"?"+q.Encode())
}

// saveView keeps what is looked at under a name, changes a view, or removes it.
func (s *Server) saveView(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	v := store.View{DeskID: here(c), Owner: me(c).ID, Name: form.Get("name"), Page: form.Get("page"), Query: form.Get("query"), Locked: form.Get("locked") != ""}
	if form.Get("whose") == "desk" {
		v.Owner = 0
	}
	switch form.Get("do") {
	case "drop":
		if err := s.Newsroom.Planning.DropView(ctx, me(c).ID, int64At(form, "id")); err != nil {
			return err
		}
		s.say(c, "The view is removed.")
		return c.Redirect(http.StatusSeeOther, "/"+v.Page+"?"+v.Query)
	case "change":
		v.ID = int64At(form, "id")
	}
	id, err := s.Newsroom.Planning.SaveView(ctx, me(c).ID, v)
	if err != nil {
		return err
	}
	s.say(c, "“%s” is kept. Its address is %s/v/%d.", v.Name, s.Newsroom.Base, id)
	return c.Redirect(http.StatusSeeOther, "/v/"+str(id))
}
