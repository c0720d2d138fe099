package requests

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	briefpage "greenbaton/web/brief"
	"greenbaton/web/kit"
)

type requestsView struct {
	Export kit.Export
	Answer kit.Sentence
	States []kit.Setting
	Rows   []requestRow
	Empty  string
	Lead   bool
	First  ref.Request // the request with which triage begins; 0 for none
}

type requestRow struct {
	ID          ref.Request
	Title, Says string
	Stands      string
	Wanted      string
}

// stateAsked gives the state of the requests that are asked for.
func stateAsked(c *echo.Context) string {
	if q := c.QueryParams(); q.Has("state") {
		return q.Get("state")
	}
	return store.Asked
}

// requests lists what was asked of the desk.
func (s *Section) requests(c *echo.Context) error {
	ctx, state := c.Request().Context(), stateAsked(c)
	l, err := s.Intake.Requests(ctx, kit.Me(c).ID, kit.Here(c), state)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := requestsView{Export: kit.ExportOf(kit.Address{Path: "/requests", Q: url.Values{"state": {state}}}), Lead: kit.Me(c).Access.May(relay.SetUpDesk), Empty: "No request is in this state."}
	at := kit.Address{Path: "/requests", Q: url.Values{}}
	all := 0
	for _, x := range []struct{ state, name string }{{store.Asked, "To decide"}, {store.AskedBack, "Asked back"}, {store.Taken, "Taken"}, {store.TurnedDown, "Turned down"}} {
		v.States = append(v.States, kit.Setting{Name: x.name + " " + english.Number(l.Counts[x.state]), Link: at.With("state", x.state), On: state == x.state})
		all += l.Counts[x.state]
	}
	v.States = append(v.States, kit.Setting{Name: "All " + english.Number(all), Link: "/requests?state=", On: state == ""})
	now := s.Newsroom.Now()
	for _, x := range l.Rows {
		r := requestRow{ID: x.ID, Title: x.Title, Says: x.Name + ", " + english.Ago(x.At, now)}
		if x.Format != 0 {
			r.Says += " · " + b.Format(x.Format).Name
		}
		if x.Wanted != 0 {
			r.Wanted = english.Date(x.Wanted)
		}
		if x.State != store.Asked {
			r.Stands = english.UpperFirst(x.State) + " by " + b.Name(x.SettledBy)
		}
		v.Rows = append(v.Rows, r)
	}
	if state == store.Asked && len(l.Rows) > 0 {
		v.First = l.Rows[0].ID
	}
	n := l.Counts[store.Asked]
	v.Answer = kit.Sentence{Text: english.Plural(n, "request") + english.Verb(n, " waits", " wait") + " for a decision.", Tone: "plain"}
	if n == 0 {
		v.Answer = kit.Sentence{Text: "Every request is answered.", Tone: "good"}
		v.Empty = "Nothing waits here. What is asked through the desk’s forms comes in by itself."
	} else if state == store.Asked {
		v.Answer.Text = strings.TrimSuffix(v.Answer.Text, ".") + ", the oldest for " + strings.TrimSuffix(english.Ago(l.Rows[0].At, now), " ago") + "."
	}
	return s.Show(c, http.StatusOK, "requests", "Requests", v)
}

type triageView struct {
	intake.Triage
	Says     string
	FormName string
	About    string
	Said     []wordView
	Likes    []kit.LikeView
	Formats  []kit.Choice // of the desk, and of others that whoever looks belongs to
	People   []store.Person
	Owners   []store.Person
	Typed    url.Values
	Capacity *intake.Capacity
	Seen     string // which partner will see it at once
	Tone     string
	Decided  bool
	Piece    *relay.Piece
	Problem  string
	Field    string
	Opened   string
	Sizes    []fileView
	Decision string
}

// writing gives the role that writes the pieces of a format.
func writing(b *newsroom.Setup, f ref.Format) string {
	for _, l := range b.Latest(f).Way.Legs {
		if l.Words {
			return l.Role
		}
	}
	return "write"
}

type fileView struct {
	store.File
	Says string
}

func (s *Section) triage(c *echo.Context) error {
	id, err := kit.ID[ref.Request](c)
	if err != nil {
		return err
	}
	return s.showTriage(c, http.StatusOK, id, c.QueryParams(), nil)
}

