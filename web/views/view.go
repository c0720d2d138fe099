package views

import (
	"html"
	"html/template"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// filters is the panel in which a view is sifted and dressed.
type filters struct {
	At       kit.Address
	Active   []activeTerm
	Choices  []filterChoice
	Dates    []filterChoice
	Yes      []filterChoice
	Texts    []filterChoice
	Hues     []FilterOption
	Shows    []FilterOption
	Legend   []legendEntry
	LegendOf string
}

type activeTerm struct{ Says, Without string }

type filterChoice struct {
	Key, Name, Value, Help string
	Options                []FilterOption
}

// FilterOption is one of the values to filter by.
type FilterOption struct {
	Value, Name string
	On          bool
}

// dateSpans are the spans of days that are offered for a date.
var dateSpans = []kit.Option{{Value: "..-1", Name: "past"}, {Value: "today", Name: "today"}, {Value: "0..+7", Name: "in the next 7 days"}, {Value: "0..+30", Name: "in the next 30 days"}, {Value: "-7..0", Name: "in the last 7 days"}, {Value: "-30..0", Name: "in the last 30 days"}, {Value: "none", Name: "no date"}, {Value: "any", Name: "any date"}}

// newFilters makes the panel of a view, with what is chosen in it.
func newFilters(b *newsroom.Setup, d ref.Desk, at kit.Address, columns []sift.Column, sieve sift.Sieve, person store.Person) filters {
	f := filters{At: at}
	for _, t := range sieve.Terms {
		f.Active = append(f.Active, activeTerm{sayTerm(b, t), at.With(t.Column.Key, "")})
	}
	for i := range columns {
		c := &columns[i]
		x := filterChoice{Key: c.Key, Name: c.Name, Value: at.Q.Get(c.Key)}
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
				x.Options = append(x.Options, FilterOption{Value: o.Value, Name: o.Name})
			}
			f.Dates = append(f.Dates, x.chosen())
		case kind == sift.Yes:
			x.Options = []FilterOption{{Value: "yes", Name: "yes"}, {Value: "no", Name: "no"}}
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
func (f filters) Path() string { return f.At.Path }

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
	i := slices.IndexFunc(x.Options, func(o FilterOption) bool { return o.Value == x.Value })
	if i < 0 {
		x.Options = append(slices.Clone(x.Options), FilterOption{Value: x.Value, Name: x.Value})
		i = len(x.Options) - 1
	}
	x.Options[i].On = true
	return x
}

// dress adds the choice of colours and of what is on the cards.
func (f *filters) dress(k *CardLook, columns []sift.Column) {
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
		f.Hues = append(f.Hues, FilterOption{h, name, h == hue})
	}
	for i := range columns {
		c := &columns[i]
		if slices.Contains(extras, c.Key) || c.Field != 0 {
			f.Shows = append(f.Shows, FilterOption{c.Key, c.Name, slices.Contains(k.shows, c)})
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
		for _, p := range Priorities {
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

// Priorities are those of a piece, the highest first.
var Priorities = []relay.Priority{relay.First, relay.High, relay.Usual, relay.CanWait}

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
