package change

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

// previewView is what changes would come to, with the buttons that carry them out.
type previewView struct {
	Title   string
	Options []consequence // usually one; for a day, with dates that follow and with dates that are kept
	Back    string        // where to go from here
	Problem string
}

// consequence is one way to carry changes out.
type consequence struct {
	Button   string
	Main     bool
	To       ref.Sketch // it is put into this sketch; 0 is carried out
	Tries    bool       // it may be tried in a sketch instead
	Changes  string     // as they are sent back
	Seal     string
	What     string
	Effects  []effectView
	Also     []effectView // pieces that stay as they are, and yet stand otherwise
	AlsoSays string
	People   []kit.Sentence
	Over     []string // budgets that go over by it
	Clashes  []clashView
	Off      []clashView // times that are no slots
	Calm     string      // says that nothing else is concerned
	Sum      string      // of several pieces: how many move, and what becomes of them
	Runs     []string    // rows of one topic it makes
	Ask      bool        // there is something to choose before it is done
}

type effectView struct {
	Title         string
	Was, Is       string
	WasTone, Tone string
	Dates         []dateView
	Given         []string // legs after release that change hands, which no strip shows
	Misfits       []string
	Before, After draw.Strip
}

type dateView struct{ Leg, From, To string }

type clashView struct {
	Text  string
	Free  string // the next free slot
	At    int64
	Tone  string
	Piece ref.Piece
	Swap  *relay.Piece // that it could change days with
	To    ref.Sketch   // in which it is tried
}

// preview shows what changes would come to, on a page of its own or as the part of
// one that a script asked for.
func (s *Section) preview(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	v, status := s.previewOf(c, form)
	return s.showPreview(c, status, v)
}

func (s *Section) showPreview(c *echo.Context, status int, v previewView) error {
	if c.Request().Header.Get("X-Part") != "" {
		return s.Render(c, status, "preview", "consequences", v)
	}
	return s.Show(c, status, "preview", v.Title, v)
}

func (s *Section) previewOf(c *echo.Context, form url.Values) (previewView, int) {
	v := previewView{Title: "What this would do", Back: kit.Within(form.Get("back"))}
	fail := func(err error) (previewView, int) {
		var r *relay.Refusal
		if errors.As(err, &r) {
			v.Problem = r.Text
			return v, kit.StatusOf(r)
		}
		if !errors.Is(err, newsroom.ErrNotFound) {
			s.Log.Error("preview", "problem", err)
		}
		v.Problem = "This is not there to be changed any more. Go back and look again."
		return v, http.StatusNotFound
	}
	ctx := c.Request().Context()
	b, board, err := s.Kernel.Board(ctx)
	if err != nil {
		return fail(err)
	}
	preview, sketch := s.Planning.Preview, kit.Int[ref.Sketch](form, "sketch")
	if sketch != 0 {
		tried, err := s.Planning.SketchFor(ctx, kit.Me(c).ID, sketch)
		if err != nil {
			return fail(err)
		}
		board = tried.After
		preview = func(ctx context.Context, by ref.Person, changes []plan.Change) (plan.Consequence, error) {
			return s.Planning.PreviewIn(ctx, by, tried, changes)
		}
	}
	changes, err := changesOf(b, board, form)
	if err != nil {
		return fail(err)
	}
	variants := [][]plan.Change{changes}
	if keepable(board, changes) && form.Get("do") != "plan" {
		variants = append(variants, kept(changes))
	}
	for i, x := range variants {
		r, err := preview(ctx, kit.Me(c).ID, x)
		if err != nil {
			return fail(err)
		}
		y, err := s.consequenceOf(c, b, r)
		if err != nil {
			return fail(err)
		}
		y.in(sketch)
		y.Ask = len(variants) > 1 && begun(r)
		if y.Main = i == 0; len(variants) > 1 {
			y.Button += []string{", and let the dates follow", ", and keep the dates"}[i]
		}
		v.Options = append(v.Options, y)
	}
	if v.Title = v.Options[0].What; v.Back == "" && len(changes) > 0 && changes[0].Piece != 0 {
		v.Back = fmt.Sprintf("/pieces/%d", changes[0].Piece)
	}
	return v, http.StatusOK
}

// in says that changes are put into a sketch, if there is one, and not carried out.
func (x *consequence) in(sketch ref.Sketch) {
	if x.To = sketch; sketch != 0 {
		x.Button, x.Tries = "Put it into the sketch", false
	}
	for _, clashes := range [][]clashView{x.Clashes, x.Off} {
		for i := range clashes {
			clashes[i].To = sketch
		}
	}
}

