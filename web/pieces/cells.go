package pieces

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

// cellView is the form that changes one column of one piece, or of several at once.
type cellView struct {
	Key, Name string
	Pieces    []*newsroom.Entry
	IDs       string // with commas
	Version   int    // of the only piece
	Title     string
	Kind      string // text, select, tags, day, days or who
	Value     string
	Options   []views.FilterOption
	Field     *kit.AnswerView
	Legs      []cellLeg
	Date      string
	Time      string
	Problem   string
	Back      string
}

// cellLeg is a running leg that is given away from the list.
type cellLeg struct {
	Key, Name string
	Holder    ref.Person
	People    []store.Person
}

// cellPieces reads the pieces that a form of the list is about.
func (s *Section) cellPieces(c *echo.Context, text string) ([]*newsroom.Entry, error) {
	list := kit.Ids[ref.Piece](text)
	if len(list) == 0 || len(list) > 200 {
		return nil, kit.Input("pieces", "Tick between one and two hundred pieces.")
	}
	return s.Planning.EntriesOf(c.Request().Context(), kit.Me(c).ID, list)
}

// cell shows the form that changes a column, on a page of its own or as a part.
func (s *Section) cell(c *echo.Context) error {
	return s.showCell(c, http.StatusOK, c.QueryParams(), "")
}

func (s *Section) showCell(c *echo.Context, status int, q url.Values, problem string) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	pieces, err := s.cellPieces(c, strings.Join(q["pieces"], ","))
	if err != nil {
		return err
	}
	v := cellView{Key: c.Param("col"), Pieces: pieces, Problem: problem, Back: kit.Within(q.Get("back"))}
	var list []string
	for _, e := range pieces {
		list = append(list, kit.Str(e.ID))
	}
	v.IDs = strings.Join(list, ",")
	if v.Title = english.Plural(len(pieces), "piece"); len(pieces) == 1 {
		v.Title, v.Version = "“"+pieces[0].Title+"”", pieces[0].Version
	}
	if err := v.fill(b, q); err != nil {
		return err
	}
	if c.Request().Header.Get("X-Part") != "" {
		return s.Render(c, status, "cell", "cell-part", v)
	}
	return s.Show(c, status, "cell", v.Name+" of "+v.Title, v)
}

// fill says what kind of form it is, and what is in it.
func (v *cellView) fill(b *newsroom.Setup, q url.Values) error {
	e, one := v.Pieces[0], len(v.Pieces) == 1
	pick := func(name, now string, options []views.FilterOption) {
		v.Name, v.Kind, v.Value = name, "select", now
		for _, o := range options {
			o.On = one && o.Value == now
			v.Options = append(v.Options, o)
		}
	}
	options := func(none string) []views.FilterOption {
		if none == "" {
			return nil
		}
		return []views.FilterOption{{Value: "0", Name: none}}
	}
	switch v.Key {
	case "title":
		v.Name, v.Kind, v.Value = "Title", "text", e.Title
	case "tags", "addtag", "droptag":
		v.Name, v.Kind, v.Value = map[string]string{"tags": "Tags", "addtag": "Another tag", "droptag": "A tag less"}[v.Key], "tags", strings.Join(e.TagList(), ", ")
		if v.Key != "tags" {
			v.Value = ""
		}
	case "owner":
		var out []views.FilterOption
		for _, p := range b.Owners(e.DeskID) {
			out = append(out, views.FilterOption{Value: kit.Str(p.ID), Name: p.Name})
		}
		pick("Owner", kit.Str(e.Owner), out)
	case "topic":
		out := options("None")
		for _, x := range b.TopicsOf(e.DeskID) {
			out = append(out, views.FilterOption{Value: kit.Str(x.ID), Name: x.Name})
		}
		pick("Topic", kit.Str(e.TopicID), out)
	case "campaign":
		out := options("None")
		for _, x := range b.CampaignsOf(e.DeskID) {
			out = append(out, views.FilterOption{Value: kit.Str(x.ID), Name: x.Name})
		}
		pick("Campaign", kit.Str(e.CampaignID), out)
	case "priority":
		var out []views.FilterOption
		for _, p := range kit.Priorities {
			out = append(out, views.FilterOption{Value: strconv.Itoa(int(p)), Name: newsroom.SayPriority(p)})
		}
		pick("Priority", strconv.Itoa(int(e.Priority)), out)
	case "out":
		v.Name, v.Kind = "Goes out", "day"
		if !one {
			v.Kind = "days"
		} else if e.GoesOut != 0 {
			at := e.GoesOut.In(b.Zones[e.DeskID])
			v.Date, v.Time = at.Format("2006-01-02"), at.Format("15:04")
		}
	case "who":
		v.legs(b, one)
	default:
		return v.fillField(b, q)
	}
	return nil
}

