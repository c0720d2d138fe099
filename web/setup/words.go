package setup

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom/notify"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type wordsView struct {
	Rows    []wordsRow
	Names   []kit.FieldName
	Changed int
}

type wordsRow struct {
	notify.Wordable
	Words   string
	Shown   string // with a real piece
	With    string
	Open    bool
	Problem string
}

// wordsPage shows the words of the messages of a desk, each with a real piece.
func (s *Section) wordsPage(c *echo.Context) error {
	return s.showWords(c, http.StatusOK, c.QueryParam("key"), c.QueryParam("words"), nil)
}

func (s *Section) showWords(c *echo.Context, status int, key, typed string, refusal *relay.Refusal) error {
	ctx, d := c.Request().Context(), kit.Here(c)
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	var v wordsView
	for _, f := range rule.NamedInMessages() {
		v.Names = append(v.Names, kit.FieldName{Name: "{" + f.Name + "}", Says: f.Says})
	}
	for _, x := range notify.Wordables {
		row := wordsRow{Wordable: x, Words: notify.Wording(b, d, x.Key)}
		if row.Words != "" {
			v.Changed++
		}
		if x.Key == key && key != "" {
			row.Open, row.Words = true, typed
			if refusal != nil {
				row.Problem = refusal.Text
			}
		}
		show := row.Words
		if show == "" {
			show = x.Usual
		}
		if row.Shown, row.With, err = s.Notify.PreviewWording(ctx, kit.Me(c).ID, d, x.Key, show, 0); err != nil {
			return err
		}
		v.Rows = append(v.Rows, row)
	}
	return s.Show(c, status, "words", "Message texts", v)
}

// saveWords keeps the words of a message, or only shows them with a real piece.
func (s *Section) saveWords(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	key, words := c.Param("key"), form.Get("words")
	if form.Get("do") == "show" {
		return s.showWords(c, http.StatusOK, key, words, nil)
	}
	if form.Get("do") == "usual" {
		words = ""
	}
	err = s.Notify.SaveWording(c.Request().Context(), kit.Me(c).ID, kit.Here(c), key, words)
	return s.Answered(c, err, "The text is saved.", "/words", func(status int, r *relay.Refusal) error { return s.showWords(c, status, key, words, r) })
}

type chatsView struct {
	Rows    []chatRow
	Typed   url.Values
	Problem string
	Field   string
	Open    int64
}

type chatRow struct {
	store.Hook
	Kinds []chatKind
}

type chatKind struct {
	Kind, Says string
	Is         bool
}

// chats shows the chats of a desk to which messages are posted.
func (s *Section) chats(c *echo.Context) error {
	return s.showChats(c, http.StatusOK, nil, url.Values{}, -1)
}

func (s *Section) showChats(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values, open int64) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v := chatsView{Typed: typed, Open: open}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	for _, k := range append(notify.HooksOf(b, kit.Here(c)), store.Hook{IsOn: true}) {
		row := chatRow{Hook: k}
		if open == k.ID && typed.Has("name") {
			row.Name, row.URL = typed.Get("name"), typed.Get("url")
		}
		for _, x := range notify.HookKinds {
			row.Kinds = append(row.Kinds, chatKind{x.Kind, x.Says, hasKind(k.Kinds, x.Kind)})
		}
		v.Rows = append(v.Rows, row)
	}
	return s.Show(c, status, "chats", "Chats", v)
}

func (s *Section) saveChat(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	k := store.Hook{DeskID: kit.Here(c), Name: form.Get("name"), URL: form.Get("url"), Kinds: joinKinds(form["kind"]), IsOn: form.Get("on") != "", Retired: form.Get("do") == "drop"}
	if c.Param("id") != "new" {
		if k.ID, err = kit.ID[int64](c); err != nil {
			return err
		}
	}
	err = s.Notify.SaveHook(c.Request().Context(), kit.Me(c).ID, k)
	return s.Answered(c, err, "It is saved.", "/chats", func(status int, r *relay.Refusal) error { return s.showChats(c, status, r, form, k.ID) })
}

// sendAgain lets a message that was given up be tried once more.
func (s *Section) sendAgain(c *echo.Context) error {
	id, err := kit.ID[ref.Message](c)
	if err != nil {
		return err
	}
	err = s.Notify.SendAgain(c.Request().Context(), kit.Me(c).ID, id)
	return s.Answered(c, err, "It is tried again.", fmt.Sprintf("/post/%d", id), nil)
}

func hasKind(kinds, kind string) bool { return slices.Contains(strings.Split(kinds, ","), kind) }

// joinKinds keeps of what was ticked what there is.
func joinKinds(ticked []string) string {
	var out []string
	for _, x := range notify.HookKinds {
		if slices.Contains(ticked, x.Kind) {
			out = append(out, x.Kind)
		}
	}
	return strings.Join(out, ",")
}