// begun reports whether legs of a piece that changes are passed already, so that
// keeping the dates of the others is worth asking about.
func begun(r plan.Consequence) bool {
	return slices.ContainsFunc(r.Effects, func(e plan.Effect) bool {
		return !e.Untouched && len(e.Dates) > 0 && slices.ContainsFunc(e.Was.Legs, func(l relay.Leg) bool { return l.State == relay.Passed })
	})
}

// keepable reports whether the dates of unfinished legs could be kept: when a day
// is moved to another, not taken away.
func keepable(board *plan.Board, changes []plan.Change) bool {
	for _, c := range changes {
		if p := board.Piece(c.Piece); c.Do == plan.DoMove && c.At != 0 && p != nil && p.GoesOut != 0 {
			return true
		}
	}
	return false
}

func kept(changes []plan.Change) []plan.Change {
	out := slices.Clone(changes)
	for i := range out {
		out[i].Keep = true
	}
	return out
}

// consequenceOf shows what changes come to for whoever looks, with the budgets that go over by it.
func (s *Section) consequenceOf(c *echo.Context, b *newsroom.Setup, r plan.Consequence) (consequence, error) {
	x := newConsequence(b, r, kit.Me(c))
	of := map[ref.Desk][]relay.Piece{}
	for _, e := range r.Effects {
		if !e.Untouched {
			of[e.Was.DeskID] = append(of[e.Was.DeskID], e.Move.Piece)
		}
	}
	for _, d := range b.DesksOf(kit.Me(c).ID) {
		over, err := s.Fees.Over(c.Request().Context(), kit.Me(c).ID, d.ID, of[d.ID])
		if err != nil {
			return x, err
		}
		x.Over = append(x.Over, over...)
	}
	return x, nil
}

// newConsequence shows what changes come to, as far as somebody may see it: what becomes of
// people is for staff, and of pieces that only stand otherwise those of their own desks.
func newConsequence(b *newsroom.Setup, r plan.Consequence, who store.Person) consequence {
	people := who.Access.May(relay.SeeAll)
	x := consequence{Button: "Do it", Tries: people, Changes: changesText(r.Changes), Seal: r.Seal(), What: english.UpperFirst(planning.SayChanges(b, r))}
	short := 0
	for _, e := range r.Effects {
		if !e.Untouched {
			x.Effects = append(x.Effects, newEffect(b, r, e))
			continue
		}
		if !slices.Contains(who.Desks, e.Was.DeskID) {
			continue
		}
		x.Also = append(x.Also, newEffect(b, r, e))
		short += kit.Bit(e.After.Pace == plan.Short && e.Before.Pace != plan.Short)
	}
	if n := len(x.Also); n > 0 {
		x.AlsoSays = fmt.Sprintf("%s would stand otherwise, %s of them newly short; no due date changes.", english.Plural(n, "piece"), strings.ToLower(english.CountOf(short)))
	}
	if people {
		x.People = kit.SaidShifts(b, r.People)
	}
	for _, cl := range r.Clashes {
		x.Clashes = append(x.Clashes, newClash(b, r, cl))
	}
	for _, cl := range r.Off {
		x.Off = append(x.Off, newClash(b, r, cl))
	}
	for _, run := range r.Runs {
		x.Runs = append(x.Runs, fmt.Sprintf("%s %s pieces would run back to back.", english.CountOf(len(run.Pieces)), strings.ToLower(b.Topic(run.Topic).Name)))
	}
	if people {
		x.Calm = sayTouched(b, r)
	}
	if sum := r.Sum(); sum.Moved > 1 {
		x.Sum = planning.SaySum(b, sum, people)
	}
	return x
}

// sayTouched says whose work falls on other days by changes, but for those of whom more is
// said: the days on which they go over, or do so no more.
func sayTouched(b *newsroom.Setup, r plan.Consequence) string {
	others := slices.DeleteFunc(slices.Clone(r.Touched), func(id ref.Person) bool {
		return slices.ContainsFunc(planning.SayShifts(b, r.People), func(s planning.Said) bool { return s.Person == id })
	})
	var names []string
	for _, id := range others {
		names = append(names, b.Name(id))
	}
	switch over := r.Over(); {
	case len(r.Touched) == 0:
		return "Nobody’s work changes."
	case len(names) == 0:
		return ""
	case over || len(names) < len(r.Touched):
		return "Work of " + english.And(names) + " falls on other days, within their hours."
	}
	return "Work of " + english.And(names) + " falls on other days; nobody goes over."
}

// changesText writes changes as forms send them back.
func changesText(changes []plan.Change) string {
	text, err := json.Marshal(changes)
	if err != nil { // plain values always encode
		return "[]"
	}
	return string(text)
}

