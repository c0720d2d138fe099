package kit

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/assets"
)

//go:embed *.html
var templates embed.FS

// pages are the parsed templates: each page with the layout and the parts.
type pages struct {
	byName map[string]*template.Template
	assets string // the address below which the assets of this version lie
}

// parsePages reads the templates of the kit and of all sections. Those whose names begin
// with a line under them are parts, which any page may show; the others are pages.
func parsePages(of ...fs.FS) (*pages, error) {
	p := &pages{byName: map[string]*template.Template{}}
	sum := sha256.New()
	err := fs.WalkDir(assets.Files(), ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(assets.Files(), name)
		sum.Write(b)
		return err
	})
	if err != nil {
		return nil, fmt.Errorf("read assets: %w", err)
	}
	p.assets = "/assets/" + hex.EncodeToString(sum.Sum(nil))[:10] + "/"
	of = append([]fs.FS{templates}, of...)
	base := template.New("").Funcs(funcs).Funcs(template.FuncMap{
		"asset": func(name string) string { return p.assets + name },
	})
	for _, files := range of {
		if parts, err := fs.Glob(files, "_*.html"); err != nil {
			return nil, err
		} else if len(parts) == 0 {
			continue
		}
		if _, err := base.ParseFS(files, "_*.html"); err != nil {
			return nil, err
		}
	}
	for _, files := range of {
		names, err := fs.Glob(files, "[a-z]*.html")
		if err != nil {
			return nil, err
		}
		for _, name := range names {
			page, err := template.Must(base.Clone()).ParseFS(files, name)
			if err == nil {
				err = knownRights(page)
			}
			if err != nil {
				return nil, err
			}
			key := strings.TrimSuffix(name, ".html")
			if p.byName[key] != nil {
				return nil, fmt.Errorf("two sections have a page %s", key)
			}
			p.byName[key] = page
		}
	}
	return p, nil
}

var funcs = template.FuncMap{
	"date":       english.Date,
	"plural":     english.Plural,
	"names":      english.And,
	"pace":       newsroom.SayPace,
	"tone":       Tone,
	"first":      newsroom.First,
	"lower":      strings.ToLower,
	"number":     english.Number,
	"hours":      english.Hours,
	"upper":      english.UpperFirst,
	"query":      url.QueryEscape,
	"may":        func(m map[relay.Act]bool, act string) bool { return m[relay.Act(act)] },
	"add":        func(a, b int) int { return a + b },
	"pair":       func(one, two any) struct{ One, Two any } { return struct{ One, Two any }{one, two} },
	"priorities": func() []Option { return priorities },
	"px":         func(f float64) string { return fmt.Sprintf("%.1f", f) },
}

// frame is what the layout around every page shows.
type frame struct {
	Title    string
	Name     string // of the page
	In       string // the part of the masthead it belongs to, where that is not called like it
	Me       store.Person
	Unread   int
	Lead     bool
	Maker    bool     // may make pieces
	Fees     bool     // may see what work costs
	Earns    bool     // is paid by what they do
	Catcher  bool     // may catch ideas
	DeskID   ref.Desk // that is looked at
	Demo     bool
	Clock    string
	Said     string   // what the last act came to
	Undo     ref.Undo // by which what was done last can be taken back
	UndoLeft int      // for how many seconds that is still offered at the foot
	Did      string   // and what that was
	Mark     string   // the last news of the house
	Path     string   // of this page
	Paper    string   // what stands at the head of paper: the desk, and as of when
	Desk     string   // the desk that is looked at, for those who have several
	Desks    []store.Desk
	Page     any
}

