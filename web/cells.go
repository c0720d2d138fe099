package web

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/figure"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
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
	Options   []filterOption
	Field     *answerView
	Legs      []cellLeg
	Date      string
	Time      string
	Problem   string
	Back      string
}

// cellLeg is a running leg that is given away from the list.
type cellLeg struct {
	Key, Name string
	Holder    int64
	People    []store.Person
}

// cellPieces reads the pieces that a form of the list is about.
func (s *Server) cellPieces(c *echo.Context, text string) ([]*newsroom.Entry, error) {
	list := ids(text)
	if len(list) == 0 || len(list) > 200 {
		return nil, input("pieces", "Tick between one and two hundred pieces.")
	}
	return s.Newsroom.Planning.EntriesOf(c.Request().Context(), me(c).ID, list)
}

// cell shows the form that changes a column, on a page of its own or as a part.
func (s *Server) cell(c *echo.Context) error {
	return s.showCell(c, http.StatusOK, c.QueryParams(), "")
}

func (s *Server) showCell(c *echo.Context, status int, q url.Values, problem string) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	pieces, err := s.cellPieces(c, strings.Join(q["pieces"], ","))
	if err != nil {
		return err
	}
	v := cellView{Key: c.Param("col"), Pieces: pieces, Problem: problem, Back: within(q.Get("back"))}
	var list []string
	for _, e := range pieces {
		list = append(list, str(e.ID))
	}
	v.IDs = strings.Join(list, ",")
	if v.Title = newsroom.Plural(len(pieces), "piece"); len(pieces) == 1 {
		v.Title, v.Version = "“"+pieces[0].Title+"”", pieces[0].Version
	}
	if err := v.fill(b, q); err != nil {
		return err
	}
	if c.Request().Header.Get("X-Part") != "" {
		return s.render(c, status, "cell", "cell-part", v)
	}
	return s.show(c, status, "cell", v.Name+" of "+v.Title, v)
}

// fill says what kind of form it is, and what is in it.
func (v *cellView) fill(b *newsroom.Setup, q url.Values) error {
	e, one := v.Pieces[0], len(v.Pieces) == 1
	pick := func(name, now string, options []filterOption) {
		v.Name, v.Kind, v.Value = name, "select", now
		for _, o := range options {
			o.On = one && o.Value == now
			v.Options = append(v.Options, o)
		}
	}
	options := func(none string) []filterOption {
		if none == "" {
			return nil
		}
		return []filterOption{{Value: "0", Name: none}}
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
		var out []filterOption
		for _, p := range b.Owners(e.DeskID) {
			out = append(out, filterOption{Value: str(p.ID), Name: p.Name})
		}
		pick("Owner", str(e.Owner), out)
	case "topic":
		out := options("None")
		for _, x := range b.TopicsOf(e.DeskID) {
			out = append(out, filterOption{Value: str(x.ID), Name: x.Name})
		}
		pick("Topic", str(e.TopicID), out)
	case "campaign":
		out := options("None")
		for _, x := range b.CampaignsOf(e.DeskID) {
			out = append(out, filterOption{Value: str(x.ID), Name: x.Name})
		}
		pick("Campaign", str(e.CampaignID), out)
	case "priority":
		var out []filterOption
		for _, p := range priorities {
			out = append(out, filterOption{Value: strconv.Itoa(int(p)), Name: newsroom.SayPriority(p)})
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
		v.Legs = append(v.Legs, cellLeg{l.Key, l.Name, l.Holder, suited(b, e.DeskID, l.Role)})
	}
}

// fillField makes the form of an extra field.
func (v *cellView) fillField(b *newsroom.Setup, q url.Values) error {
	id, err := strconv.ParseInt(strings.TrimPrefix(v.Key, "x"), 10, 64)
	f := b.Field(id)
	if err != nil || f.ID == 0 || slices.ContainsFunc(v.Pieces, func(e *newsroom.Entry) bool { return e.FormatID != f.FormatID }) {
		return newsroom.ErrNotFound
	}
	v.Name, v.Kind = f.Name, "field"
	a := planning.Answer{Field: f}
	if len(v.Pieces) == 1 {
		a.Value = v.Pieces[0].Values[f.ID]
	}
	v.Field = &newAnswers(planning.Sheet{Answers: []planning.Answer{a}}, q, v.Problem != "")[0]
	return nil
}

// saveCell changes a column of one piece or several.
func (s *Server) saveCell(c *echo.Context) error {
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
		err = s.Newsroom.Planning.EditPieces(c.Request().Context(), me(c).ID, edits)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		if wantsJSON(c) {
			return c.JSON(statusOf(refusal), map[string]any{"problem": refusal.Text, "since": refusal.Unmet})
		}
		form["pieces"] = []string{strings.Join(form["pieces"], ",")}
		return s.showCell(c, statusOf(refusal), form, refusal.Text)
	} else if err != nil {
		return err
	}
	said := "Changed on " + newsroom.Plural(len(pieces), "piece") + "."
	if wantsJSON(c) {
		var list []int64
		for _, e := range pieces {
			list = append(list, e.ID)
		}
		return s.done(c, said, list...)
	}
	s.say(c, "%s", said)
	return c.Redirect(http.StatusSeeOther, back(form, "/pieces"))
}

// editsOf reads what a form changes on each piece.
func editsOf(col string, pieces []*newsroom.Entry, form url.Values) ([]planning.Edit, error) {
	value := form.Get("value")
	id := int64At(form, "value")
	var out []planning.Edit
	for _, p := range pieces {
		e := planning.Edit{Piece: p.ID}
		if len(pieces) == 1 {
			e.Version = version(form)
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
			e.Owner = &id
		case "topic":
			e.Topic = &id
		case "campaign":
			e.Campaign = &id
		case "priority":
			n, err := strconv.Atoi(value)
			if err != nil {
				return nil, input("priority", "Choose one of the priorities.")
			}
			x := relay.Priority(n)
			e.Priority = &x
		default:
			field, err := strconv.ParseInt(strings.TrimPrefix(col, "x"), 10, 64)
			if err != nil {
				return nil, newsroom.ErrNotFound
			}
			e.Fields = map[int64][]string{field: form["field-"+str(field)]}
		}
		out = append(out, e)
	}
	return out, nil
}

// manyOf reads the changes that the list asks for several pieces at once: their running
// legs given to somebody, their days shifted by working days, or taken away.
func manyOf(board *plan.Board, form url.Values) ([]plan.Change, error) {
	var out []plan.Change
	shift, err := figure.Whole(form.Get("shift"))
	if form.Get("what") == "shift" && (err != nil || shift < -250 || shift > 250 || shift == 0) {
		return nil, input("shift", "Write by how many working days they move, like 2 or -1.")
	}
	for _, id := range ids(strings.Join(form["pieces"], ",")) {
		p := board.Piece(id)
		if p == nil || p.Stage != relay.UnderWay {
			continue
		}
		switch form.Get("what") {
		case "give":
			for _, l := range p.Running() {
				if to := int64At(form, "to"); l.Holder != to {
					out = append(out, plan.Change{Do: plan.DoGive, Piece: id, Leg: l.Key, Person: to})
				}
			}
		case "shift":
			if p.GoesOut == 0 {
				continue
			}
			out = append(out, plan.Change{Do: plan.DoMove, Piece: id, At: board.House(p).Later(p, shift)})
		case "none":
			if p.GoesOut != 0 {
				out = append(out, plan.Change{Do: plan.DoMove, Piece: id})
			}
		}
	}
	if len(out) == 0 {
		return nil, input("pieces", "On these pieces nothing would change.")
	}
	return out, nil
}
