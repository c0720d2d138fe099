package requests

import (
	"errors"
	"fmt"
	"maps"
	"mime/multipart"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type askView struct {
	Form    request.Form
	Desk    string
	Fields  []askField
	Typed   url.Values
	Problem string
	Field   string
	Closed  bool
	Most    int // bytes of a file
	Earlier bool
	Min     string // the first day that can be wanted
}

type askField struct {
	request.Field
	Key   string
	Value string
}

// whoever gives who is signed in, if anybody is, on pages that are for everybody.
func (s *Section) whoever(c *echo.Context) (store.Person, error) {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return store.Person{}, err
	}
	v := s.Visitor(ctx)
	goes, err := s.Newsroom.GoesOn(ctx, v, kit.InUse(c.Request()))
	if err != nil || !goes {
		return store.Person{}, err
	}
	s.Admit(c, b, v)
	return kit.Me(c), nil
}

// ask shows a form by which something is asked of a desk.
func (s *Section) ask(c *echo.Context) error {
	who, err := s.whoever(c)
	if err != nil {
		return err
	}
	f, err := s.Intake.Form(c.Request().Context(), who.ID, c.Param("slug"))
	if errors.Is(err, newsroom.ErrNotFound) && who.ID == 0 {
		s.Sessions.Put(c.Request().Context(), "to", c.Request().URL.RequestURI())
		return c.Redirect(http.StatusSeeOther, "/signin")
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.showAsk(c, http.StatusOK, f, url.Values{}, refusal, true)
	} else if err != nil {
		return err
	}
	return s.showAsk(c, http.StatusOK, f, url.Values{"who": {who.Name}, "mail": {who.Mail}}, nil, false)
}

func (s *Section) showAsk(c *echo.Context, status int, f request.Form, typed url.Values, refusal *relay.Refusal, closed bool) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v := askView{Form: f, Desk: b.Desk(f.DeskID).Name, Typed: typed, Closed: closed, Most: copyroom.MaxFile, Min: (s.dateOn(b, f.DeskID) + 1).String()}
	for i, x := range f.Fields {
		key := fieldKey(i)
		v.Fields = append(v.Fields, askField{x, key, typed.Get(key)})
		v.Earlier = v.Earlier || refusal != nil && x.Kind == request.Files
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	c.Response().Header().Set("Referrer-Policy", "no-referrer")
	return s.Show(c, status, "ask", f.Name, v)
}

// dateOn gives the date on a desk.
func (s *Section) dateOn(b *newsroom.Setup, d ref.Desk) day.Date {
	return s.Newsroom.Now().Date(b.Zones[d])
}

