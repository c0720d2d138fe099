package change

import (
	"errors"
	"fmt"
	"net/url"

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

type handoverView struct {
	ID       ref.Person
	Name     string
	Own      bool
	Asks     bool // they ask for days off, and do not enter them
	Inside   bool // who looks sees what others have
	From, To string
	Note     string
	Answer   string
	Tone     string
	Act      string
	Lines    []handoverLine
	Hidden   int // legs on other desks
	Problem  string
}

type handoverLine struct {
	planning.HandoverLine
	When    string
	Was, Is kit.Sentence // how the piece stands, and how it does if the leg waits
	Options []handoverOption
	Sooner  string // where it cannot wait, and nobody makes it better
}

type handoverOption struct {
	Value, Name string
	On          bool
}

// awaySpan reads the days on which somebody is away: from today on for the rest of the week
// where nothing is said.
func awaySpan(q url.Values, today day.Date) (from, to day.Date, err error) {
	if from, err = kit.DateOf(q, "from", "the first day"); err != nil {
		return 0, 0, err
	}
	if to, err = kit.DateOf(q, "to", "the last day"); err != nil {
		return 0, 0, err
	}
	if from == 0 {
		from = today
	}
	if to == 0 {
		to = max(from, from.Monday()+4)
	}
	return from, to, nil
}

// handover shows what somebody has while they are away, and who could take it.
func (s *Section) handover(c *echo.Context) error {
	return s.showHandover(c, 200, c.QueryParams(), nil)
}

func (s *Section) showHandover(c *echo.Context, status int, q url.Values, refusal *relay.Refusal) error {
	person, err := kit.ID[ref.Person](c)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	me, p := kit.Me(c), b.Person(person)
	v := handoverView{ID: person, Name: b.Name(person), Own: me.ID == person, Inside: me.Access.May(relay.SeeAll), From: q.Get("from"), To: q.Get("to"), Note: q.Get("note")}
	v.Asks = v.Own && planning.AsksDaysOff(b, person)
	if refusal != nil {
		v.Problem = refusal.Text
	}
	if p.ID == 0 || p.Retired || len(p.Desks) == 0 {
		return newsroom.ErrNotFound
	}
	from, to, err := awaySpan(q, s.Newsroom.Now().Date(b.Zones[p.Desks[0]]))
	if err == nil && !v.Asks {
		var h planning.Handover
		if h, err = s.Planning.Handover(c.Request().Context(), me.ID, person, from, to); err == nil {
			v.fill(b, h)
		}
	}
	var r *relay.Refusal
	if errors.As(err, &r) && !errors.Is(r.Reason, relay.ErrNotYours) {
		status, v.Problem = kit.StatusOf(r), r.Text
	} else if err != nil {
		return err
	}
	if v.From == "" {
		v.From = from.String()
	}
	if v.To == "" {
		v.To = to.String()
	}
	return s.Show(c, status, "handover", "Away", v)
}

func (v *handoverView) fill(b *newsroom.Setup, h planning.Handover) {
	wait, give, nobody := 0, 0, 0
	for _, x := range h.Lines {
		y := handoverLine{HandoverLine: x, When: english.Date(x.From), Was: stands(&x, x.Before), Is: stands(&x, x.Kept)}
		if x.Leg.Later {
			y.Was = kit.Sentence{Text: "After release", Tone: "plain"}
		}
		if x.Due > x.From {
			y.When += " to " + english.Date(x.Due)
		}
		y.Options = append(y.Options, handoverOption{kit.Str(h.Person), "waits for " + newsroom.First(b.Name(h.Person)), x.Proposed == h.Person})
		for _, t := range x.Takers {
			says := b.Name(t.Person) + ", "
			if !x.Leg.Later {
				says += english.LowerFirst(stands(&x, t.Then).Text) + "; "
			}
			y.Options = append(y.Options, handoverOption{kit.Str(t.Person), says + planning.SayCandidate(t.Candidate), x.Proposed == t.Person})
		}
		y.Options = append(y.Options, handoverOption{"0", "nobody yet: it is open", false})
		switch {
		case x.Proposed != h.Person && v.Inside:
			give++
		case x.Waits:
			wait++
		default:
			if nobody++; v.Inside {
				y.Sooner = "nobody would be sooner"
			}
		}
		v.Lines = append(v.Lines, y)
	}
	v.Hidden = h.Hidden
	v.Tone, v.Act = "plain", "Enter the days off"
	if h.Entered {
		v.Act = "Hand them over"
	}
	var parts []string
	for _, x := range []struct {
		n    int
		says string
	}{{wait, "can wait"}, {give, "better " + english.Verb(give, "goes", "go") + " to others"}, {nobody, map[bool]string{true: "cannot wait, though nobody would be sooner", false: "cannot wait"}[v.Inside]}} {
		if x.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", x.n, x.says))
		}
	}
	if nobody > 0 {
		v.Tone = "short"
	}
	switch n := len(h.Lines); {
	case n == 0:
		v.Answer, v.Tone = "Nothing of theirs falls on these days.", "good"
	case wait == n:
		v.Answer, v.Tone = english.UpperFirst(english.Plural(n, "leg"))+english.Verb(n, " falls", " fall")+" on these days; every piece makes its day all the same.", "good"
	default:
		v.Answer = english.UpperFirst(english.Plural(n, "leg")) + english.Verb(n, " falls", " fall") + " on these days: " + english.And(parts) + "."
		if give > 0 && !h.Entered {
			v.Act = "Enter the days off, and hand over"
		}
	}
}

