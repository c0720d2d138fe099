package planning

import (
	"cmp"
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/store"
)

// Loads is who has how much to do on which working day of a desk.
type Loads struct {
	Today    day.Date
	Dates    []day.Date // the desk's working days that are shown
	People   []PersonLoad
	Open     []OpenLeg
	MoreOpen int // open legs that are not shown
}

// PersonLoad is what one person has.
type PersonLoad struct {
	Person store.Person
	Days   []DayLoad         // by the dates shown
	Span   load.Span         // over all of them
	Legs   []account.HeldLeg // for those who are unfolded
	Steps  []OwnStep         // and what they have to do besides
}

// DayLoad is what somebody has on a day.
type DayLoad struct {
	Minutes int
	Was     int // as the plan is, where changes are tried
	Works   int
	Legs    int    // on how many legs
	Away    string // why they are not there; "" if they are
}

// OpenLeg is a leg that nobody has, with who would fit.
type OpenLeg struct {
	Piece    *relay.Piece
	Leg      *relay.Leg
	From, To day.Date
	Fits     []load.Candidate
}

// openShown is how many open legs are shown, and fitsShown how many people for each.
const openShown, fitsShown = 12, 2

// Loads gives the load of a desk over the working days of this week and the next ones, for its staff; the legs of
// those named are unfolded.
func (h Overview) Loads(ctx context.Context, who ref.Person, desk ref.Desk, look Look, weeks int, unfolded []ref.Person) (Loads, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return Loads{}, err
	}
	if look, err = staffLook(b, who, desk, look, "Who has how much"); err != nil {
		return Loads{}, err
	}
	was := board
	if look.Trial != nil {
		board = look.Trial.After
	}
	out := Loads{Today: board.Today(desk)}
	cal := b.Planned[desk].Calendar
	end := out.Today.Monday() + day.Date(7*weeks)
	for d := out.Today; d < end; d++ {
		if cal.Working(d) {
			out.Dates = append(out.Dates, d)
		}
	}
	if len(out.Dates) == 0 { // holidays to the end of it: the next day that is worked
		out.Dates = []day.Date{cal.NextWorking(out.Today)}
	}
	first, last := out.Today, out.Dates[len(out.Dates)-1]
	sheet := board.Load()
	var people []load.Person
	for _, d := range look.Desks {
		for _, p := range b.OnDesk(d) {
			if x := board.Person(p.ID); x != nil && p.Access.May(relay.RunLegs) && !slices.ContainsFunc(people, func(y load.Person) bool { return y.ID == p.ID }) {
				people = append(people, *x)
			}
		}
	}
	works := board.Works(nil)
	counts := load.Counts(people, works, first, last)
	for i := range people {
		p := &people[i]
		x := PersonLoad{Person: b.Person(p.ID), Span: sheet.Span(p, first, last)}
		for _, d := range out.Dates {
			x.Days = append(x.Days, DayLoad{Minutes: sheet.At(p.ID, d), Was: was.Load().At(p.ID, d), Works: p.Works(d), Legs: counts[p.ID][d-first], Away: absent(b, p, d)})
		}
		if slices.Contains(unfolded, p.ID) {
			x.Legs = heldBy(board, p.ID, works)
			if x.Steps, err = h.MySteps(ctx, p.ID, desk); err != nil {
				return out, err
			}
		}
		out.People = append(out.People, x)
	}
	return out, out.open(ctx, h.Newsroom, board, b, look.Desks, sheet)
}

// absent says why somebody is not there on a working day of their desk.
func absent(b *newsroom.Setup, p *load.Person, d day.Date) string {
	if p.Works(d) > 0 {
		return ""
	}
	for _, a := range b.Absences {
		if a.PersonID == p.ID && a.FromDay <= d && d <= a.ToDay {
			return "away"
		}
	}
	return "off"
}

// heldBy gives the legs that somebody has, the first due first.
func heldBy(board *plan.Board, person ref.Person, works []load.Work) []account.HeldLeg {
	var out []account.HeldLeg
	for _, w := range works {
		if w.Person != person || w.Leg == load.NoLeg {
			continue
		}
		p := board.Piece(w.Piece)
		out = append(out, account.HeldLeg{Piece: p, Leg: p.At(w.Leg), From: w.From, To: w.Due, Pace: board.Desk(p).Forward(p, board.Today(p.DeskID)).Pace})
	}
	slices.SortStableFunc(out, func(x, y account.HeldLeg) int { return cmp.Or(cmp.Compare(x.To, y.To), cmp.Compare(x.From, y.From)) })
	return out
}

// open adds the legs that nobody has, with who would fit.
func (l *Loads) open(ctx context.Context, h *newsroom.Newsroom, board *plan.Board, b *newsroom.Setup, desks []ref.Desk, sheet *load.Sheet) error {
	for _, d := range desks {
		open, err := At(h).openings(ctx, board, d)
		if err != nil {
			return err
		}
		for i, v := range open {
			if i >= openShown {
				l.MoreOpen++
				continue
			}
			fits := load.Suggest(v.Open, board.People, sheet, l.Today)
			l.Open = append(l.Open, OpenLeg{Piece: v.piece, Leg: v.leg, From: v.From, To: v.Due, Fits: fits[:min(fitsShown, len(fits))]})
		}
	}
	return nil
}

// Fits gives how a leg would fit each of those who could run it, for somebody who may
// give it away; by a sketch, if there is one.
func (h Overview) Fits(ctx context.Context, who ref.Person, piece ref.Piece, leg string, sketch ref.Sketch) ([]load.Candidate, error) {
	b, board, err := boardIn(h.Newsroom, ctx, who, sketch)
	if err != nil {
		return nil, err
	}
	if err := MayChange(b, who, board, []plan.Change{{Do: plan.DoGive, Piece: piece, Leg: leg}}); err != nil {
		return nil, err
	}
	p := board.Piece(piece)
	l := p.Leg(leg)
	if l == nil || l.Done() {
		return nil, &relay.Refusal{Reason: relay.ErrNotNow, Text: "This leg is over. Look at the piece again."}
	}
	o, err := h.Opening(ctx, board, p, l.Position)
	if err != nil {
		return nil, err
	}
	return load.Suggest(o, board.People, board.Load(), board.Today(p.DeskID)), nil
}
