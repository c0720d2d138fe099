package planning

import (
	"cmp"
	"context"
	"math"
	"slices"

	"greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// LanesBy says what the lanes of the track are.
type LanesBy string

// What lanes can be.
const (
	ByFormat   LanesBy = "format"
	ByPerson   LanesBy = "person"
	ByCampaign LanesBy = "campaign"
	ByDesk     LanesBy = "desk"
)

// Track is the pieces under way by the leg they are at, in lanes.
type Track struct {
	Today   day.Date
	Lanes   []Lane
	Running int // pieces under way
	Behind  int // of those, short ones
}

// Lane is the pieces of one format, person, campaign or desk.
type Lane struct {
	ID     int64
	Legs   []*LaneLeg
	Out    []*newsroom.Entry // that went out lately, the latest first, and those that are ready
	Pieces int               // under way in the lane
}

// LaneLeg is a leg of a lane, with the pieces that are at it in the desk's order.
type LaneLeg struct {
	Key   string // of the leg in its format; its name where the lane has several formats
	Name  string
	Days  int // it may take; of a lane with several formats the most usual
	Flow  plan.Flow
	At    []AtLeg
	Piles bool // clearly more than usual
}

// AtLeg is a piece at a leg.
type AtLeg struct {
	*newsroom.Entry
	Leg *relay.Leg
}

// Track gives the track of one desk, or of several seen together, as staff see it; out
// is how many days back pieces that are out are shown.
func (h Overview) Track(ctx context.Context, who ref.Person, desk ref.Desk, look Look, by LanesBy, out int) (Track, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Track{}, err
	}
	if look, err = staffLook(b, who, desk, look, "The track"); err != nil {
		return Track{}, err
	}
	entries, err := h.Entries(ctx, b, who, look)
	if err != nil {
		return Track{}, err
	}
	t := tracker{b: b, by: by, lanes: map[int64]*Lane{}, Track: Track{Today: h.Now().Date(b.Zones[desk])}}
	since := day.Wall(t.Today-day.Date(out), 0, b.Zones[desk])
	for _, e := range entries {
		switch {
		case e.Stage == relay.UnderWay:
			t.add(e)
		case e.Stage == relay.Out && e.OutAt >= since && by != ByPerson:
			l := t.lane(t.laneOf(e, nil))
			l.Out = append(l.Out, e)
		}
	}
	if by == ByFormat {
		if err := t.flows(ctx, h.Newsroom, desk); err != nil {
			return t.Track, err
		}
	}
	t.finish(desk, look.Desks)
	return t.Track, nil
}

// tracker makes a track.
type tracker struct {
	Track
	b     *newsroom.Setup
	by    LanesBy
	lanes map[int64]*Lane
}

func (t *tracker) lane(id int64) *Lane {
	l := t.lanes[id]
	if l == nil {
		l = &Lane{ID: id}
		t.lanes[id] = l
		if t.by == ByFormat {
			for _, x := range t.b.Latest(ref.Format(id)).Way.Legs {
				l.Legs = append(l.Legs, &LaneLeg{Key: x.Key, Name: x.Name, Days: x.Allowance})
			}
		}
	}
	return l
}

// laneOf says in which lane a piece is, or its leg where lanes are people.
func (t *tracker) laneOf(e *newsroom.Entry, leg *relay.Leg) int64 {
	switch t.by {
	case ByPerson:
		return int64(leg.Holder)
	case ByCampaign:
		return int64(e.CampaignID)
	case ByDesk:
		return int64(e.DeskID)
	}
	return int64(e.FormatID)
}

// add puts a piece under way into its lane, or its lanes.
func (t *tracker) add(e *newsroom.Entry) {
	t.Running++
	t.Behind += newsroom.Count(e.Pace == plan.Short)
	if e.Ready() {
		if t.by != ByPerson {
			l := t.lane(t.laneOf(e, nil))
			l.Out = append(l.Out, e)
			l.Pieces++
		}
		return
	}
	seen := map[int64]bool{}
	for i := range e.Legs {
		leg := &e.Legs[i]
		if leg.State != relay.Running {
			continue
		}
		id := t.laneOf(e, leg)
		l := t.lane(id)
		if !seen[id] {
			l.Pieces++
			seen[id] = true
		}
		x := t.legOf(l, leg)
		x.At = append(x.At, AtLeg{e, leg})
		if t.by == ByFormat {
			continue
		}
		next, _ := e.Onward(leg.Key)
		for _, k := range next { // so that there is where to take it
			t.legOf(l, e.Leg(k))
		}
	}
}

// legOf finds the leg of a lane at which a piece is; one that its newest route has no
// longer is added.
func (t *tracker) legOf(l *Lane, leg *relay.Leg) *LaneLeg {
	key := leg.Name
	if t.by == ByFormat {
		key = leg.Key
	}
	if i := slices.IndexFunc(l.Legs, func(x *LaneLeg) bool { return x.Key == key }); i >= 0 {
		return l.Legs[i]
	}
	x := &LaneLeg{Key: key, Name: leg.Name, Days: leg.Allowance}
	l.Legs = append(l.Legs, x)
	return x
}