// takeAsk takes what was typed into a form. What falls into the trap that people do not
// see is thrown away, and the robot is thanked.
func (s *Section) takeAsk(c *echo.Context) error {
	who, err := s.whoever(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	f, err := s.Intake.Form(ctx, who.ID, c.Param("slug"))
	form, formErr := c.FormValues()
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && formErr == nil {
		return s.showAsk(c, kit.StatusOf(refusal), f, form, refusal, true)
	} else if err = errors.Join(err, formErr); err != nil {
		return err
	}
	token, err := s.readAsk(c, who.ID, f, form)
	if errors.As(err, &refusal) {
		return s.showAsk(c, kit.StatusOf(refusal), f, form, refusal, false)
	} else if err != nil {
		return err
	}
	if token == "" {
		return s.Show(c, http.StatusOK, "thanks", "Thank you", nil)
	}
	return c.Redirect(http.StatusSeeOther, "/asked/"+token)
}

func (s *Section) readAsk(c *echo.Context, who ref.Person, f request.Form, form url.Values) (string, error) {
	if form.Get("website") != "" {
		return "", nil
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return "", err
	}
	sent, err := askFiles(c, f)
	if err != nil {
		return "", err
	}
	counts := map[int]int{}
	for i, hs := range sent {
		counts[i] = len(hs)
	}
	x, err := f.Read(form.Get, counts, s.dateOn(b, f.DeskID))
	if err != nil {
		return "", err
	}
	if who == 0 { // before any file is looked at
		if err := s.TooMany(c); err != nil {
			return "", err
		}
	}
	files, err := readFiles(sent)
	if err != nil {
		return "", err
	}
	return s.Intake.Ask(c.Request().Context(), who, f, x, files)
}

// askFiles gives the files that came with each field of a form, unread.
func askFiles(c *echo.Context, f request.Form) (map[int][]*multipart.FileHeader, error) {
	out := map[int][]*multipart.FileHeader{}
	m, err := c.MultipartForm()
	if errors.Is(err, http.ErrNotMultipart) {
		return out, nil
	} else if err != nil {
		return nil, err
	}
	for i, x := range f.Fields {
		if x.Kind != request.Files {
			continue
		}
		for _, h := range m.File[fieldKey(i)] {
			if h.Filename != "" || h.Size > 0 {
				out[i] = append(out[i], h)
			}
		}
		if len(out[i]) > request.MaxFiles {
			return nil, kit.Input(fieldKey(i), fmt.Sprintf("Send up to %d files; links to more can stand in the text.", request.MaxFiles))
		}
	}
	return out, nil
}

// readFiles looks at the files that came with the fields of a form.
func readFiles(sent map[int][]*multipart.FileHeader) ([]copyroom.Upload, error) {
	var out []copyroom.Upload
	for _, i := range slices.Sorted(maps.Keys(sent)) {
		for _, h := range sent[i] {
			data, err := kit.BytesOf(h, copyroom.MaxFile+1)
			if err != nil {
				return nil, err
			}
			u, err := copyroom.ReadUpload(fieldKey(i), h.Filename, data)
			if err != nil {
				return nil, err
			}
			out = append(out, *u)
		}
	}
	return out, nil
}

// fieldKey is the name under which a field of a form is sent.
func fieldKey(i int) string { return fmt.Sprintf("f%d", i) }

// asked is the page on which whoever asked follows their request and answers.
func (s *Section) asked(c *echo.Context) error { return s.showAsked(c, http.StatusOK, nil, "") }

type followView struct {
	intake.Followed
	Answer  kit.Sentence
	Said    []wordView
	Token   string
	Problem string
	Typed   string
	Asked   string
}

type wordView struct {
	By, Text, When string
	House          bool
}

func (s *Section) showAsked(c *echo.Context, status int, refusal *relay.Refusal, typed string) error {
	if _, err := s.whoever(c); err != nil {
		return err
	}
	ctx := c.Request().Context()
	x, err := s.Intake.Follow(ctx, c.Param("token"))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := followView{Followed: x, Token: c.Param("token"), Typed: typed, Asked: b.At(x.At, x.DeskID)}
	for _, w := range x.Words {
		y := wordView{By: x.Names[w.By], Text: w.Text, When: b.At(w.At, x.DeskID), House: w.By != 0}
		if w.By == 0 {
			y.By = "You"
		}
		v.Said = append(v.Said, y)
	}
	switch {
	case x.State == store.TurnedDown:
		v.Answer = kit.Sentence{Text: x.Desk + " cannot do it. " + x.Why, Tone: "short"}
	case x.State == store.Taken && x.Out != "":
		v.Answer = kit.Sentence{Text: "It is out.", Tone: "good"}
	case x.State == store.Taken && x.GoesOut != "":
		v.Answer = kit.Sentence{Text: fmt.Sprintf("%s takes it. It is to go out %s.", x.Desk, x.GoesOut), Tone: "good"}
	case x.State == store.Taken:
		v.Answer = kit.Sentence{Text: x.Desk + " takes it. It has no day yet.", Tone: "good"}
	case x.State == store.AskedBack:
		v.Answer = kit.Sentence{Text: x.Desk + " has a question. Answer it below.", Tone: "noroom"}
	default:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("%s has it since %s, and has not decided yet.", x.Desk, v.Asked), Tone: "plain"}
	}
	if refusal != nil {
		v.Problem = refusal.Text
	}
	c.Response().Header().Set("Referrer-Policy", "no-referrer")
	return s.Show(c, status, "asked", x.Title, v)
}

// reply adds what whoever asked says.
func (s *Section) reply(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	err = s.Intake.Reply(c.Request().Context(), c.Param("token"), form.Get("text"))
	return s.Answered(c, err, "", "/asked/"+url.PathEscape(c.Param("token")), func(status int, r *relay.Refusal) error {
		return s.showAsked(c, status, r, form.Get("text"))
	})
}
