package views

import (
	"html"
	"html/template"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// filters is what stands above a view of how it is filtered and coloured.
type filters struct {
	Panel    string // where the panel is
	Active   []activeTerm
	Legend   []legendEntry
	LegendOf string
}

type activeTerm struct{ Says, Without string }

// newFilters says what is asked of a view.
func newFilters(b *newsroom.Setup, at kit.Address, sieve sift.Sieve) filters {
	f := filters{Panel: "/filter?" + url.Values{"at": {at.With()}}.Encode()}
	for i := range sieve.Terms {
		t := &sieve.Terms[i]
		f.Active = append(f.Active, activeTerm{t.Column.Name + ": " + sayTerm(b, t.Column, t.Value), at.With(t.Column.Key, "")})
	}
	return f
}

// newFacet gives what can be asked of a column, with what is; nothing where nothing can be.
func newFacet(v *Viewing, c *sift.Column, person store.Person) (facet, bool) {
	written := v.Q.Get(c.Key)
	values, not := sift.ValuesOf(c.Kind, written)
	f := facet{Key: c.Key, Name: c.Name, Not: not}
	if written != "" {
		f.Says = sayTerm(v.B, c, written)
	}
	value := strings.Join(values, ",")
	switch {
	case c.Key == "tags" || c.Kind == sift.Text:
		f.Kind, f.Value = "text", value
	case c.Kind == sift.Named || c.Kind == sift.Choice:
		f.Kind, f.Options = "several", optionsOf(v.B, v.Desk, c, person)
		if f.Options == nil {
			return f, false
		}
	case c.Kind == sift.Yes:
		f.Kind, f.Options = "yes", []FilterOption{{Value: "", Name: "either"}, {Value: "yes", Name: "yes"}, {Value: "no", Name: "no"}}
		if not && value != "" { // “not yes” is no
			value, f.Not = map[string]string{"yes": "no", "no": "yes"}[value], false
		}
		values = []string{value}
	default:
		f.Kind = "number"
		f.Options = []FilterOption{{Value: "", Name: "any number, or none"}, {Value: "any", Name: "has one"}, {Value: "none", Name: "has none"}}
		if c.Kind == sift.Date {
			f.Kind, f.Options = "date", []FilterOption{{Value: "", Name: "any time"}}
			for _, o := range dateSpans {
				f.Options = append(f.Options, FilterOption{Value: o.Value, Name: o.Name})
			}
		}
		if offered := slices.ContainsFunc(f.Options, func(o FilterOption) bool { return o.Value == value }); !offered && len(values) == 1 {
			f.From, f.To = value, value
			if from, to, two := strings.Cut(value, ".."); two {
				f.From, f.To = from, to
			}
			values = nil
		} else {
			values = []string{value}
		}
	}
	f.choose(values)
	return f, true
}

// choose marks what is chosen; what was written by hand is added to what is offered.
func (f *facet) choose(values []string) {
	if f.Kind == "text" {
		return
	}
	for _, v := range values {
		i := slices.IndexFunc(f.Options, func(o FilterOption) bool { return o.Value == v })
		if i < 0 {
			f.Options, i = append(f.Options, FilterOption{Value: v, Name: v}), len(f.Options)
		}
		f.Options[i].On = true
	}
}

// Ticks draws the values to choose from. They are drawn here and not in a template because
// a house of two hundred people has some thousand of them.
func (f facet) Ticks() template.HTML {
	var w strings.Builder
	for _, o := range f.Options {
		on := ""
		if o.On {
			on = " checked"
		}
		w.WriteString(`<label><input type="checkbox" name="` + html.EscapeString(f.Key) + `" value="` + html.EscapeString(o.Value) + `"` + on + `>` + html.EscapeString(o.Name) + `</label>`)
	}
	return template.HTML(w.String())
}

// dress says by what the cards are coloured.
func (f *filters) dress(k *CardLook) {
	if k.hue != nil {
		f.LegendOf = k.hue.Name
	}
	f.Legend = k.legend
}

// offer gives the choice of colours and of what is on the cards.
func (k *CardLook) offer(p *filterView) {
	hue := ""
	if k.hue != nil {
		hue = k.hue.Key
	}
	for _, h := range hues {
		name := "No colours"
		if c := sift.Find(k.columns, h); c != nil {
			name = "By " + strings.ToLower(c.Name)
		}
		p.Hues = append(p.Hues, FilterOption{h, name, h == hue})
	}
	for i := range k.columns {
		c := &k.columns[i]
		if slices.Contains(extras, c.Key) || c.Field != 0 {
			p.Shows = append(p.Shows, FilterOption{c.Key, c.Name, slices.Contains(k.shows, c)})
		}
	}
}

// optionsOf gives what can be chosen for a column.
func optionsOf(b *newsroom.Setup, d ref.Desk, c *sift.Column, person store.Person) []FilterOption {
	var out []FilterOption
	add := func(value, name string) { out = append(out, FilterOption{Value: value, Name: name}) }
	switch c.Key {
	case "format":
		for _, x := range b.FormatsOf(d) {
			add(kit.Str(x.ID), x.Name)
		}
	case "channel":
		for _, x := range b.ChannelsOf(d) {
			add(kit.Str(x.ID), x.Name)
		}
	case "topic":
		for _, x := range b.TopicsOf(d) {
			add(kit.Str(x.ID), x.Name)
		}
	case "campaign":
		for _, x := range b.CampaignsOf(d) {
			add(kit.Str(x.ID), x.Name)
		}
	case "who", "owner", "person":
		if person.Access.May(relay.SeeAll) {
			for _, x := range b.OnDesk(d) {
				add(kit.Str(x.ID), x.Name)
			}
		}
	case "priority":
		for _, p := range kit.Priorities {
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

// sayTerm says what is asked of a column: “short or no room”, “not Mon 7 to Fri 11 Dec”.
func sayTerm(b *newsroom.Setup, c *sift.Column, written string) string {
	values, not := sift.ValuesOf(c.Kind, written)
	var out []string
	for _, v := range values {
		id, err := strconv.ParseInt(v, 10, 64)
		switch {
		case c.Kind == sift.Named && err == nil:
			v = c.Names(id)
		case c.Key == "priority" && err == nil:
			v = strings.ToLower(newsroom.SayPriority(relay.Priority(id)))
		case c.Key == "pace":
			v = named(paces, v)
		case c.Kind == sift.Date || c.Kind == sift.Number:
			v = saySpan(c.Kind, v)
		}
		out = append(out, v)
	}
	says := strings.Join(out, " or ")
	if not {
		says = "not " + says
	}
	return says
}

func named(options []kit.Option, value string) string {
	for _, o := range options {
		if o.Value == value {
			return strings.ToLower(o.Name)
		}
	}
	return value
}

// saySpan says a span of days or numbers: “in the next 7 days”, “from 2 on”, “Mon 7 to Fri 11 Dec”.
func saySpan(kind sift.Kind, v string) string {
	if kind == sift.Date {
		if name := named(dateSpans, v); name != v {
			return name
		}
	}
	one := func(s string) string {
		s = strings.TrimSpace(s)
		if kind != sift.Date {
			return s
		}
		if n, err := strconv.Atoi(s); err == nil {
			switch {
			case n == 0:
				return "today"
			case n < 0:
				return english.Plural(-n, "day") + " ago"
			}
			return english.Plural(n, "day") + " from today"
		}
		if d, err := day.ParseDate(s); err == nil {
			return english.Date(d)
		}
		return s
	}
	from, to, two := strings.Cut(v, "..")
	switch {
	case !two:
		return one(v)
	case from == "":
		return "up to " + one(to)
	case to == "":
		return "from " + one(from) + " on"
	}
	return one(from) + " to " + one(to)
}

// Values reads a parameter that is given several times, or once with commas.
func Values(q url.Values, key string) []string {
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
