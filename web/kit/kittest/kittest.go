// Package kittest serves a section alone, on a stand-in for the newsroom: without a data
// file, with somebody signed in. What the section asks of the rooms its test stands in for.
package kittest

import (
	"context"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"testing"
	"testing/fstest"
	"time"

	"github.com/alexedwards/scs/v2/memstore"
	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// Now is the time in the stand-in: the morning of Thu 26 Nov 2026.
var Now = day.MomentOf(time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC))

// Person is who is signed in: a lead of the desk 1.
var Person = store.Person{ID: 1, Name: "Maren Holt", Mail: "maren@millrace.example", Access: relay.Lead, Desks: []ref.Desk{1}}

// standIn is a newsroom with one desk and one person.
type standIn struct{ setup *newsroom.Setup }

func (n standIn) Setup(context.Context) (*newsroom.Setup, error)             { return n.setup, nil }
func (standIn) Now() day.Moment                                              { return Now }
func (standIn) LastUndo(context.Context, ref.Person) (store.Undo, error)     { return store.Undo{}, nil }
func (standIn) GoesOn(context.Context, newsroom.Visitor, bool) (bool, error) { return true, nil }
func (standIn) Still(newsroom.Visitor) func() bool                           { return func() bool { return true } }
func (standIn) Refresh(context.Context)                                      {}
func (standIn) Reachable(context.Context) error                              { return nil }
func (standIn) DeskOf(context.Context, ref.Piece) (ref.Desk, error)          { return 1, nil }
func (standIn) Unread(context.Context, ref.Person) (int, error)              { return 0, nil }

// Server makes the server a section is put on.
func Server(t *testing.T) *kit.Server {
	t.Helper()
	setup, err := newsroom.NewSetup(store.Reference{
		Desks:  []store.Desk{{ID: 1, Name: "Desk", Zone: "Europe/London", Weekdays: "0111110", Country: "gb"}},
		People: []store.Person{Person},
	})
	if err != nil {
		t.Fatal(err)
	}
	n := standIn{setup}
	return &kit.Server{Newsroom: n, Notify: n, Events: newsroom.NewEvents(), Lines: new(newsroom.Lines), Base: "https://desk.example", Log: slog.New(slog.NewTextHandler(t.Output(), nil))}
}

// door is a section that signs in.
type door struct{ *kit.Server }

func (door) Pages() fs.FS { return fstest.MapFS{} }

func (d door) Routes(g kit.Groups) {
	g.In.GET("/in", func(c *echo.Context) error {
		d.Sessions.Put(c.Request().Context(), "person", int64(Person.ID))
		return c.NoContent(http.StatusNoContent)
	})
}

// Client is a browser without scripts.
type Client struct {
	t    *testing.T
	url  string
	http *http.Client
}

// Serve serves a section on its server and gives a client that is signed in. What it asks
// for, it is not led on from.
func Serve(t *testing.T, s *kit.Server, section kit.Section) *Client {
	t.Helper()
	h, err := s.Handler(memstore.New(), section, door{s})
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(h)
	t.Cleanup(srv.Close)
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	c := &Client{t, srv.URL, &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
	if status, _, body := c.Get("/in"); status != http.StatusNoContent {
		t.Fatalf("signing in is answered with %d %s", status, body)
	}
	return c
}

// Get asks for an address and gives status, where it leads and what is answered.
func (c *Client) Get(path string) (status int, to, body string) {
	c.t.Helper()
	res, err := c.http.Get(c.url + path)
	return c.read(res, err)
}

// Post sends a form.
func (c *Client) Post(path string, form url.Values) (status int, to, body string) {
	c.t.Helper()
	res, err := c.http.PostForm(c.url+path, form)
	return c.read(res, err)
}

func (c *Client) read(res *http.Response, err error) (int, string, string) {
	c.t.Helper()
	if err != nil {
		c.t.Fatal(err)
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	return res.StatusCode, res.Header.Get("Location"), string(b)
}