func newEffect(b *newsroom.Setup, r plan.Consequence, e plan.Effect) effectView {
	before, after := kit.StandingBy(e.Was, e.Before), kit.StandingBy(&e.Move.Piece, e.After)
	x := effectView{
		Title: e.Was.Title, Was: newsroom.SayPace(before.Standing), Is: newsroom.SayPace(after.Standing), WasTone: kit.Tone(before.Standing), Tone: kit.Tone(after.Standing),
		Before: draw.NewStrip(b, before, draw.NarrowStrip), After: draw.NewStrip(b, after, draw.NarrowStrip),
	}
	for _, d := range e.Dates {
		x.Dates = append(x.Dates, dateView{e.Move.Piece.Leg(d.Leg).Name, noDate(d.From), noDate(d.To)})
	}
	for _, l := range e.Move.Piece.After {
		if was := e.Was.Leg(l.Key); was != nil && was.Holder != l.Holder {
			x.Given = append(x.Given, fmt.Sprintf("%s: %s, then %s.", l.Name, b.Name(was.Holder), b.Name(l.Holder)))
		}
	}
	for _, c := range r.Changes {
		if l := e.Move.Piece.Leg(c.Leg); c.Do == plan.DoPin && c.Piece == e.Was.ID && c.Date != 0 && l.Due != 0 && l.Due < c.Date {
			x.Misfits = append(x.Misfits, fmt.Sprintf("%s stays due %s: its day leaves it no longer.", l.Name, english.Date(l.Due)))
		}
	}
	for _, m := range e.Misfits {
		latest := english.Date(m.Latest)
		if m.Latest == 0 {
			latest = "long ago"
		}
		x.Misfits = append(x.Misfits, e.Move.Piece.Leg(m.Leg).Name+" is due "+english.Date(m.Due)+" and would have to end by "+latest+".")
	}
	return x
}

func noDate(d day.Date) string {
	if d == 0 {
		return "no date"
	}
	return english.Date(d)
}

func newClash(b *newsroom.Setup, r plan.Consequence, cl plan.Clash) clashView {
	p := cl.Piece
	free := cl.Free
	cl.Free = 0 // it is offered beside the sentence
	v := clashView{Piece: p.ID, Text: planning.SayPlace(b, cl), Tone: "short"}
	if len(cl.With) == 0 {
		v.Tone = "noroom"
	}
	if was := r.Piece(p.ID); len(cl.With) == 1 && was != nil && was.GoesOut != 0 && cl.With[0].Stage == relay.UnderWay {
		v.Swap = cl.With[0]
	}
	if cl.Free = free; free != 0 {
		v.Free, v.At = b.At(cl.Free, p.DeskID), int64(cl.Free)
	}
	return v
}

// change carries out changes as they were previewed. If they come to something else
// now, what that is is shown instead.
func (s *Section) change(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	var changes []plan.Change
	if err := json.Unmarshal([]byte(form.Get("changes")), &changes); err != nil {
		return &relay.Refusal{Reason: relay.ErrInput, Text: "The changes were not understood. Go back and choose again."}
	}
	done, err := s.Planning.ChangePlan(c.Request().Context(), kit.Me(c).ID, planning.Change{Changes: changes, Seal: form.Get("seal")})
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		again := url.Values{"do": {"plan"}, "changes": {form.Get("changes")}, "back": {kit.Within(form.Get("back"))}}
		v, _ := s.previewOf(c, again)
		if v.Problem == "" {
			v.Problem = refusal.Text
		}
		return s.showPreview(c, kit.StatusOf(refusal), v)
	} else if err != nil {
		return err
	}
	said := "Done: " + english.LowerFirst(done.What) + "."
	if kit.WantsJSON(c) {
		return c.JSON(http.StatusOK, map[string]any{"said": said, "undo": done.Undo, "pieces": kit.PiecesOf(changes)})
	}
	s.Say(c, "%s", said)
	return c.Redirect(http.StatusSeeOther, kit.Back(form, "/"))
}

// undo takes a change of the plan back.
func (s *Section) undo(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	what, pieces, err := s.Kernel.Undo(c.Request().Context(), kit.Me(c).ID, kit.Int[ref.Undo](form, "undo"))
	if err != nil {
		return err
	}
	if kit.WantsJSON(c) {
		return s.Done(c, "Taken back: "+english.LowerFirst(what)+".", pieces...)
	}
	s.Say(c, "Taken back: %s.", english.LowerFirst(what))
	return c.Redirect(http.StatusSeeOther, kit.Back(form, "/"))
}
