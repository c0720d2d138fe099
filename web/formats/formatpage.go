package formats

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/field"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
	briefpage "greenbaton/web/brief"
	"greenbaton/web/kit"
)

type formatView struct {
	Rules      []ruleRow // what is made of the checks
	LegChoices []kit.Choice
	Format     store.Format
	New        bool
	Form       url.Values
	Channels   []store.Channel
	Problem    string
	Field      string
	Route      routeView
	Fields     []fieldView
	Others     []kit.Choice // fields of the desk that this format does not show
	Kinds      []kit.Option
	Behind     int // pieces under way on an older version of the route
	Asks       []askedView
	Titled     bool
	Sections   []briefpage.SectionView
	After      afterView        // what is done when a piece is out
	Usual      store.Format     // with what its pieces begin, as it was typed or as it is set
	Answers    []kit.AnswerView // to its extra fields
	Owners     []store.Person
	Guide      int // the version of the guide; 0 for none
}

type fieldView struct {
	store.Field
	Says  string
	Asked []string
	With  []string // other formats that show it
	Lent  bool     // it was made for another
}

func (s *Section) formatPage(c *echo.Context) error {
	return s.showFormat(c, http.StatusOK, nil, nil, nil)
}

// formatOf finds the format of an address on the desk that is looked at; "new" is none.
func (s *Section) formatOf(c *echo.Context, b *newsroom.Setup) (store.Format, error) {
	if c.Param("id") == "new" {
		return store.Format{DeskID: kit.Here(c)}, nil
	}
	id, err := kit.ID[ref.Format](c)
	f := b.Format(id)
	if err != nil || f.ID == 0 || f.DeskID != kit.Here(c) {
		return f, newsroom.ErrNotFound
	}
	return f, nil
}

// oldFormat finds the format of an address that is made already.
func (s *Section) oldFormat(c *echo.Context, b *newsroom.Setup) (store.Format, error) {
	f, err := s.formatOf(c, b)
	if err == nil && f.ID == 0 {
		err = newsroom.ErrNotFound
	}
	return f, err
}

func (s *Section) showFormat(c *echo.Context, status int, refusal *relay.Refusal, form url.Values, r *routeView) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	f, err := s.formatOf(c, b)
	if err != nil {
		return err
	}
	v := formatView{Format: f, New: f.ID == 0, Channels: b.ChannelsOf(kit.Here(c)), Form: form}
	if form == nil || form.Get("form") != "" {
		v.Form = url.Values{"name": {f.Name}, "channel": {fmt.Sprint(f.ChannelID)}, "from": {fmt.Sprint(f.WordsFrom)}, "to": {fmt.Sprint(f.WordsTo)}}
		if f.Wordless {
			v.Form.Set("wordless", "yes")
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	title := "New format"
	if !v.New {
		if title = f.Name; r == nil {
			latest := b.Latest(f.ID)
			x := newRouteView(b, f.ID, latest.Version, latest.Way, nil, nil)
			r = &x
		}
		v.Route = *r
		v.addUsual(b, form)
		v.After = newAfterView(b, f, form, v.Field)
		if err := s.addFields(c, b, &v); err != nil {
			return err
		}
		guides, err := s.Settings.Guides(c.Request().Context(), kit.Me(c).ID, f.ID)
		if err != nil {
			return err
		}
		v.addBrief(b, form, len(guides))
		v.Rules, v.LegChoices = ruleRows(copyroom.ChecksOf(b, f.ID)), legChoices(b.Latest(f.ID).Way)
	}
	return s.Show(c, status, "format", title, v)
}

func (s *Section) addFields(c *echo.Context, b *newsroom.Setup, v *formatView) error {
	for _, k := range field.Kinds {
		v.Kinds = append(v.Kinds, kit.Option{Value: string(k.Kind), Name: k.Name})
	}
	way := b.Latest(v.Format.ID).Way
	for _, x := range b.Fields {
		if !x.Of(v.Format.ID) {
			if !x.Retired && b.Format(x.FormatID).DeskID == v.Format.DeskID {
				v.Others = append(v.Others, kit.Choice{Key: kit.Str(x.ID), Name: b.NameOfField(x)})
			}
			continue
		}
		y := fieldView{Field: x, Lent: x.FormatID != v.Format.ID}
		for _, f := range b.FormatsOf(v.Format.DeskID) {
			if x.Of(f.ID) && f.ID != v.Format.ID {
				y.With = append(y.With, f.Name)
			}
		}
		for _, k := range field.Kinds {
			if k.Kind == x.Kind {
				y.Says = k.Name
			}
		}
		for _, l := range way.Legs {
			if slices.Contains(l.Requires, x.Key) {
				y.Asked = append(y.Asked, l.Name)
			}
		}
		v.Fields = append(v.Fields, y)
	}
	var err error
	v.Behind, err = s.Settings.Behind(c.Request().Context(), b, v.Format.ID)
	return err
}

// saveFormat stores the name, channel and words of a format, or makes one.
func (s *Section) saveFormat(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.formatOf, func(_ *newsroom.Setup, f store.Format, form url.Values) (string, error) {
		made := f.ID == 0
		f.Name, f.ChannelID, f.Wordless, f.Retired = form.Get("name"), kit.Int[ref.Channel](form, "channel"), form.Get("wordless") != "", form.Get("retired") != ""
		if form.Has("typed") { // several are offered where the desk has several
			f.Channels = channelsOf(form, f.ChannelID)
		}
		var err error
		if f.WordsFrom, err = kit.Whole(form, "from", "words", "the words asked for", 0); err != nil {
			return "", err
		}
		if f.WordsTo, err = kit.Whole(form, "to", "words", "the words asked for", 0); err != nil {
			return "", err
		}
		id, err := s.Settings.SaveFormat(c.Request().Context(), kit.Me(c).ID, f)
		if err != nil {
			return "", err
		}
		if s.Say(c, "Saved."); made {
			s.Say(c, "The format is made. Give it its legs.")
		}
		return fmt.Sprintf("/formats/%d", id), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		return s.showFormat(c, status, r, typed, nil)
	})
}

