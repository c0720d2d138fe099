package release

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	room "greenbaton/newsroom/release"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// asksView is what a channel asks of release sheets, as it is set up.
type asksView struct {
	Channel store.Channel
	Asks    release.Asks
	Parts   []kit.OptionView
	Keys    []string
	Rows    []release.Field
	Kinds   []kit.Choice // what may stand in a field
	Widths  string
	Problem string
	Field   string
}

// asks shows what a channel asks of release sheets.
func (s *Section) asks(c *echo.Context) error {
	return s.showAsks(c, http.StatusOK, nil, nil)
}

// channelOf finds the channel of an address on the desk that is looked at.
func (s *Section) channelOf(c *echo.Context, b *newsroom.Setup) (store.Channel, error) {
	id, err := kit.ID[ref.Channel](c)
	ch := b.Channel(id)
	if err != nil || ch.ID == 0 || ch.DeskID != kit.Here(c) {
		return ch, newsroom.ErrNotFound
	}
	return ch, nil
}

func (s *Section) showAsks(c *echo.Context, status int, refusal *relay.Refusal, typed *release.Asks) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	ch, err := s.channelOf(c, b)
	if err != nil {
		return err
	}
	v := asksView{Channel: ch, Asks: room.AsksOf(b, ch.ID)}
	if typed != nil {
		v.Asks = *typed
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	for i, n := range v.Asks.Widths {
		if i > 0 {
			v.Widths += ", "
		}
		v.Widths += strconv.Itoa(n)
	}
	for _, p := range release.Parts {
		v.Parts, v.Keys = append(v.Parts, kit.OptionView{Text: p.Name, Is: v.Asks.Needs(p.Key)}), append(v.Keys, p.Key)
	}
	v.Rows = append(slices.Clone(v.Asks.Fields), release.Field{}, release.Field{})
	v.Kinds = []kit.Choice{{Key: "", Name: "text"}, {Key: release.Recording, Name: "a recording"}, {Key: release.Chapters, Name: "its chapters"}, {Key: release.Comment, Name: "the first comment"}}
	return s.Show(c, status, "asks", "What "+ch.Name+" asks", v)
}

// saveAsks stores what a channel asks of release sheets.
func (s *Section) saveAsks(c *echo.Context) error {
	var asks release.Asks
	return kit.SetUp(s.Server, c, s.channelOf, func(_ *newsroom.Setup, ch store.Channel, form url.Values) (string, error) {
		var err error
		if asks, err = readAsks(form); err == nil {
			err = s.Release.SaveAsks(c.Request().Context(), kit.Me(c).ID, ch.ID, asks)
		}
		if err != nil {
			return "", err
		}
		s.Say(c, "Saved. Pieces that are on their way are held against it from now on.")
		return fmt.Sprintf("/channels/%d/asks", ch.ID), nil
	}, func(status int, r *relay.Refusal, _ url.Values) error { return s.showAsks(c, status, r, &asks) })
}

// readAsks reads what a channel asks from its form; lines without a name are none.
func readAsks(form url.Values) (release.Asks, error) {
	a := release.Asks{Must: form["must"], ByHand: form.Get("by_hand") == "yes", Corrections: form.Get("corrections") == "yes"}
	var first error
	for _, n := range []struct {
		key, what string
		into      *int
	}{{"title", "the most characters of the title", &a.Title}, {"description", "the most characters of the description", &a.Description}, {"tags", "the most tags", &a.Tags}, {"related", "how many related pieces it shows", &a.Related}} {
		var err error
		if *n.into, err = kit.Whole(form, n.key, n.key, n.what, 0); err != nil && first == nil {
			first = err
		}
	}
	for _, typed := range strings.FieldsFunc(form.Get("widths"), func(r rune) bool { return r == ',' || r == ' ' || r == ';' }) {
		n, err := strconv.Atoi(typed)
		if err != nil {
			n = -1 // which is said to be none
		}
		a.Widths = append(a.Widths, n)
	}
	nth := func(xs []string, i int) string {
		if i < len(xs) {
			return strings.TrimSpace(xs[i])
		}
		return ""
	}
	for i, name := range form["name"] {
		if strings.TrimSpace(name) == "" {
			continue
		}
		f := release.Field{Key: nth(form["key"], i), Name: name, Must: nth(form["need"], i) == "yes", Kind: nth(form["what"], i)}
		var err error
		if f.Limit, err = kit.Whole(url.Values{"limit": {nth(form["limit"], i)}}, "limit", "fields", "the most characters of “"+name+"”", 0); err != nil && first == nil {
			first = err
		}
		a.Fields = append(a.Fields, f)
	}
	return a, first
}
