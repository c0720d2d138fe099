package web

import (
	"bytes"
	"fmt"
	"html"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// part is a piece of a view that is drawn anew by itself when something in it changes.
type part struct {
	Key      string
	Template string
	Data     any
	Has      func(piece int64) bool // nil for what follows from all pieces
}

// showView shows a view, or only those parts of it that some pieces are or were in:
// what a page asks for when it hears that they changed.
func (s *Server) showView(c *echo.Context, page, title string, v any, parts []part) error {
	h := c.Request().Header
	if h.Get("X-Pieces") == "" {
		return s.show(c, http.StatusOK, page, title, v)
	}
	keys := strings.Split(h.Get("X-Parts"), ",")
	var pieces []int64
	for p := range strings.SplitSeq(h.Get("X-Pieces"), ",") {
		if id, err := strconv.ParseInt(p, 10, 64); err == nil {
			pieces = append(pieces, id)
		}
	}
	t, ok := s.pages.byName[page]
	if !ok {
		return fmt.Errorf("no template %s", page)
	}
	out := map[string]string{}
	for _, x := range parts {
		if x.Has != nil && !slices.Contains(keys, x.Key) && !slices.ContainsFunc(pieces, x.Has) {
			continue
		}
		var b bytes.Buffer
		if err := t.ExecuteTemplate(&b, x.Template, x.Data); err != nil {
			return fmt.Errorf("render %s: %w", x.Template, err)
		}
		out[x.Key] = b.String()
	}
	return c.JSON(http.StatusOK, map[string]any{"parts": out})
}

// filters is the panel in which a view is sifted and dressed.
type filters struct {
	At       address
	Active   []activeTerm
	Choices  []filterChoice
	Dates    []filterChoice
	Yes      []filterChoice
	Texts    []filterChoice
	Hues     []filterOption
	Shows    []filterOption
	Legend   []legendEntry
	LegendOf string
}

type activeTerm struct{ Says, Without string }

type filterChoice struct {
	Key, Name, Value, Help string
	Options                []filterOption
}

type filterOption struct {
	Value, Name string
	On          bool
}

// dateSpans are the spans of days that are offered for a date.
var dateSpans = []option{{"..-1", "past"}, {"today", "today"}, {"0..+7", "in the next 7 days"}, {"0..+30", "in the next 30 days"}, {"-7..0", "in the last 7 days"}, {"-30..0", "in the last 30 days"}, {"none", "no date"}, {"any", "any date"}}

// newFilters makes the panel of a view, with what is chosen in it.
func newFilters(b *newsroom.Setup, d int64, at address, columns []sift.Column, sieve sift.Sieve, person store.Person) filters {
	f := filters{At: at}
	for _, t := range sieve.Terms {
		f.Active = append(f.Active, activeTerm{sayTerm(b, t), at.with(t.Column.Key, "")})
	}
	for i := range columns {
		c := &columns[i]
		x := filterChoice{Key: c.Key, Name: c.Name, Value: at.q.Get(c.Key)}
		switch kind := c.Kind; {
		case c.Key == "tags":
			x.Help = "with commas between"
			f.Texts = append(f.Texts, x)
		case kind == sift.Named || kind == sift.Choice:
			if x.Options = optionsOf(b, d, c, person); x.Options == nil {
				continue
			}
			f.Choices = append(f.Choices, x.chosen())
		case kind == sift.Date:
			for _, o := range dateSpans {
				x.Options = append(x.Options, filterOption{Value: o.Value, Name: o.Name})
			}
			f.Dates = append(f.Dates, x.chosen())
		case kind == sift.Yes:
			x.Options = []filterOption{{Value: "yes", Name: "yes"}, {Value: "no", Name: "no"}}
			f.Yes = append(f.Yes, x.chosen())
		case kind == sift.Number:
			x.Help = "like 3 or 1..5"
			f.Texts = append(f.Texts, x)
		case kind == sift.Text:
			f.Texts = append(f.Texts, x)
		}
	}
	return f
}

// Path is the address of the view without what is chosen.
func (f filters) Path() string { return f.At.path }

// Carried are the parameters of the address that the panel does not change.
func (f filters) Carried() template.HTML {
	but := []string{"page", "hue", "card"}
	for _, group := range [][]filterChoice{f.Choices, f.Dates, f.Yes, f.Texts} {
		for _, x := range group {
			but = append(but, x.Key)
		}
	}
	return f.At.Hidden(but...)
}

// Drawn writes the options of a choice. It is written here and not in a template because
// a house of two hundred people has some thousand of them.
func (x filterChoice) Drawn() template.HTML {
	var w strings.Builder
	for _, o := range x.Options {
		on := ""
		if o.On {
			on = " selected"
		}
		w.WriteString(`<option value="` + html.EscapeString(o.Value) + `"` + on + `>` + html.EscapeString(o.Name) + `</option>`)
	}
	return template.HTML(w.String())
}

// chosen marks the chosen option; one that was written by hand is added to the list.
func (x filterChoice) chosen() filterChoice {
	if x.Value == "" {
		return x
	}
	i := slices.IndexFunc(x.Options, func(o filterOption) bool { return o.Value == x.Value })
	if i < 0 {
		x.Options = append(slices.Clone(x.Options), filterOption{Value: x.Value, Name: x.Value})
		i = len(x.Options) - 1
	}
	x.Options[i].On = true
	return x
}

// dress adds the choice of colours and of what is on the cards.
func (f *filters) dress(k *cardLook, columns []sift.Column) {
	hue := ""
	if k.hue != nil {
		hue = k.hue.Key
		f.LegendOf = k.hue.Name
	}
	f.Legend = k.legend
	for _, h := range hues {
		name := "No colours"
		if c := sift.Find(columns, h); c != nil {
			name = "By " + strings.ToLower(c.Name)
		}
		f.Hues = append(f.Hues, filterOption{h, name, h == hue})
	}
	for i := range columns {
		c := &columns[i]
		if slices.Contains(extras, c.Key) || c.Field != 0 {
			f.Shows = append(f.Shows, filterOption{c.Key, c.Name, slices.Contains(k.shows, c)})
		}
	}
}

// optionsOf gives what can be chosen for a column.
func optionsOf(b *newsroom.Setup, d int64, c *sift.Column, person store.Person) []filterOption {
	var out []filterOption
	add := func(value, name string) { out = append(out, filterOption{Value: value, Name: name}) }
	switch c.Key {
	case "format":
		for _, x := range b.FormatsOf(d) {
			add(str(x.ID), x.Name)
		}
	case "channel":
		for _, x := range b.ChannelsOf(d) {
			add(str(x.ID), x.Name)
		}
	case "topic":
		for _, x := range b.TopicsOf(d) {
			add(str(x.ID), x.Name)
		}
	case "campaign":
		for _, x := range b.CampaignsOf(d) {
			add(str(x.ID), x.Name)
		}
	case "who", "owner", "person":
		if person.Access.May(relay.SeeAll) {
			for _, x := range b.OnDesk(d) {
				add(str(x.ID), x.Name)
			}
		}
	case "priority":
		for _, p := range priorities {
			add(strconv.Itoa(int(p)), newsroom.SayPriority(p))
		}
	case "pace":
		for _, p := range paces[1:] {
			add(p.Value, p.Name)
		}
	case "leg":
		for _, name := range b.LegNames(d) {
			add(strings.ToLower(name), name)
		}
	case "tags", "desk":
		return nil
	default:
		for _, x := range b.Field(c.Field).Field().Choices {
			add(strings.ToLower(x), x)
		}
		if b.Field(c.Field).Kind == "yes" {
			add("yes", "yes")
			add("no", "no")
		}
	}
	if len(out) > 0 {
		add("none", "none")
	}
	return out
}

var priorities = []relay.Priority{relay.First, relay.High, relay.Usual, relay.CanWait}

// sayTerm says what a term of a sieve asks for: "Pace: short, no room".
func sayTerm(b *newsroom.Setup, t sift.Term) string {
	value, not := strings.CutPrefix(t.Value, "!")
	var out []string
	for v := range strings.SplitSeq(value, ",") {
		v = strings.TrimSpace(v)
		id, err := strconv.ParseInt(v, 10, 64)
		switch {
		case t.Column.Kind == sift.Named && err == nil:
			v = t.Column.Names(id)
		case t.Column.Key == "priority" && err == nil:
			v = strings.ToLower(newsroom.SayPriority(relay.Priority(id)))
		case t.Column.Key == "pace" || t.Column.Kind == sift.Date:
			for _, o := range append(slices.Clone(paces), dateSpans...) {
				if o.Value == v {
					v = strings.ToLower(o.Name)
				}
			}
		}
		out = append(out, v)
	}
	says := strings.Join(out, " or ")
	if not {
		says = "not " + says
	}
	return t.Column.Name + ": " + says
}

// ids reads numbers parted by commas.
func ids(s string) []int64 {
	var out []int64
	for p := range strings.SplitSeq(s, ",") {
		if id, err := strconv.ParseInt(strings.TrimSpace(p), 10, 64); err == nil {
			out = append(out, id)
		}
	}
	return out
}

// values reads a parameter that is given several times, or once with commas.
func values(q url.Values, key string) []string {
	var out []string
	for _, v := range q[key] {
		for x := range strings.SplitSeq(v, ",") {
			if x = strings.TrimSpace(x); x != "" && !slices.Contains(out, x) {
				out = append(out, x)
			}
		}
	}
	return out
}
