package calendars

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/calendar"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/calendars"
	"greenbaton/newsroom/review"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type mineView struct {
	Answer         string
	Made           string // the address of the one that was made just now
	Calendars      []row
	Whats          []kit.Option // what a calendar can show
	What, Name     string       // as chosen and typed
	Query          string       // of the list from which somebody came
	Problem, Field string
}

type row struct {
	ID               ref.Calendar
	Name, Says, Used string
	Unused           bool
}

func (s *Section) mine(c *echo.Context) error {
	return s.showMine(c, http.StatusOK, c.QueryParams(), nil)
}

// showMine shows somebody's calendars, with what was typed where it was refused.
func (s *Section) showMine(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	all, err := s.Calendars.Mine(ctx, kit.Me(c).ID)
	if err != nil {
		return err
	}
	v := mineView{What: form.Get("what"), Name: form.Get("name"), Query: form.Get("query"), Made: s.Sessions.PopString(ctx, "calendar")}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	for _, x := range all {
		v.Calendars = append(v.Calendars, newRow(b, x))
	}
	switch len(all) {
	case 0:
		v.Answer = "No calendar program asks for your work yet. Make an address for one, or take a file."
	default:
		v.Answer = english.UpperFirst(english.Counted(len(all), "calendar")) + english.Verb(len(all), " follows", " follow") + " what you see here."
	}
	if v.Whats, err = s.whats(c, b, v.Query); err != nil {
		return err
	}
	return s.Show(c, status, "calendars", "Calendars", v)
}

func newRow(b *newsroom.Setup, x store.Calendar) row {
	r := row{ID: x.ID, Name: x.Name, Says: "your legs, by the day they are due", Used: "never asked for yet", Unused: x.UsedAt == 0}
	switch {
	case x.ViewID != 0:
		r.Says = "pieces of a view you kept, by the time they go out"
	case x.Kind == store.CalendarPieces:
		r.Says = "pieces of " + b.Desk(x.DeskID).Name + ", by the time they go out"
	}
	if x.UsedAt != 0 {
		r.Used = "last asked for " + b.At(x.UsedAt, x.DeskID)
	}
	return r
}

// whats gives what a calendar can show somebody.
func (s *Section) whats(c *echo.Context, b *newsroom.Setup, query string) ([]kit.Option, error) {
	d, me := kit.Here(c), kit.Me(c)
	var out []kit.Option
	if query != "" {
		out = append(out, kit.Option{Value: "query", Name: "The pieces of the list you came from"})
	}
	out = append(out, kit.Option{Value: "legs", Name: "My legs, by the day they are due"})
	if me.Access.May(relay.SeeAll) {
		out = append(out, kit.Option{Value: "mine", Name: "My pieces, by the time they go out"})
	}
	out = append(out, kit.Option{Value: "all", Name: "All pieces I see of " + b.Desk(d).Name})
	for _, x := range b.ChannelsOf(d) {
		out = append(out, kit.Option{Value: fmt.Sprintf("channel-%d", x.ID), Name: "Channel: " + x.Name})
	}
	views, err := s.Planning.Views(c.Request().Context(), me.ID, d)
	for _, x := range views {
		out = append(out, kit.Option{Value: fmt.Sprintf("view-%d", x.ID), Name: "View: " + x.Name})
	}
	return out, err
}

// asked reads which calendar a form asks for.
func asked(c *echo.Context, form url.Values) (calendars.Ask, error) {
	ask := calendars.Ask{Kind: store.CalendarPieces, Desk: kit.Here(c), Name: form.Get("name")}
	kind, number, _ := strings.Cut(form.Get("what"), "-")
	id, err := strconv.ParseInt(number, 10, 64)
	switch {
	case kind == "legs":
		ask.Kind = store.CalendarLegs
	case kind == "mine":
		ask.Query = fmt.Sprintf("owner=%d", kit.Me(c).ID)
	case kind == "query":
		ask.Query = form.Get("query")
	case kind == "channel" && err == nil:
		ask.Query = fmt.Sprintf("channel=%d", id)
	case kind == "view" && err == nil:
		ask.View = ref.View(id)
	case kind != "all":
		return ask, kit.Input("what", "Choose what the calendar shows.")
	}
	return ask, nil
}