// flows adds how each leg usually runs, and where it piles up.
func (t *tracker) flows(ctx context.Context, h *newsroom.Newsroom, desk ref.Desk) error {
	for _, l := range t.lanes {
		d := t.b.Format(ref.Format(l.ID)).DeskID
		r, err := h.Record(ctx, d, ref.Format(l.ID))
		if err != nil {
			return err
		}
		for _, x := range l.Legs {
			x.Flow = r.Flow(x.Key, t.b.Planned[d].Calendar, t.Today)
			x.Piles = x.Flow.PilesUp(len(x.At))
		}
	}
	return nil
}

// finish puts lanes, legs and pieces into their order, and adds lanes without pieces.
func (t *tracker) finish(desk ref.Desk, desks []ref.Desk) {
	for _, d := range desks {
		switch t.by {
		case ByFormat:
			for _, f := range t.b.FormatsOf(d) {
				t.lane(int64(f.ID))
			}
		case ByPerson:
			for _, p := range t.b.OnDesk(d) {
				if p.Access.May(relay.RunLegs) {
					t.lane(int64(p.ID))
				}
			}
		case ByCampaign:
			for _, c := range t.b.CampaignsOf(d) {
				if c.ToDay >= t.Today {
					t.lane(int64(c.ID))
				}
			}
		case ByDesk:
			t.lane(int64(d))
		}
	}
	names := map[string]int{}
	for _, d := range desks {
		for i, n := range t.b.LegNames(d) {
			names[n] = i
		}
	}
	for _, l := range t.lanes {
		if t.by != ByFormat {
			slices.SortStableFunc(l.Legs, func(x, y *LaneLeg) int {
				return cmp.Or(cmp.Compare(names[x.Name], names[y.Name]), cmp.Compare(x.Name, y.Name))
			})
		}
		for _, x := range l.Legs {
			slices.SortStableFunc(x.At, inTurn)
		}
		slices.SortStableFunc(l.Out, func(x, y *newsroom.Entry) int {
			return cmp.Or(cmp.Compare(outWhen(y), outWhen(x)), cmp.Compare(x.ID, y.ID))
		})
		t.Lanes = append(t.Lanes, *l)
	}
	rank := t.ranks()
	slices.SortFunc(t.Lanes, func(x, y Lane) int { return cmp.Or(cmp.Compare(rank[x.ID], rank[y.ID]), cmp.Compare(x.ID, y.ID)) })
}

// outWhen orders pieces that are out or ready: those still to go out first.
func outWhen(e *newsroom.Entry) day.Moment {
	if e.Stage == relay.Out {
		return e.OutAt
	}
	return math.MaxInt32 + e.GoesOut
}

// inTurn is the desk's order of the pieces at a leg: as it was put by hand, then by
// priority and due date.
func inTurn(x, y AtLeg) int {
	turn := func(l *relay.Leg) int {
		if l.Turn == 0 {
			return math.MaxInt32
		}
		return l.Turn
	}
	due := func(l *relay.Leg) day.Date {
		if l.Due == 0 {
			return math.MaxInt32
		}
		return l.Due
	}
	return cmp.Or(cmp.Compare(turn(x.Leg), turn(y.Leg)), -cmp.Compare(x.Priority, y.Priority), cmp.Compare(due(x.Leg), due(y.Leg)), cmp.Compare(x.ID, y.ID))
}

// ranks orders lanes: people by name with nobody first, campaigns by their first day
// with none last, the rest as they were made.
func (t *tracker) ranks() map[int64]int {
	out := map[int64]int{}
	switch t.by {
	case ByPerson:
		for i := range t.b.People {
			out[int64(t.b.People[i].ID)] = i + 1
		}
	case ByCampaign:
		for i := range t.b.Campaigns {
			out[int64(t.b.Campaigns[i].ID)] = i
		}
		out[0] = math.MaxInt32
	default:
		for id := range t.lanes {
			out[id] = int(id)
		}
	}
	return out
}

// Hands is what can be done with a leg of a piece that is held on the track.
type Hands struct {
	Onward []string // the legs that begin when it is passed
	Ready  bool     // nothing is left then
	Unmet  []string // what is still to do before
	Back   []string // the legs it can be sent back to
	Pass   error    // why it may not be passed by whoever holds it
	Return error    // and why not be sent back
	Row    *relay.Piece
	Leg    *relay.Leg
}

// HandsOn says what somebody can do with a running leg of a piece by moving it.
func (h Overview) HandsOn(ctx context.Context, who ref.Person, piece ref.Piece, leg string) (Hands, error) {
	sheet, err := h.Sheet(ctx, who, piece)
	if err != nil {
		return Hands{}, err
	}
	l := sheet.Row.Leg(leg)
	if l == nil || l.State != relay.Running {
		return Hands{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "The piece is no longer at this leg. Look again."}
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Hands{}, err
	}
	x := sheet.Legs[l.Position]
	w, passBy := b.Who(who, sheet.Row.DeskID), b.Desk(sheet.Row.DeskID).PassBy
	out := Hands{Unmet: check.Texts(x.Unmet), Back: x.BackTo, Row: &sheet.Row.Piece, Leg: l}
	out.Onward, out.Ready = sheet.Row.Onward(leg)
	out.Pass, out.Return = relay.May(relay.ActPass, w, &sheet.Row.Piece, l, passBy), relay.May(relay.ActSendBack, w, &sheet.Row.Piece, l, passBy)
	return out, nil
}