func (s *Section) showTriage(c *echo.Context, status int, id ref.Request, typed url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	t, err := s.Intake.Triage(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	now := s.Newsroom.Now()
	v := triageView{Triage: t, Says: english.Ago(t.At, now), FormName: t.Form.Name, Formats: formatsFor(b, kit.Me(c), t.DeskID), People: kit.Suited(b, t.DeskID, "write", 0), Owners: b.Owners(t.DeskID),
		Likes: kit.NewLikes(b, t.Likes, now), Typed: typed, Decided: t.State == store.Taken || t.State == store.TurnedDown}
	for _, w := range t.Words {
		y := wordView{By: b.Name(w.By), Text: w.Text, When: english.Ago(w.At, now), House: w.By != 0}
		if w.By == 0 {
			y.By = t.Name
		}
		v.Said = append(v.Said, y)
	}
	for _, f := range t.Files {
		v.Sizes = append(v.Sizes, fileView{f, english.Size(f.Size)})
	}
	if v.Decided {
		v.Decision = fmt.Sprintf("%s by %s, %s.", english.UpperFirst(t.State), b.Name(t.SettledBy), english.Ago(t.SettledAt, now))
		if t.Why != "" {
			v.Decision += " " + t.Why
		}
		if t.PieceID != 0 {
			if v.Piece, err = s.Planning.Example(ctx, kit.Me(c).ID, t.PieceID); err != nil {
				return err
			}
		}
		return s.Show(c, status, "request", t.Title, v)
	}
	for k, usual := range map[string]string{"format": kit.Str(t.Format), "day": wantedText(t.Wanted), "title": t.Title} {
		if !typed.Has(k) {
			v.Typed.Set(k, usual)
		}
	}
	if refusal != nil {
		v.Problem, v.Field, v.Opened = refusal.Text, refusal.Field, typed.Get("do")
	}
	if f := kit.Int[ref.Format](v.Typed, "format"); f != 0 && planning.MayCreate(b.Who(kit.Me(c).ID, b.Format(f).DeskID)) {
		d := b.Format(f).DeskID // of the desk it goes to
		v.People, v.Owners, v.Seen = kit.Suited(b, d, writing(b, f), 0), b.Owners(d), b.SeenAtOnce(b.Format(f).ChannelID)
		wanted, err := kit.DateOf(v.Typed, "day", "the day")
		if err == nil {
			capacity, err := s.Intake.Capacity(ctx, kit.Me(c).ID, intake.Take{Format: f, Writer: kit.Int[ref.Person](v.Typed, "writer"), Owner: kit.Me(c).ID}, wanted)
			if err != nil && !errors.As(err, new(*relay.Refusal)) {
				return err
			} else if err == nil {
				v.Capacity, v.Tone = &capacity, "noroom"
				if capacity.Works || wanted == 0 && capacity.At != 0 {
					v.Tone = "good"
				}
			}
		}
	}
	return s.Show(c, status, "request", t.Title, v)
}

// formatsFor gives the formats of a desk, then those of other desks that somebody belongs
// to: choosing one of them sends a request there.
func formatsFor(b *newsroom.Setup, who store.Person, d ref.Desk) []kit.Choice {
	var out []kit.Choice
	for _, f := range b.FormatsOf(d) {
		out = append(out, kit.Choice{Key: kit.Str(f.ID), Name: f.Name})
	}
	for _, other := range b.DesksOf(who.ID) {
		if other.ID == d || !planning.MayCreate(b.Who(who.ID, other.ID)) {
			continue
		}
		for _, f := range b.FormatsOf(other.ID) {
			out = append(out, kit.Choice{Key: kit.Str(f.ID), Name: other.Name + ": " + f.Name})
		}
	}
	return out
}

func wantedText(d day.Date) string {
	if d == 0 {
		return ""
	}
	return d.String()
}

// decide takes, asks back or turns down a request.
func (s *Section) decide(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Request](c)
	if err != nil {
		return err
	}
	ctx, who, v := c.Request().Context(), kit.Me(c).ID, kit.Version(form)
	to, said := "/requests", ""
	switch form.Get("do") {
	case "ask":
		said, err = "Asked. It comes back when they answer.", s.Intake.AskBack(ctx, who, id, v, form.Get("text"))
	case "turn":
		said, err = "Turned down; they are told why.", s.Intake.TurnDown(ctx, who, id, v, form.Get("why"))
	case "take", "park":
		var piece ref.Piece
		if piece, err = s.takeRequest(c, id, v, form); err == nil {
			said, to = "It is a piece now, and they are told.", fmt.Sprintf("/pieces/%d", piece)
		}
	default: // see whether another day or person works
		return s.showTriage(c, http.StatusOK, id, form, nil)
	}
	return s.Answered(c, err, said, to, func(status int, r *relay.Refusal) error { return s.showTriage(c, status, id, form, r) })
}

func (s *Section) takeRequest(c *echo.Context, id ref.Request, version int, form url.Values) (ref.Piece, error) {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return 0, err
	}
	f := b.Format(kit.Int[ref.Format](form, "format"))
	at := url.Values{"date": {form.Get("day")}}
	t := intake.Take{Title: form.Get("title"), Format: f.ID, Writer: kit.Int[ref.Person](form, "writer"), Owner: kit.Int[ref.Person](form, "owner"), Priority: kit.PriorityOf(form), Word: form.Get("word"), Park: form.Get("do") == "park"}
	if t.GoesOut, err = kit.GoesOut(b, f, f.ChannelID, at, newsroom.Morning, s.Newsroom.Now()); err != nil {
		return 0, err
	}
	return s.Intake.TakeRequest(c.Request().Context(), kit.Me(c).ID, id, version, t)
}