func (v *cellView) legs(b *newsroom.Setup, one bool) {
	v.Name, v.Kind = "Who has it", "who"
	e := v.Pieces[0]
	if !one {
		v.Legs = []cellLeg{{"", "All running legs", 0, b.OnDesk(e.DeskID)}}
		return
	}
	for _, l := range e.Running() {
		v.Legs = append(v.Legs, cellLeg{l.Key, l.Name, l.Holder, kit.Suited(b, e.DeskID, l.Role, l.Holder)})
	}
}

// fillField makes the form of an extra field.
func (v *cellView) fillField(b *newsroom.Setup, q url.Values) error {
	id, err := strconv.ParseInt(strings.TrimPrefix(v.Key, "x"), 10, 64)
	f := b.Field(ref.Field(id))
	if err != nil || f.ID == 0 || slices.ContainsFunc(v.Pieces, func(e *newsroom.Entry) bool { return !f.Of(e.FormatID) }) {
		return newsroom.ErrNotFound
	}
	v.Name, v.Kind = f.Name, "field"
	a := planning.Answer{Field: f}
	if len(v.Pieces) == 1 {
		a.Value = v.Pieces[0].Values[f.ID]
	}
	v.Field = &kit.NewAnswers(planning.Sheet{Answers: []planning.Answer{a}}, q, v.Problem != "")[0]
	return nil
}

// saveCell changes a column of one piece or several.
func (s *Section) saveCell(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	pieces, err := s.cellPieces(c, strings.Join(form["pieces"], ","))
	if err != nil {
		return err
	}
	edits, err := editsOf(c.Param("col"), pieces, form)
	if err == nil {
		err = s.Planning.EditPieces(c.Request().Context(), kit.Me(c).ID, edits)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		if kit.WantsJSON(c) {
			return c.JSON(kit.StatusOf(refusal), map[string]any{"problem": refusal.Text, "since": refusal.Unmet})
		}
		form["pieces"] = []string{strings.Join(form["pieces"], ",")}
		return s.showCell(c, kit.StatusOf(refusal), form, refusal.Text)
	} else if err != nil {
		return err
	}
	said := "Changed on " + english.Plural(len(pieces), "piece") + "."
	if kit.WantsJSON(c) {
		var list []ref.Piece
		for _, e := range pieces {
			list = append(list, e.ID)
		}
		return s.Done(c, said, list...)
	}
	s.Say(c, "%s", said)
	return c.Redirect(http.StatusSeeOther, kit.Back(form, "/pieces"))
}

// editsOf reads what a form changes on each piece.
func editsOf(col string, pieces []*newsroom.Entry, form url.Values) ([]planning.Edit, error) {
	value := form.Get("value")
	id := kit.Int[int64](form, "value")
	var out []planning.Edit
	for _, p := range pieces {
		e := planning.Edit{Piece: p.ID}
		if len(pieces) == 1 {
			e.Version = kit.Version(form)
		}
		switch col {
		case "title":
			e.Title = &value
		case "tags":
			e.Tags = &value
		case "addtag":
			e.AddTag = value
		case "droptag":
			e.DropTag = strings.TrimSpace(value)
		case "owner":
			e.Owner = new(ref.Person(id))
		case "topic":
			e.Topic = new(ref.Topic(id))
		case "campaign":
			e.Campaign = new(ref.Campaign(id))
		case "priority":
			n, err := strconv.Atoi(value)
			if err != nil {
				return nil, kit.Input("priority", "Choose one of the priorities.")
			}
			x := relay.Priority(n)
			e.Priority = &x
		default:
			field, err := strconv.ParseInt(strings.TrimPrefix(col, "x"), 10, 64)
			if err != nil {
				return nil, newsroom.ErrNotFound
			}
			e.Fields = map[ref.Field][]string{ref.Field(field): form["field-"+kit.Str(field)]}
		}
		out = append(out, e)
	}
	return out, nil
}