func (s *Section) make(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	ask, err := asked(c, form)
	if err == nil {
		var address string
		if address, err = s.Calendars.Make(ctx, kit.Me(c).ID, ask); err == nil {
			s.Sessions.Put(ctx, "calendar", address)
		}
	}
	return s.Answered(c, err, "", "/calendars#made", func(status int, r *relay.Refusal) error { return s.showMine(c, status, form, r) })
}

func (s *Section) end(c *echo.Context) error {
	id, err := kit.ID[ref.Calendar](c)
	if err != nil {
		return err
	}
	err = s.Calendars.End(c.Request().Context(), kit.Me(c).ID, id)
	return s.Answered(c, err, "Its address opens nothing any more. A program that asked for it will say so; take the calendar out there too.", "/calendars", func(status int, r *relay.Refusal) error {
		return s.showMine(c, status, url.Values{}, r)
	})
}

// file gives a calendar as a file, once.
func (s *Section) file(c *echo.Context) error {
	ask, err := asked(c, c.QueryParams())
	if err != nil {
		return err
	}
	x, err := s.Calendars.File(c.Request().Context(), kit.Me(c).ID, ask)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="calendar.ics"`)
	return s.write(c, x.Name, x.Events)
}

// give answers a calendar program.
func (s *Section) give(c *echo.Context) error {
	token, ok := strings.CutSuffix(c.Param("token"), ".ics")
	if !ok {
		return newsroom.ErrNotFound
	}
	x, err := s.Calendars.Give(c.Request().Context(), token)
	if err != nil {
		return err
	}
	return s.write(c, x.Name, x.Events)
}

// givePartner gives the pieces of a partner by the time they go out: no more than their page shows.
func (s *Section) givePartner(c *echo.Context) error {
	ctx := c.Request().Context()
	page, err := s.Review.PartnerPage(ctx, review.Key{Token: c.Param("token")})
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	zone := b.Zones[page.Desk.ID]
	var events []calendar.Kept
	for _, m := range page.Months {
		for _, p := range m.Pieces {
			if p.GoesOut == 0 {
				continue
			}
			e := calendar.Event{UID: fmt.Sprintf("partner-%d-piece-%d", page.Partner.ID, p.Number), Title: p.Title, Note: p.Kind, Day: p.GoesOut.Date(zone), At: p.GoesOut, Zone: zone.String()}
			if p.Out {
				e.Note, e.Page = e.Note+"\nIt is out.", p.Address
			}
			events = append(events, calendar.Kept{Event: e, Sequence: p.Version, Changed: p.Changed})
		}
	}
	return s.write(c, page.Partner.Name+" at "+page.Desk.Name, events)
}

// write sends a calendar; who has it already is told so (RFC 9110, 13.1.2).
func (s *Section) write(c *echo.Context, name string, events []calendar.Kept) error {
	host := "greenbaton"
	if u, err := url.Parse(s.Base); err == nil && u.Hostname() != "" {
		host = u.Hostname()
	}
	var out bytes.Buffer
	if err := format.ICal(&out, name, host, events); err != nil {
		return err
	}
	sum := sha256.Sum256(out.Bytes())
	h := c.Response().Header()
	h.Set("Content-Type", "text/calendar; charset=utf-8")
	h.Set("Cache-Control", "private, no-cache")
	h.Set("ETag", strconv.Quote(hex.EncodeToString(sum[:12])))
	http.ServeContent(c.Response(), c.Request(), "", time.Time{}, bytes.NewReader(out.Bytes()))
	return nil
}
