package views

import (
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
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
	Out     kit.Export // its pieces as a file; none on a page that offers that by itself
}

type viewLink struct {
	store.View
	On bool
}

// newViews finds the views of a page for whoever looks at it.
func (s *Section) newViews(c *echo.Context, b *newsroom.Setup, at kit.Address) (viewsView, error) {
	who := kit.Me(c)
	v := viewsView{Page: at.Path[1:], Path: at.Path, Lead: who.Access.May(relay.LeadDesk), Staff: who.Access.May(relay.SeeAll)}
	q := url.Values{}
	for k, x := range at.Q {
		if k != "view" && k != "page" && k != "from" && k != "unfold" && k != "sketch" {
			q[k] = x
		}
	}
	v.Query = q.Encode()
	all, err := s.Planning.Views(c.Request().Context(), who.ID, kit.Here(c))
	if err != nil {
		return v, err
	}
	for _, x := range all {
		if x.Page != v.Page {
			continue
		}
		on := x.ID == kit.Int[ref.View](at.Q, "view")
		if on {
			v.Now, v.Changed, v.May = &x, x.Query != v.Query, planning.MayChangeView(b, who.ID, x) == nil
		}
		v.List = append(v.List, viewLink{x, on})
	}
	return v, nil
}

// openView leads to a view by its address.
func (s *Section) openView(c *echo.Context) error {
	id, err := kit.ID[ref.View](c)
	if err != nil {
		return err
	}
	v, err := s.Planning.ViewFor(c.Request().Context(), kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	if v.DeskID != kit.Here(c) {
		s.Sessions.Put(c.Request().Context(), "desk", int64(v.DeskID))
	}
	q, err := url.ParseQuery(v.Query)
	if err != nil {
		return err
	}
	q.Set("view", kit.Str(v.ID))
	return c.Redirect(http.StatusSeeOther, "/"+v.Page+"?"+q.Encode())
}

// saveView keeps what is looked at under a name, changes a view, or removes it.
func (s *Section) saveView(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	v := store.View{DeskID: kit.Here(c), Owner: kit.Me(c).ID, Name: form.Get("name"), Page: form.Get("page"), Query: form.Get("query"), Locked: form.Get("locked") != ""}
	if form.Get("whose") == "desk" {
		v.Owner = 0
	}
	switch form.Get("do") {
	case "drop":
		if err := s.Planning.DropView(ctx, kit.Me(c).ID, kit.Int[ref.View](form, "id")); err != nil {
			return err
		}
		s.Say(c, "The view is removed.")
		return c.Redirect(http.StatusSeeOther, "/"+v.Page+"?"+v.Query)
	case "change":
		v.ID = kit.Int[ref.View](form, "id")
	}
	id, err := s.Planning.SaveView(ctx, kit.Me(c).ID, v)
	if err != nil {
		return err
	}
	s.Say(c, "“%s” is saved. Its address is %s/v/%d.", v.Name, s.Base, id)
	return c.Redirect(http.StatusSeeOther, "/v/"+kit.Str(id))
}