// stands says how the piece of a line stands, or whether a leg after release makes its day if
// it waits.
func stands(x *planning.HandoverLine, p plan.Projection) kit.Sentence {
	switch st := kit.StandingBy(x.Piece, p).Standing; {
	case x.Leg.Later && x.Waits:
		return kit.Sentence{Text: "Done by its day", Tone: "good"}
	case x.Leg.Later:
		return kit.Sentence{Text: "Past its day", Tone: "short"}
	default:
		return kit.SaidPace(st)
	}
}

// handOver previews days off with all that is handed over, as one act; where days off are
// asked for, it asks.
func (s *Section) handOver(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	person, err := kit.ID[ref.Person](c)
	if err != nil {
		return err
	}
	ctx, me := c.Request().Context(), kit.Me(c)
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	p := b.Person(person)
	if p.ID == 0 || len(p.Desks) == 0 {
		return newsroom.ErrNotFound
	}
	again := func(status int, r *relay.Refusal) error { return s.showHandover(c, status, form, r) }
	from, to, err := awaySpan(form, s.Newsroom.Now().Date(b.Zones[p.Desks[0]]))
	if err == nil && form.Get("do") == "ask" && me.ID == person {
		err = s.Planning.AskDaysOff(ctx, me.ID, from, to)
		return s.Answered(c, err, "Asked. You are told when a lead has entered them.", "/me", again)
	}
	var h planning.Handover
	if err == nil {
		h, err = s.Planning.Handover(ctx, me.ID, person, from, to)
	}
	if err != nil {
		return s.Answered(c, err, "", "", again)
	}
	var changes []plan.Change
	if !h.Entered {
		changes = append(changes, plan.Change{Do: plan.DoAway, Person: person, Date: from, To: to, Note: form.Get("note")})
	}
	for _, x := range h.Lines {
		if to := kit.Int[ref.Person](form, "to "+x.Key()); form.Has("to "+x.Key()) && to != person {
			changes = append(changes, plan.Change{Do: plan.DoGive, Piece: x.Piece.ID, Leg: x.Leg.Key, Person: to})
		}
	}
	if len(changes) == 0 {
		s.Say(c, "The days off are entered already, and every leg waits: nothing is to be done.")
		return c.Redirect(303, fmt.Sprintf("/people/%d/handover?from=%s&to=%s", person, from, to))
	}
	if !me.Access.May(relay.SeeAll) { // a preview says what others have
		_, err := s.Planning.ChangePlan(ctx, me.ID, planning.Change{Changes: changes[:1]})
		return s.Answered(c, err, "Your days off are entered, and the leads are told.", "/me", again)
	}
	form.Set("do", "plan")
	form.Set("changes", changesText(changes))
	form.Set("back", fmt.Sprintf("/people/%d/handover?from=%s&to=%s", person, from, to))
	v, status := s.previewOf(c, form)
	return s.showPreview(c, status, v)
}