// addUsual shows with what the pieces of the format begin.
func (v *formatView) addUsual(b *newsroom.Setup, form url.Values) {
	v.Usual, v.Owners = v.Format, b.Owners(v.Format.DeskID)
	if form.Get("form") != "usual" {
		form = nil
	}
	if form != nil {
		v.Usual.Owner = kit.Int[ref.Person](form, "owner")
		v.Usual.Priority = kit.Int[relay.Priority](form, "priority")
	}
	v.Answers = kit.Asked(b, v.Format, form)
}

// saveUsual stores with what the pieces of a format begin.
func (s *Section) saveUsual(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.oldFormat, func(b *newsroom.Setup, f store.Format, form url.Values) (string, error) {
		answers := map[ref.Field][]string{}
		for _, x := range b.FieldsOf(f.ID) {
			answers[x.ID] = form["field-"+kit.Str(x.ID)]
		}
		err := s.Settings.SaveUsual(c.Request().Context(), kit.Me(c).ID, f.ID, kit.Int[ref.Person](form, "owner"), kit.Int[relay.Priority](form, "priority"), answers)
		if err != nil {
			return "", err
		}
		s.Say(c, "Saved. New pieces begin with it; those that are made stay as they are.")
		return fmt.Sprintf("/formats/%d#usual", f.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		return s.showFormat(c, status, r, typed, nil)
	})
}

// channelsOf writes the channels that were ticked, and that on which a format usually goes out.
func channelsOf(form url.Values, usual ref.Channel) string {
	all := []string{kit.Str(usual)}
	for _, id := range form["channels"] {
		if n, err := strconv.ParseInt(id, 10, 64); err == nil && !slices.Contains(all, kit.Str(n)) {
			all = append(all, kit.Str(n))
		}
	}
	return strings.Join(all, ",")
}

// GoesOn reports whether a channel is ticked: as it was typed, or as it is set.
func (v formatView) GoesOn(channel ref.Channel) bool {
	if v.Form.Has("typed") {
		return slices.Contains(v.Form["channels"], kit.Str(channel))
	}
	return !v.New && v.Format.GoesOn(channel)
}

// saveField adds or changes an extra field of a format.
func (s *Section) saveField(c *echo.Context) error {
	var f store.Format
	return kit.SetUp(s.Server, c, s.oldFormat, func(_ *newsroom.Setup, found store.Format, form url.Values) (string, error) {
		f = found
		var lines []string
		for line := range strings.Lines(form.Get("choices")) {
			if t := strings.TrimSpace(line); t != "" {
				lines = append(lines, t)
			}
		}
		err := s.Settings.SaveField(c.Request().Context(), kit.Me(c).ID, store.Field{
			ID: kit.Int[ref.Field](form, "field"), FormatID: f.ID, Name: form.Get("name"), Kind: field.Kind(form.Get("kind")), Choices: strings.Join(lines, "\n"),
			Help: form.Get("help"), Retired: form.Get("retired") == "yes",
		})
		if err != nil {
			return "", err
		}
		s.Say(c, "The field is saved.")
		return fmt.Sprintf("/formats/%d#fields", f.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		beside := *r
		beside.Field = "field-" + r.Field
		return s.showFormat(c, status, &beside, mergeForm(f, typed), nil)
	})
}

// shareField shows a field of the desk on a format, or shows it no longer.
func (s *Section) shareField(c *echo.Context) error {
	var f store.Format
	return kit.SetUp(s.Server, c, s.oldFormat, func(_ *newsroom.Setup, found store.Format, form url.Values) (string, error) {
		f = found
		shown := form.Get("do") != "drop"
		if err := s.Settings.ShareField(c.Request().Context(), kit.Me(c).ID, kit.Int[ref.Field](form, "field"), f.ID, shown); err != nil {
			return "", err
		}
		if s.Say(c, "The field is asked for here as well: it is one column, one filter and one date for all its formats."); !shown {
			s.Say(c, "It is no longer asked for here; what was filled in is kept.")
		}
		return fmt.Sprintf("/formats/%d#fields", f.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		return s.showFormat(c, status, r, mergeForm(f, url.Values{}), nil)
	})
}

// mergeForm puts what was typed into the form of a field beside what the format has,
// so that each form of the page shows its own.
func mergeForm(f store.Format, typed url.Values) url.Values {
	return url.Values{
		"name": {f.Name}, "channel": {fmt.Sprint(f.ChannelID)}, "from": {fmt.Sprint(f.WordsFrom)}, "to": {fmt.Sprint(f.WordsTo)},
		"field": typed["field"], "field-name": typed["name"], "field-kind": typed["kind"], "field-choices": typed["choices"], "field-help": typed["help"],
	}
}
