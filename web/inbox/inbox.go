package inbox

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/notify"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type inboxView struct {
	Groups []inboxGroup
	Unread int
	Older  string
	Which  string
	Tabs   []inboxTab
	Back   string
	Empty  string
}

type inboxTab struct {
	Link, Name string
	Is         bool
}

// inboxGroup is what there is about one piece.
type inboxGroup struct {
	Piece ref.Piece
	Title string
	Items []inboxItem
	Rest  []inboxItem // that are read, and not among the newest of these
	Pass  *notify.Passable
	To    string
}

type inboxItem struct {
	store.ItemWithTitle
	When  string
	Query string // the number of the query it is about, which can be answered here
}

func (s *Section) inbox(c *echo.Context) error {
	ctx, p := c.Request().Context(), kit.Me(c)
	v := inboxView{Which: c.QueryParam("which")}
	if v.Which != store.ItemsUnread && v.Which != store.ItemsAside {
		v.Which = store.ItemsHere
	}
	items, err := s.Notify.InboxOf(ctx, p.ID, v.Which, kit.Int[ref.Item](c.QueryParams(), "below"), kit.PerPage)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v.group(b, p, items)
	if err := s.passHere(c, &v); err != nil {
		return err
	}
	query := ""
	if v.Which != "" {
		query = "which=" + v.Which + "&"
	}
	if len(items) == kit.PerPage {
		v.Older = fmt.Sprintf("/inbox?%sbelow=%d", query, items[len(items)-1].ID)
	}
	if v.Unread, err = s.Notify.Unread(ctx, p.ID); err != nil {
		return err
	}
	v.Back = "/inbox?" + query
	for _, t := range [][2]string{{store.ItemsHere, "All"}, {store.ItemsUnread, "Unread"}, {store.ItemsAside, "Set aside"}} {
		v.Tabs = append(v.Tabs, inboxTab{"/inbox?which=" + t[0], t[1], t[0] == v.Which})
	}
	v.Empty = map[string]string{
		store.ItemsHere:   "Nothing has come in yet. When a leg is passed to you, or a piece comes back, it is here and in your mail.",
		store.ItemsUnread: "Everything is read.", store.ItemsAside: "Nothing is set aside. What you want to come back to, without it being in the way, can be kept here.",
	}[v.Which]
	if c.Request().Header.Get("X-Part") != "" {
		return s.Render(c, http.StatusOK, "inbox", "inbox-now", v)
	}
	return s.Show(c, http.StatusOK, "inbox", "Inbox", v)
}

// group puts together what is about one piece, in the order of the newest of each.
func (v *inboxView) group(b *newsroom.Setup, p store.Person, items []store.ItemWithTitle) {
	at := map[ref.Piece]int{}
	for _, i := range items {
		x := inboxItem{ItemWithTitle: i, When: when(b, p, i.At)}
		if _, id, ok := strings.Cut(i.Link, "#query-"); ok && i.Kind == "query" {
			x.Query = id
		}
		k, known := at[i.PieceID]
		if !known || i.PieceID == 0 {
			k = len(v.Groups)
			at[i.PieceID] = k
			v.Groups = append(v.Groups, inboxGroup{Piece: i.PieceID, Title: i.Title})
		}
		g := &v.Groups[k]
		if read := i.ReadAt != 0; read && len(g.Items) >= 2 && g.Piece != 0 {
			g.Rest = append(g.Rest, x)
			continue
		}
		g.Items = append(g.Items, x)
	}
}

// passHere adds what can be passed with one click.
func (s *Section) passHere(c *echo.Context, v *inboxView) error {
	var ids []ref.Piece
	for _, g := range v.Groups {
		if g.Piece != 0 {
			ids = append(ids, g.Piece)
		}
	}
	can, err := s.Notify.Passable(c.Request().Context(), kit.Me(c).ID, ids)
	if err != nil {
		return err
	}
	for i := range v.Groups {
		if x, ok := can[v.Groups[i].Piece]; ok {
			v.Groups[i].Pass = &x
			if v.Groups[i].To = "it is ready then"; len(x.To) > 0 {
				v.Groups[i].To = "to " + english.And(x.To)
			}
		}
	}
	return nil
}

// setAside puts a line aside, back, or makes it unread again.
func (s *Section) setAside(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Item](c)
	if err != nil {
		return err
	}
	ctx, who := c.Request().Context(), kit.Me(c).ID
	if form.Get("do") == "unread" {
		err = s.Notify.SetUnread(ctx, who, id)
	} else {
		err = s.Notify.SetAside(ctx, who, id, form.Get("do") == "aside")
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, kit.Back(form, "/inbox"))
}

// when writes a moment on the clocks of somebody's first desk.
func when(b *newsroom.Setup, p store.Person, m day.Moment) string {
	if len(p.Desks) == 0 {
		return ""
	}
	return b.At(m, p.Desks[0])
}

// openItem marks a line read and goes to what it is about.
func (s *Section) openItem(c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return newsroom.ErrNotFound
	}
	i, err := s.Notify.OpenItem(c.Request().Context(), kit.Me(c).ID, ref.Item(id))
	if err != nil {
		return err
	}
	if i.Link != "" {
		return c.Redirect(http.StatusSeeOther, i.Link)
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/pieces/%d", i.PieceID))
}

func (s *Section) readAll(c *echo.Context) error {
	if err := s.Notify.ReadAll(c.Request().Context(), kit.Me(c).ID); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/inbox")
}