// partOf gives the part of the masthead that pages belong to, for those of another name.
var partOf = map[string]string{
	"today": "today", "partner": "today",
	"ideas": "ideas", "idea": "ideas", "catch": "ideas", "sitting": "ideas", "requests": "ideas", "request": "ideas", "bring": "ideas", "bringing": "ideas", "pitches": "ideas",
	"lineup": "lineup", "campaigns": "lineup", "regulars": "lineup", "regular": "lineup",
	"reports": "reports", "measures": "reports", "figures": "reports", "learnt": "reports", "goals": "reports", "month": "reports", "capacity": "reports", "behind": "reports", "fees": "reports", "rates": "reports", "budgets": "reports", "statement": "reports",
	"desk": "desk", "deskform": "desk", "channel": "desk", "format": "desk", "person": "desk", "transfer": "desk", "misplaced": "desk", "topics": "desk", "partners": "desk", "access": "desk", "words": "desk", "chats": "desk", "receivers": "desk", "posted": "desk", "kept": "desk", "out": "desk", "rules": "desk", "rule": "desk", "trial": "desk",
}

// Show renders a page inside the layout. Whoever is signed in is found in the context.
func (s *Server) Show(c *echo.Context, status int, page, title string, data any) error {
	ctx := c.Request().Context()
	f := frame{Title: title, Name: page, In: partOf[page], Demo: s.Demo != nil, Page: data, Path: c.Request().URL.Path}
	if me, ok := c.Get("me").(store.Person); ok {
		f.Me, f.Lead = me, me.Access.May(relay.SetUpDesk)
		f.Maker = me.Access.May(relay.MakePieces)
		f.Catcher = me.Access.May(relay.Contribute) && Here(c) != 0
		f.DeskID = Here(c)
		n, err := s.Notify.Unread(ctx, me.ID)
		if err != nil && page != "error" {
			return err
		}
		f.Unread = n
		f.Said = s.Sessions.PopString(ctx, "said")
		if b, err := s.Newsroom.Setup(ctx); err == nil && Here(c) != 0 {
			f.Clock = s.Newsroom.Now().In(b.Zones[Here(c)]).Format("Mon 2 Jan, 15:04")
			f.Paper = b.Desk(Here(c)).Name + ", as of " + s.Newsroom.Now().In(b.Zones[Here(c)]).Format("Monday 2 January 2006, 15:04") + ", for " + me.Name
			f.Fees = b.SeesFees(me.ID, Here(c))
			f.Earns = me.Access.May(relay.TakeForFee) || slices.ContainsFunc(b.Rates, func(r store.Rate) bool { return r.PersonID == me.ID })
			if f.Desks = b.DesksOf(me.ID); len(f.Desks) > 1 {
				f.Desk = b.Desk(Here(c)).Name
			}
		}
		if u, err := s.Newsroom.LastUndo(ctx, me.ID); err == nil && page != "error" {
			f.Undo, f.Did = u.ID, english.UpperFirst(u.What)
			f.UndoLeft = max(0, int(u.At+footLasts-s.Newsroom.Now()))
		}
		f.Mark = s.Events.Mark()
	}
	return s.Render(c, status, page, "layout", f)
}

// footLasts is for how many seconds what was done last is said at the foot of pages.
const footLasts = 30

// ShowPlain renders a page for somebody from outside, in the name of a house.
func (s *Server) ShowPlain(c *echo.Context, status int, page, title, house string, data any) error {
	f := frame{Title: title, Desk: house, Page: data, Said: s.Sessions.PopString(c.Request().Context(), "said")}
	return s.Render(c, status, page, "plain", f)
}

// Render writes a template; nothing is sent unless all of it could be made.
func (s *Server) Render(c *echo.Context, status int, page, name string, data any) error {
	t, ok := s.pages.byName[page]
	if !ok {
		return errors.New("no template " + page)
	}
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, name, data); err != nil {
		return fmt.Errorf("render %s: %w", page, err)
	}
	return c.HTMLBlob(status, b.Bytes())
}

// Say keeps a sentence for the next page.
func (s *Server) Say(c *echo.Context, format string, args ...any) {
	s.Sessions.Put(c.Request().Context(), "said", fmt.Sprintf(format, args...))
}
