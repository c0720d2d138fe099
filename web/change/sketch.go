package change

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

// sketchView is a sketch with what it comes to.
type sketchView struct {
	ID      ref.Sketch
	Name    string
	Problem string
	Typed   string // the name, as it was typed
	Answer  string
	Tone    string
	News    []string
	Changes []sketchChange
	Failed  []sketchChange
	Days    []sketchDay
	Result  consequence
	Any     bool // something in it can be done
}

// sketchChange is one change that is in a sketch.
type sketchChange struct{ Says, Change, Why string }

// sketchDay is a day of the lineup before and after.
type sketchDay struct {
	Date       string
	Was, Would []sketchPiece
}

type sketchPiece struct {
	Title, Time string
	Moves       bool // it is there only before, or only after
}

// sketch shows a sketch.
func (s *Section) sketch(c *echo.Context) error {
	id, err := kit.ID[ref.Sketch](c)
	if err != nil {
		return err
	}
	return s.showSketch(c, http.StatusOK, id, "", "")
}

func (s *Section) showSketch(c *echo.Context, status int, id ref.Sketch, problem, typed string) error {
	ctx := c.Request().Context()
	x, err := s.Planning.SketchFor(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, board, err := s.Kernel.Board(ctx)
	if err != nil {
		return err
	}
	v := sketchView{ID: id, Name: x.Name, Problem: problem, Typed: typed, News: x.News, Any: len(x.Trial.Changes) > 0, Tone: "good"}
	if v.Result, err = s.consequenceOf(c, b, x.Consequence); err != nil {
		return err
	}
	v.Result.in(id)
	v.Result.Sum = "" // it is said above
	good := false
	if v.Answer, good = planning.SaySketch(b, &x); !good {
		v.Tone = "short"
	}
	for _, ch := range x.Trial.Changes {
		v.Changes = append(v.Changes, newSketchChange(b, x.Piece(ch.Piece), ch))
	}
	for _, f := range x.Failed {
		y := newSketchChange(b, board.Piece(f.Change.Piece), f.Change)
		var refusal *relay.Refusal
		if y.Why = f.Why.Error(); errors.As(f.Why, &refusal) {
			y.Why = refusal.Text
		}
		v.Failed = append(v.Failed, y)
	}
	v.Days = sketchDays(b.Zones[x.DeskID], board, &x)
	name := v.Name
	if name == "" {
		name = "A sketch"
	}
	return s.Show(c, status, "sketch", name, v)
}

func newSketchChange(b *newsroom.Setup, p *relay.Piece, c plan.Change) sketchChange {
	out := sketchChange{Change: changesText([]plan.Change{c}), Says: "A piece that is not under way any more"}
	switch {
	case c.Do == plan.DoAway:
		out.Says = english.UpperFirst(planning.SayChange(b, nil, c))
	case p != nil && (c.Leg == "" || p.Leg(c.Leg) != nil):
		out.Says = "“" + p.Title + "” " + planning.SayChange(b, p, c)
		if c.Do != plan.DoMove {
			out.Says = english.UpperFirst(planning.SayChange(b, p, c)) + ", of “" + p.Title + "”"
		}
	}
	return out
}

// sketchDays gives the days of the lineup that are otherwise by a sketch, before and after.
func sketchDays(zone *time.Location, board *plan.Board, x *planning.Sketch) []sketchDay {
	var dates []day.Date
	moves := map[ref.Piece]bool{}
	for _, e := range x.Effects {
		was, is := e.Was.GoesOut, e.Move.Piece.GoesOut
		if was == is {
			continue
		}
		moves[e.Was.ID] = true
		for _, at := range []day.Moment{was, is} {
			dates = append(dates, dateOf(at, zone))
		}
	}
	slices.Sort(dates)
	dates = slices.Compact(dates)
	on := func(b *plan.Board, date day.Date) []sketchPiece {
		pieces := slices.DeleteFunc(slices.Clone(b.Pieces), func(p *relay.Piece) bool {
			return p.DeskID != x.DeskID || p.Stage == relay.Withdrawn || dateOf(p.GoesOut, zone) != date || date == 0 && !moves[p.ID]
		})
		slices.SortStableFunc(pieces, func(p, q *relay.Piece) int { return cmp.Compare(p.GoesOut, q.GoesOut) })
		var out []sketchPiece
		for _, p := range pieces {
			y := sketchPiece{Title: p.Title, Moves: moves[p.ID]}
			if p.GoesOut != 0 {
				y.Time = p.GoesOut.In(zone).Format("15:04")
			}
			out = append(out, y)
		}
		return out
	}
	var out []sketchDay
	for _, d := range dates {
		y := sketchDay{Date: "No day", Was: on(board, d), Would: on(x.After, d)}
		if d != 0 {
			y.Date = english.Date(d)
		}
		out = append(out, y)
	}
	return out
}

// dateOf gives the date of a moment, none for none.
func dateOf(at day.Moment, zone *time.Location) day.Date {
	if at == 0 {
		return 0
	}
	return at.Date(zone)
}

// sketchRow is a sketch in the list of somebody's own.
type sketchRow struct {
	ID         ref.Sketch
	Name, Says string
	When       string
	News       bool
}

// sketches lists the sketches of whoever looks.
func (s *Section) sketches(c *echo.Context) error {
	ctx := c.Request().Context()
	list, err := s.Planning.Sketches(ctx, kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	if !kit.Me(c).Access.May(relay.SeeAll) {
		return newsroom.ErrNotFound
	}
	var rows []sketchRow
	for i := range list {
		x := &list[i]
		r := sketchRow{ID: x.ID, Name: x.Name, When: b.At(x.At, x.DeskID), News: len(x.News) > 0 || len(x.Failed) > 0}
		if r.Name == "" {
			r.Name = "Begun, without a name"
		}
		sum, _ := planning.SaySketch(b, x)
		r.Says = sum
		rows = append(rows, r)
	}
	return s.Show(c, http.StatusOK, "sketches", "Sketches", rows)
}

// begin goes on with the sketch that has no name yet, or begins one, with what is to be tried in it.
func (s *Section) begin(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	changes, err := changesIn(form)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	tried, err := s.Planning.TryOut(ctx, kit.Me(c).ID, kit.Here(c), 0, changes)
	if err != nil {
		return err
	}
	if len(changes) > 0 {
		s.Say(c, "In the sketch now: %s. Nobody else sees it.", english.LowerFirst(tried.What))
		return c.Redirect(http.StatusSeeOther, "/sketches/"+kit.Str(tried.ID))
	}
	to, err := url.Parse(kit.Back(form, "/lineup"))
	if err != nil || to.Path != "/load" {
		to = &url.URL{Path: "/lineup", RawQuery: to.RawQuery}
	}
	q := to.Query()
	q.Set("sketch", kit.Str(tried.ID))
	to.RawQuery = q.Encode()
	return c.Redirect(http.StatusSeeOther, to.String())
}

// changesIn reads changes as a form sends them back; none where it sends none.
func changesIn(form url.Values) ([]plan.Change, error) {
	var changes []plan.Change
	text := form.Get("changes")
	if text == "" {
		return nil, nil
	}
	if err := json.Unmarshal([]byte(text), &changes); err != nil {
		return nil, &relay.Refusal{Reason: relay.ErrInput, Text: "The changes were not understood. Go back and choose again."}
	}
	return changes, nil
}

// doSketch does something with a sketch.
func (s *Section) doSketch(c *echo.Context) error {
	id, err := kit.ID[ref.Sketch](c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx, me, here := c.Request().Context(), kit.Me(c).ID, fmt.Sprintf("/sketches/%d", id)
	said, to := "", here
	switch do := form.Get("do"); do {
	case "try":
		return s.tryOut(c, id, form)
	case "set": // what was put in last is taken out again
		return s.setSketch(c, id, form)
	case "out":
		var changes []plan.Change
		if changes, err = changesIn(form); err == nil && len(changes) > 0 {
			err = s.Planning.TakeOut(ctx, me, id, changes[0])
		}
		said = "Taken out of the sketch."
	case "name":
		err = s.Planning.NameSketch(ctx, me, id, form.Get("name"))
		said = "Kept under this name. Nothing of it is done yet."
	case "noted":
		err = s.Planning.NoteSketch(ctx, me, id)
	case "drop":
		err = s.Planning.DropSketch(ctx, me, id)
		said, to = "The sketch is thrown away; nothing of it was done.", "/lineup"
	case "carry":
		var done planning.PlanChanged
		done, err = s.Planning.DoSketch(ctx, me, id, form.Get("seal"))
		said, to = "Done: "+english.LowerFirst(done.What)+".", "/lineup"
	default:
		err = kit.Input("", "This cannot be done with a sketch. Go back and choose again.")
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.showSketch(c, kit.StatusOf(refusal), id, refusal.Text, form.Get("name"))
	} else if err != nil {
		return err
	}
	if said != "" {
		s.Say(c, "%s", said)
	}
	return c.Redirect(http.StatusSeeOther, to)
}

// tryOut puts changes into a sketch, from a view or from a form.
func (s *Section) tryOut(c *echo.Context, id ref.Sketch, form url.Values) error {
	changes, err := changesIn(form)
	if err == nil && len(changes) == 0 {
		err = kit.Input("", "There is nothing to try. Go back and choose again.")
	}
	if err != nil {
		return err
	}
	tried, err := s.Planning.TryOut(c.Request().Context(), kit.Me(c).ID, kit.Here(c), id, changes)
	if err != nil {
		return err
	}
	said := "In the sketch: " + english.LowerFirst(tried.What) + "."
	if kit.WantsJSON(c) {
		return c.JSON(http.StatusOK, map[string]any{"said": said, "undo": tried.Was, "to": fmt.Sprintf("/sketches/%d?do=set", id), "all": true})
	}
	s.Say(c, "%s", said)
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/sketches/%d", id))
}

// setSketch puts the changes that were in a sketch in the place of those that are.
func (s *Section) setSketch(c *echo.Context, id ref.Sketch, form url.Values) error {
	changes, err := changesIn(url.Values{"changes": {form.Get("undo")}})
	if err != nil {
		return err
	}
	if err := s.Planning.SetSketch(c.Request().Context(), kit.Me(c).ID, id, changes); err != nil {
		return err
	}
	if kit.WantsJSON(c) {
		return c.JSON(http.StatusOK, map[string]any{"said": "Taken out of the sketch again.", "all": true})
	}
	s.Say(c, "Taken out of the sketch again.")
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/sketches/%d", id))
}
