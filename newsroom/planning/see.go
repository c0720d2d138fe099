package planning

import (
	"context"
	"slices"

	"greenbaton/core/check"
	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/forecast"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Sheet is all that is shown of one piece.
type Sheet struct {
	Row        store.Row
	Projection plan.Projection
	Finish     []plan.Finish // the latest start and finish of each leg by its plan
	Steps      []store.Step
	Answers    []Answer
	Values     map[ref.Field]string // what is filled in, by field
	Forecast   *forecast.Forecast   // for a piece under way that is not ready, and for those who see the whole of it
	Copy       store.Copy
	Text       copy.Text
	Seq        int           // the last edit in it
	Hand       copyroom.Hand // what the one who looks may do with the copy
	Log        []store.Entry // the newest entries, empty for those who may not read it
	Today      day.Date
	May        map[relay.Act]bool // what the one who looks may do to the piece as a whole
	Legs       []LegSheet
	After      []LegSheet          // the legs after release
	Whole      bool                // the one who looks sees the whole preparation: legs, people, dates
	Lacks      map[string][]string // what must be there before the writing begins, by running leg
	asked      copyroom.Asked
	Inside     bool // and at least the brief; outside reviewers see only what was sent to them
}

// LegSheet is what is shown of one leg.
type LegSheet struct {
	relay.Leg
	Start, End day.Date             // projected, or as it was
	InHand     int                  // working days, of a piece with a day
	Unmet      []check.Lack         // what is still to do before it is passed
	Asked      []day.Moment         // when somebody else was asked for each of that; 0 for never
	Conditions []copyroom.Condition // the checks of its copy that are in the way, or would be
	Next       []string             // the keys of the legs that begin when it is passed
	Fits       []load.Candidate     // of a leg that comes next or is open: who could run it, the best first; for staff
	Mine       *load.Candidate      // of an open leg: what taking it would do to the one who looks
	BackTo     []string             // the keys of the legs it can be sent back to
	May        map[relay.Act]bool   // what the one who looks may do to it
}

// pieceActs and legActs are the acts asked for when a piece is shown.
var (
	pieceActs = []relay.Act{relay.ActRead, relay.ActReadLog, relay.ActWrite, relay.ActPlan, relay.ActRelease, relay.ActNeed, relay.ActPrepare}
	legActs   = []relay.Act{relay.ActTick, relay.ActReport, relay.ActPass, relay.ActSendBack, relay.ActSkip, relay.ActGive, relay.ActTake, relay.ActOffer, relay.ActGiveBack}
)

// Sheet gives all that somebody may see of a piece.
func (h Overview) Sheet(ctx context.Context, who ref.Person, piece ref.Piece) (Sheet, error) {
	row, err := h.See(ctx, who, piece, relay.ActSee)
	if err != nil {
		return Sheet{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Sheet{}, err
	}
	house := b.Planned[row.DeskID]
	s := Sheet{Row: row, Today: h.Now().Date(house.Zone), May: map[relay.Act]bool{}, Lacks: map[string][]string{}}
	w, passBy := b.Who(who, row.DeskID), b.Desk(row.DeskID).PassBy
	for _, a := range pieceActs {
		s.May[a] = relay.May(a, w, &row.Piece, nil, passBy) == nil
	}
	s.Inside = w.Access.May(relay.RunLegs)
	s.Whole = w.Access.May(relay.SeeAll)
	s.Projection = house.Forward(&row.Piece, s.Today)
	if row.GoesOut != 0 {
		s.Finish = house.Backward(row.Legs, house.Ready(row.GoesOut.Date(house.Zone)))
	}
	if err := h.readSheet(ctx, b, &s, who); err != nil {
		return s, err
	}
	if !s.Inside {
		s.Row.Brief = ""
	}
	for i := range row.Legs {
		s.Legs = append(s.Legs, s.leg(i, w, b, house))
	}
	for i := range row.After {
		s.After = append(s.After, s.afterLeg(&row.After[i], w, passBy))
	}
	if err := h.fits(ctx, b, &s, who); err != nil {
		return s, err
	}
	if s.May[relay.ActRead] {
		s.Answers = answers(b, &row.Piece, s.Values)
	}
	if s.Whole && row.Stage == relay.UnderWay && !row.Ready() {
		f, err := h.Forecast(ctx, b, &row.Piece)
		if err != nil {
			return s, err
		}
		s.Forecast = &f
	}
	return s, nil
}

// fits weighs who could run the legs that come next, and those that are open: others
// for those who see how full they are, and whoever looks for themselves.
func (h Overview) fits(ctx context.Context, b *newsroom.Setup, s *Sheet, who ref.Person) error {
	if !s.Inside || s.Row.Stage != relay.UnderWay {
		return nil
	}
	board, err := h.BoardAt(ctx, b, h.Now())
	if err != nil {
		return err
	}
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.Done() || l.Holder != 0 && (!s.Whole || !s.Row.NextUp(&l.Leg)) {
			continue
		}
		o, err := h.Opening(ctx, board, &s.Row.Piece, i)
		if err != nil {
			return err
		}
		fits := load.Suggest(o, board.People, board.Load(), s.Today)
		if k := slices.IndexFunc(fits, func(c load.Candidate) bool { return c.Person == who }); k >= 0 && l.Holder == 0 && l.May[relay.ActTake] {
			l.Mine = &fits[k]
		}
		if s.Whole {
			l.Fits = fits
		}
	}
	return nil
}

func (h Overview) readSheet(ctx context.Context, b *newsroom.Setup, s *Sheet, who ref.Person) (err error) {
	r, id := h.DB.View(), s.Row.ID
	if s.asked, err = copyroom.AskedOf(b, ctx, r, &s.Row.Piece); err != nil {
		return err
	}
	s.Steps, s.Values = s.asked.Steps[id], s.asked.Values[id]
	if !s.May[relay.ActRead] {
		s.Values = nil
		return nil
	}
	if s.Copy, s.Text, s.Seq, err = newsroom.Newest(ctx, r, &s.Row); err != nil {
		return err
	}
	s.Copy.Words = s.Text.Left().Words()
	s.asked.Words[id] = s.Copy.Words
	if s.Hand, err = copyroom.HandOf(b, &s.Row, who); err != nil { // who may do nothing with it reads it
		s.Hand, err = copyroom.Hand{}, nil
	}
	if s.May[relay.ActReadLog] {
		s.Log, err = store.LogOf(ctx, r, store.LogSieve{Piece: id, Limit: 8})
	}
	return err
}

// bare gives what is shown of any leg.
func (s *Sheet) bare(x *relay.Leg, w relay.Who, passBy relay.PassBy) LegSheet {
	p := &s.Row.Piece
	l := LegSheet{Leg: *x, May: map[relay.Act]bool{}}
	for _, a := range legActs {
		l.May[a] = relay.May(a, w, p, x, passBy) == nil
	}
	if l.State == relay.Running {
		l.Unmet = s.asked.Unmet(p, x)
		l.Asked = make([]day.Moment, len(l.Unmet))
		for k, lack := range l.Unmet {
			l.Asked[k] = s.asked.AskedFor(p, x, lack)
		}
	}
	return l
}

// afterLeg gives what is shown of a leg after release.
func (s *Sheet) afterLeg(x *relay.Leg, w relay.Who, passBy relay.PassBy) LegSheet {
	l := s.bare(x, w, passBy)
	if l.State == relay.Running {
		l.Next, _ = s.Row.Onward(l.Key)
	}
	return l
}

func (s *Sheet) leg(i int, w relay.Who, b *newsroom.Setup, house *plan.Desk) LegSheet {
	p := &s.Row.Piece
	passBy := b.Desk(p.DeskID).PassBy
	l := s.bare(&p.Legs[i], w, passBy)
	l.Start, l.End = house.Window(s.Projection.Start[i], s.Projection.End[i])
	if s.Finish != nil {
		l.InHand = int(s.Finish[i].Finish - s.Projection.End[i])
	}
	if l.State == relay.Running {
		l.Conditions = s.asked.Held(p, &p.Legs[i])
		s.Lacks[l.Key] = s.asked.Lacks(p, l.Key)
		l.Next, _ = p.Onward(l.Key)
		before := p.Before(l.Key)
		for k := range p.Legs {
			if x := &p.Legs[k]; x.State == relay.Passed && before[x.Key] {
				l.BackTo = append(l.BackTo, x.Key)
			}
		}
	}
	return l
}

// Newest gives the newest copy of a piece for somebody who may see it.
func (h Overview) Newest(ctx context.Context, who ref.Person, piece ref.Piece) (store.Copy, error) {
	row, err := h.See(ctx, who, piece, relay.ActRead)
	if err != nil {
		return store.Copy{}, err
	}
	c, text, seq, err := newsroom.Newest(ctx, h.DB.View(), &row)
	c.Seq, c.Text, c.Words = seq, string(text.JSON()), text.Left().Words()
	return c, err
}

// Plain is a piece with its legs and what is filled in on it, and nothing that has to be worked out.
type Plain struct {
	Row    store.Row
	Values map[ref.Field]string
	Inside bool // the one who looks sees at least the brief
}

// Plain gives a piece to somebody who may see it.
func (h Overview) Plain(ctx context.Context, who ref.Person, piece ref.Piece) (Plain, error) {
	row, err := h.See(ctx, who, piece, relay.ActSee)
	if err != nil {
		return Plain{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Plain{}, err
	}
	x := Plain{Row: row, Inside: b.Who(who, row.DeskID).Access.May(relay.RunLegs)}
	x.Values, err = store.Values(ctx, h.DB.View(), piece)
	return x, err
}
