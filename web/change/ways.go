package change

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

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

type waysView struct {
	Row   store.Row
	Strip draw.Strip
	Pace  string
	Tone  string
	Says  string
	Kinds []waysKind // those of which there are some
	None  string     // said when there is no way
	Back  string
}

// waysKind is ways of one kind under a heading of their own.
type waysKind struct {
	Key, Name, Says string
	Ways            []wayView
}

type wayView struct {
	consequence
	Says string
}

// ways shows the ways out of a short piece.
func (s *Section) ways(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	row, ways, err := s.Planning.WaysOut(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := waysView{Row: row, Strip: draw.NewStrip(b, row, draw.WideStrip), Pace: newsroom.SayPace(row.Standing), Tone: kit.Tone(row.Standing), Says: kit.Says(b, row), Back: fmt.Sprintf("/pieces/%d", id)}
	for i, w := range ways {
		x := wayView{consequence: newConsequence(b, w.Result, kit.Me(c)), Says: planning.SayWay(b, &row.Piece, w)}
		x.Main, x.What = i == 0, x.Says
		k := kindOfWay(w)
		if n := len(v.Kinds); n == 0 || v.Kinds[n-1].Key != k.Key {
			v.Kinds = append(v.Kinds, k)
		}
		last := &v.Kinds[len(v.Kinds)-1]
		last.Ways = append(last.Ways, x)
	}
	switch {
	case len(ways) > 0 && v.Kinds[0].Key == "helps":
		v.Kinds[0].Says = "no single way makes it whole; or take its day away and give it another"
	case row.Pace != plan.Short:
		v.None = "It is not short any more; there is nothing to get out of."
	case len(ways) == 0:
		v.None = "Nothing makes it less short. Take its day away, and give it another when more is done."
	}
	return s.Show(c, http.StatusOK, "ways", "Ways out: "+row.Title, v)
}

// kindOfWay gives the heading under which a way stands.
func kindOfWay(w plan.Way) waysKind {
	switch {
	case w.Complete:
		return waysKind{Key: "ways", Name: "Ways out", Says: "each ends with nothing short, and puts nobody over their hours"}
	case w.Whole:
		return waysKind{Key: "full", Name: "What makes it whole, but is more than a day’s work", Says: "somebody has more on a day than they work"}
	}
	return waysKind{Key: "helps", Name: "What helps, but is not enough", Says: "the piece stays short"}
}

type choicesView struct {
	Row     store.Row
	Leg     relay.Leg
	Due     string
	Work    string
	Has     string // who has it now
	Choices []choiceView
	Back    string
	Offer   bool // the one who looks may offer it
	People  []store.Person
	To      []ref.Person
	Fee     string
	Money   string
	Left    []string // of the budgets it would be paid from
	OpenTo  string   // to whom it is open, when nobody has it
}

type choiceView struct {
	Result consequence
	Person store.Person
	Fits   string
	Tone   string
	Best   bool
	Holds  bool
}

// choices shows who could run a leg, and what giving it to each comes to.
func (s *Section) choices(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	sketch := kit.Int[ref.Sketch](c.QueryParams(), "sketch")
	row, choices, err := s.Planning.Choices(ctx, kit.Me(c).ID, id, c.Param("leg"), sketch)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	l := row.Leg(c.Param("leg"))
	v := choicesView{Row: row, Leg: *l, Has: b.Name(l.Holder), Work: english.Hours(l.Remaining()), Back: fmt.Sprintf("/pieces/%d", id)}
	if l.Due != 0 {
		v.Due = english.Date(l.Due)
	}
	staff := kit.Me(c).Access.May(relay.SeeAll)
	if v.Offer = relay.May(relay.ActOffer, b.Who(kit.Me(c).ID, row.DeskID), &row.Piece, l, "") == nil; v.Offer {
		v.People, v.To, v.Money = kit.Suited(b, row.DeskID, l.Role, 0), l.OfferedTo(), b.Desk(row.DeskID).Money
		v.People = slices.DeleteFunc(v.People, func(p store.Person) bool { return !p.Access.May(relay.RunLegs) })
		if v.Left, err = s.Fees.Left(c.Request().Context(), kit.Me(c).ID, &row.Piece, l.Key); err != nil {
			return err
		}
		if l.Fee != 0 {
			v.Fee = kit.FeeText(b.Currency(row.DeskID), l.Fee)
		}
		if l.Holder == 0 {
			v.OpenTo = planning.SayOffer(b, row.DeskID, l, kit.Me(c).ID)
		}
	}
	for _, x := range choices {
		y := choiceView{Person: b.Person(x.Person), Fits: planning.SayCandidate(x.Candidate), Tone: kit.ToneOfCandidate(x.Candidate), Holds: x.Holds}
		if !x.Holds {
			if y.Result, err = s.consequenceOf(c, b, x.Result); err != nil {
				return err
			}
			y.Result.Button = "Give it to " + b.Name(x.Person)
			y.Result.in(sketch)
		}
		if !staff { // how full others are is not for everybody
			y.Fits, y.Tone = "", "plain"
		}
		y.Best = len(v.Choices) == 0 && staff
		y.Result.Main = y.Best
		v.Choices = append(v.Choices, y)
	}
	if c.Request().Header.Get("X-Part") != "" {
		return s.Render(c, http.StatusOK, "choices", "choices", v)
	}
	return s.Show(c, http.StatusOK, "choices", l.Name+": who runs it", v)
}

type proposeView struct {
	Lines  []proposeLine
	Nobody []proposeLine
	Answer string
	Totals []totalView
}

// totalView is what a proposal does to one person in the coming four weeks.
type totalView struct {
	Name, Before, After, Over string
	Tone                      string
}

type proposeLine struct {
	Piece   *relay.Piece
	Leg     *relay.Leg
	Due     string
	Person  string
	Role    string
	Changes string
	Effect  []kit.Sentence
}

// propose shows people for all open legs of the desk, to be accepted line by line.
func (s *Section) propose(c *echo.Context) error {
	ctx := c.Request().Context()
	found, err := s.Planning.Propose(ctx, kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := proposeView{}
	for _, p := range found.Lines {
		x := proposeLine{Piece: p.Piece, Leg: p.Leg, Person: b.Name(p.Person), Role: p.Leg.Role}
		if p.Leg.Due != 0 {
			x.Due = english.Date(p.Leg.Due)
		}
		if p.Person == 0 {
			v.Nobody = append(v.Nobody, x)
			continue
		}
		x.Changes = fmt.Sprintf("%d %s %d", p.Piece.ID, p.Leg.Key, p.Person)
		x.Effect = kit.SaidShifts(b, p.Shifts)
		v.Lines = append(v.Lines, x)
	}
	for _, t := range found.Totals {
		x := totalView{Name: b.Person(t.After.Person).Name, Before: english.Hours(t.Before.Minutes), After: fmt.Sprintf("%s of %s", english.Hours(t.After.Minutes), english.Hours(t.After.Works)), Tone: "good"}
		if x.Over = "none"; t.After.Over > 0 {
			x.Over, x.Tone = fmt.Sprintf("%d, now %d", t.After.Over, t.Before.Over), "short"
		}
		v.Totals = append(v.Totals, x)
	}
	v.Answer = sayProposal(found)
	return s.Show(c, http.StatusOK, "propose", "People for open legs", v)
}

// sayProposal says what a proposal comes to, and how far it may be from the best there is.
func sayProposal(p planning.Proposal) string {
	switch over := p.Cost.Over; {
	case len(p.Lines) == 0:
		return "Somebody has every leg."
	case over == 0:
		return "Given out like this, nobody goes over."
	case over == p.Least.Over:
		return "Given out like this, people go over by " + english.Hours(over) + " in all; no other way does with less."
	case p.Least.Over == 0:
		return "Given out like this, people go over by " + english.Hours(over) + " in all. Not every way could be tried: another might do with less."
	default:
		return fmt.Sprintf("Given out like this, people go over by %s in all. Not every way could be tried: none does with less than %s.", english.Hours(over), english.Hours(p.Least.Over))
	}
}

// accept previews the lines of a proposal that were ticked.
func (s *Section) accept(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	var changes []plan.Change
	for _, x := range form["line"] {
		ch := plan.Change{Do: plan.DoGive}
		if _, err := fmt.Sscanf(x, "%d %s %d", &ch.Piece, &ch.Leg, &ch.Person); err == nil {
			changes = append(changes, ch)
		}
	}
	if changes == nil {
		s.Say(c, "Nothing was ticked, so nothing was given out.")
		return c.Redirect(http.StatusSeeOther, "/propose")
	}
	form.Set("do", "plan")
	form.Set("changes", changesText(changes))
	form.Set("back", "/")
	v, status := s.previewOf(c, form)
	return s.showPreview(c, status, v)
}
