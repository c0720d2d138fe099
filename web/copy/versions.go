package copy

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// versionsView is the versions of a copy, and what is different between two of them.
type versionsView struct {
	Row              store.Row
	Versions         []versionView
	From, To         copyroom.Which
	FromSays, ToSays string
	Says             string // what is different, in a sentence
	Lines            []ComparedLine
	Writes           bool
	Proposes         bool
	Others           bool // lines that are the same are left out
}

type versionView struct {
	Which copyroom.Which
	No    string
	Label string
	Who   string
	When  string
	Words int
	More  string // "+120"
	Older copyroom.Which
}

// ComparedLine is a line of the reading view.
type ComparedLine struct {
	Fate copy.Fate
	Tag  string
	HTML template.HTML
	Skip int // paragraphs that are the same and left out here
}

// nearby is how many paragraphs that are the same are shown around one that is not.
const nearby = 1

func (s *Section) versions(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	all, row, err := s.Copyroom.Versions(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	hand, err := s.Copyroom.HandOn(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	v := versionsView{Row: row, Writes: hand.Writes, Proposes: hand.By != 0, From: copyroom.Which(c.QueryParam("from")), To: copyroom.Which(c.QueryParam("to")), Others: c.QueryParam("all") == ""}
	v.Versions = versionViews(b, row.DeskID, all)
	if v.To == "" {
		v.To = copyroom.Now
	}
	if v.From == "" && len(all) > 1 {
		v.From = v.Versions[1].Which
	}
	if v.From != "" {
		x, err := s.Copyroom.Compare(ctx, kit.Me(c).ID, id, v.From, v.To)
		if err != nil {
			return err
		}
		v.Says, v.Lines = SayComparison(x), ComparedLines(x.Lines, v.Others)
		v.FromSays, v.ToSays = v.name(v.From), v.name(v.To)
	}
	return s.Show(c, http.StatusOK, "versions", row.Title, v)
}

func versionViews(b *newsroom.Setup, deskID ref.Desk, all []copyroom.VersionSheet) []versionView {
	var out []versionView
	for i, x := range all {
		y := versionView{Which: copyroom.Which(fmt.Sprintf("v%d", x.Version)), No: fmt.Sprintf("Version %d", x.Version), Label: english.UpperFirst(x.Label), Words: x.Words, When: b.At(x.At, deskID)}
		if x.Aside {
			y.No = "Kept beside it"
		}
		var who []string
		for _, p := range x.Wrote {
			who = append(who, newsroom.First(b.Name(p)))
		}
		y.Who = english.And(who)
		if i+1 < len(all) {
			y.Older = copyroom.Which(fmt.Sprintf("v%d", all[i+1].Version))
			if d := x.Words - all[i+1].Words; d != 0 {
				y.More = fmt.Sprintf("%+d", d)
			}
		}
		out = append(out, y)
	}
	return out
}

// name says which state of the copy is meant.
func (v versionsView) name(w copyroom.Which) string {
	if w == copyroom.Now {
		return "the copy as it is now"
	}
	i := slices.IndexFunc(v.Versions, func(x versionView) bool { return x.Which == w })
	if i < 0 {
		return "when you read it last"
	}
	return strings.ToLower(v.Versions[i].No[:1]) + v.Versions[i].No[1:] + ", " + v.Versions[i].When
}

// SayComparison says in one sentence how two versions differ.
func SayComparison(x copyroom.Comparison) string {
	var parts []string
	if x.New > 0 {
		parts = append(parts, english.Plural(x.New, "new word"))
	}
	if x.Gone > 0 {
		parts = append(parts, english.Plural(x.Gone, "word")+" gone")
	}
	if x.Moved > 0 {
		parts = append(parts, english.Plural(x.Moved, "paragraph")+" moved")
	}
	if len(parts) > 0 {
		return english.UpperFirst(english.And(parts))
	}
	for _, l := range x.Lines {
		if l.Fate != copy.Same {
			return "The words are the same; some are set otherwise"
		}
	}
	return "Nothing is different"
}

// ComparedLines writes the lines of a comparison as HTML; what is typed is escaped. With
// only, those that are the same and not next to another are counted.
func ComparedLines(lines []copy.Compared, only bool) []ComparedLine {
	near := make([]bool, len(lines))
	for i, l := range lines {
		for k := max(0, i-nearby); l.Fate != copy.Same && k <= min(len(lines)-1, i+nearby); k++ {
			near[k] = true
		}
	}
	var out []ComparedLine
	for i, l := range lines {
		switch n := len(out); {
		case !only || near[i]:
			out = append(out, compareLine(l))
		case n > 0 && out[n-1].Skip > 0:
			out[n-1].Skip++
		default:
			out = append(out, ComparedLine{Skip: 1})
		}
	}
	return out
}

func compareLine(l copy.Compared) ComparedLine {
	x := ComparedLine{Fate: l.Fate, Tag: "p"}
	switch {
	case l.Line.Header() != 0:
		x.Tag = fmt.Sprintf("h%d", l.Line.Header())
	case l.Line.Has("list"):
		x.Tag = "li"
	case l.Line.Quote():
		x.Tag = "blockquote"
	}
	var b strings.Builder
	for _, s := range l.Spans {
		text := string(kit.SpanHTML(s.Op))
		switch s.Fate {
		case copy.New, copy.MovedHere:
			text = "<ins>" + text + "</ins>"
		case copy.Gone, copy.MovedAway:
			text = "<del>" + text + "</del>"
		case copy.Reshaped:
			text = `<span class="reshaped">` + text + "</span>"
		}
		b.WriteString(text)
	}
	x.HTML = template.HTML(b.String())
	return x
}

// bringBack brings an older state of a copy back.
func (s *Section) bringBack(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		proposed := form.Get("do") == "propose"
		err := s.Copyroom.BringBack(c.Request().Context(), kit.Me(c).ID, id, copyroom.Which(form.Get("version")), proposed)
		if proposed {
			return "It is proposed on the copy; take or leave it there.", err
		}
		return "It is the copy now. What was there before is kept as a version.", err
	})
}