type formsView struct {
	Forms []formLine
	Lead  bool
}

type formLine struct {
	request.Form
	Says string
}

// forms lists the forms of the desk.
func (s *Section) forms(c *echo.Context) error {
	all, err := s.Intake.Forms(c.Request().Context(), kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return err
	}
	v := formsView{Lead: kit.Me(c).Access.May(relay.SetUpDesk)}
	for _, f := range all {
		says := "for colleagues"
		if f.Anyone {
			says = "for anyone"
		}
		says += ", asks " + english.Plural(len(f.Fields), "thing")
		if !f.Open {
			says += " · closed"
		}
		v.Forms = append(v.Forms, formLine{f, says})
	}
	return s.Show(c, http.StatusOK, "forms", "Forms", v)
}

type formView struct {
	Form    request.Form
	New     bool
	Rows    []formRow
	Kinds   []kit.Option
	Parts   []kit.Option
	Formats []store.Format
	Address string
	Problem string
	Field   string
}

type formRow struct {
	At int
	request.Field
	Choices string
}

func (s *Section) formPage(c *echo.Context) error {
	f, err := s.formOf(c)
	if err != nil {
		return err
	}
	return s.showForm(c, http.StatusOK, f, nil, nil)
}

// formOf finds the form of an address on the desk that is looked at; "new" is another.
func (s *Section) formOf(c *echo.Context) (request.Form, error) {
	all, err := s.Intake.Forms(c.Request().Context(), kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return request.Form{}, err
	}
	if c.Param("id") == "new" {
		return request.Form{DeskID: kit.Here(c), Open: true}, nil
	}
	id, err := kit.ID[ref.Form](c)
	if err != nil {
		return request.Form{}, err
	}
	for _, f := range all {
		if f.ID == id {
			return f, nil
		}
	}
	return request.Form{}, newsroom.ErrNotFound
}

func (s *Section) showForm(c *echo.Context, status int, f request.Form, choices []string, refusal *relay.Refusal) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v := formView{Form: f, New: f.ID == 0, Formats: b.FormatsOf(f.DeskID), Parts: briefpage.BriefParts(), Address: s.Base + "/ask/" + f.Slug}
	for _, k := range request.Kinds {
		v.Kinds = append(v.Kinds, kit.Option{Value: string(k.Kind), Name: k.Name})
	}
	for i, x := range append(f.Fields, request.Field{}, request.Field{}) {
		r := formRow{At: i, Field: x}
		var lines []string
		for _, o := range x.Options {
			line := o.Name
			if o.Format != 0 {
				line += " → " + b.Format(o.Format).Name
			}
			lines = append(lines, line)
		}
		if r.Choices = strings.Join(lines, "\n"); i < len(choices) {
			r.Choices = choices[i]
		}
		v.Rows = append(v.Rows, r)
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	title := f.Name
	if v.New {
		title = "New form"
	}
	return s.Show(c, status, "form", title, v)
}

// saveForm stores a form.
func (s *Section) saveForm(c *echo.Context) error {
	f, err := s.formOf(c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	f.Name, f.Intro, f.Slug, f.Format = form.Get("name"), form.Get("intro"), form.Get("slug"), kit.Int[ref.Format](form, "format")
	f.Anyone, f.Open, f.Fields = form.Get("anyone") != "", form.Get("open") != "", nil
	var problem error
	for i := range form["field"] {
		get := func(k string) string {
			if xs := form[k]; i < len(xs) {
				return xs[i]
			}
			return ""
		}
		x := request.Field{Name: get("field"), Kind: request.Kind(get("kind")), Help: get("help"), Into: get("into"), Must: get("must") != ""}
		x.Options, err = request.ReadOptions(get("choices"), func(name string) ref.Format {
			for _, y := range b.FormatsOf(f.DeskID) {
				if strings.EqualFold(y.Name, name) {
					return y.ID
				}
			}
			return 0
		})
		if refusal := new(relay.Refusal); errors.As(err, &refusal) && problem == nil && x.Kind == request.Choice {
			problem = kit.Input(fmt.Sprintf("field-%d", i), refusal.Text)
		}
		f.Fields = append(f.Fields, x)
	}
	id := f.ID
	if err = problem; err == nil {
		id, err = s.Intake.SaveForm(c.Request().Context(), kit.Me(c).ID, f)
	}
	return s.Answered(c, err, "The form is saved.", fmt.Sprintf("/forms/%d", id), func(status int, r *relay.Refusal) error {
		return s.showForm(c, status, f, form["choices"], r)
	})
}
