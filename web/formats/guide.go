package formats

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
	briefpage "greenbaton/web/brief"
	"greenbaton/web/kit"
)

type guideView struct {
	Format  store.Format
	HTML    template.HTML
	JSON    string
	Version int // 0 while there is none
	By      string
	Example *relay.Piece
	Number  string // of the example, as typed
	Edit    bool
	Older   []guideLine
	Shown   int // the older version that is read; 0 for the newest
	Problem string
	Field   string
}

type guideLine struct {
	Version int
	Says    string
}

func (s *Section) guidePage(c *echo.Context) error {
	return s.showGuide(c, http.StatusOK, nil, nil)
}

// showGuide shows how pieces of a format are written: to leads with the editor.
func (s *Section) showGuide(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	f, err := s.oldFormat(c, b)
	if err != nil {
		return err
	}
	all, err := s.Settings.Guides(ctx, kit.Me(c).ID, f.ID)
	if err != nil {
		return err
	}
	v := guideView{Format: f, Edit: relay.MayHouse(relay.SetUpDesk, b.Who(kit.Me(c).ID, f.DeskID)), JSON: `[{"insert":"\n"}]`}
	want := kit.Int[int](c.QueryParams(), "version")
	for i, g := range all {
		if i == 0 {
			v.Version = g.Version
		}
		if i == 0 || g.Version == want {
			text, err := copy.Parse([]byte(g.Text))
			if err != nil {
				return err
			}
			v.HTML, v.JSON, v.By = kit.ToHTML(text), string(text.JSON()), fmt.Sprintf("version %d, %s, %s", g.Version, b.Name(g.By), b.At(g.At, f.DeskID))
			if v.Example, err = s.Planning.Example(ctx, kit.Me(c).ID, g.Example); err != nil {
				return err
			}
			if v.Example != nil {
				v.Number = strconv.Itoa(v.Example.Number)
			}
		}
		if i > 0 && g.Version == want {
			v.Shown, v.Edit = want, false
		}
		v.Older = append(v.Older, guideLine{g.Version, fmt.Sprintf("%s, %s", b.At(g.At, f.DeskID), b.Name(g.By))})
	}
	if refusal != nil {
		v.Problem, v.Field, v.Number = refusal.Text, refusal.Field, typed.Get("example")
		if text, err := copy.Parse([]byte(typed.Get("text"))); err == nil {
			v.JSON = string(text.JSON())
		}
	}
	return s.Show(c, status, "guide", "Guide: "+f.Name, v)
}

// saveGuide stores another version of a guide.
func (s *Section) saveGuide(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.oldFormat, func(_ *newsroom.Setup, f store.Format, form url.Values) (string, error) {
		ctx, example := c.Request().Context(), ref.Piece(0)
		if n := strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(form.Get("example")), "No.")); n != "" {
			number, err := strconv.Atoi(n)
			ids, wrong := s.Intake.Numbered(ctx, kit.Me(c).ID, f.DeskID, number)
			if wrong != nil {
				return "", wrong
			}
			if example = ids[number]; err != nil || example == 0 {
				return "", kit.Input("example", fmt.Sprintf("There is no piece of the number “%s” on the desk. Write the number that stands over the title of a piece.", n))
			}
		}
		v, err := s.Settings.SaveGuide(ctx, kit.Me(c).ID, f.ID, kit.Int[int](form, "base"), []byte(form.Get("text")), example)
		if err != nil {
			return "", err
		}
		s.Say(c, "The guide is saved, version %d. Those who write a %s now see that it changed.", v, strings.ToLower(f.Name))
		return fmt.Sprintf("/formats/%d/guide", f.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showGuide(c, status, r, typed) })
}

// askedView is a part of a brief in the set-up of a format.
type askedView struct {
	brief.Part
	Asked, Must bool
	Own         string // the help text in the format's own words
}

// addBrief puts what a format asks of a brief, and its outline, on its page.
func (v *formatView) addBrief(b *newsroom.Setup, typed url.Values, guide int) {
	form, outline := b.BriefForm(v.Format.ID), b.Outline(v.Format.ID)
	v.Titled, v.Guide = v.Format.Titled, guide
	if typed.Get("form") == "brief" {
		form, v.Titled, outline = briefpage.ReadBriefForm(typed)
	}
	for _, p := range brief.Parts {
		x := askedView{Part: p}
		for _, a := range form {
			if a.Key == p.Key {
				x.Asked, x.Must, x.Own = true, a.Must, a.Help
			}
		}
		v.Asks = append(v.Asks, x)
	}
	for i, s := range append(outline, brief.Section{}, brief.Section{}, brief.Section{}) {
		v.Sections = append(v.Sections, briefpage.SectionView{Section: s, At: i})
	}
}

// saveFormatBrief stores what a format asks of a brief, and its outline.
func (s *Section) saveFormatBrief(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.oldFormat, func(_ *newsroom.Setup, f store.Format, form url.Values) (string, error) {
		asked, titled, outline := briefpage.ReadBriefForm(form)
		if err := s.Settings.SaveFormatBrief(c.Request().Context(), kit.Me(c).ID, f.ID, asked, titled, outline); err != nil {
			return "", err
		}
		s.Say(c, "Saved. New pieces begin with it; those under way keep their copy.")
		return fmt.Sprintf("/formats/%d#asked", f.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		return s.showFormat(c, status, r, typed, nil)
	})
}
