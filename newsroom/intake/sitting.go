package intake

import (
	"context"
	"fmt"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/idea"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

// OpenSlots gives the open slots of a desk in the coming weeks, by time.
func (h Backlog) OpenSlots(ctx context.Context, d ref.Desk, weeks int) ([]planning.OpenSlot, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return nil, err
	}
	return openSlots(b, board, d, weeks), nil
}

func openSlots(b *newsroom.Setup, board *plan.Board, d ref.Desk, weeks int) []planning.OpenSlot {
	until := board.Now + day.Moment(weeks)*7*86400
	var out []planning.OpenSlot
	for _, c := range b.ChannelsOf(d) {
		for _, at := range board.FreeSlots(c.ID) {
			if at > until {
				break
			}
			out = append(out, planning.OpenSlot{Channel: c.ID, At: at})
		}
	}
	slices.SortStableFunc(out, func(x, y planning.OpenSlot) int { return int(x.At - y.At) })
	return out
}

// Put is an idea put into a slot at a planning sitting.
type Put struct {
	Idea     ref.Idea
	Format   ref.Format
	Channel  ref.Channel
	At       day.Moment
	Topic    ref.Topic
	Campaign ref.Campaign
	Park     bool // it is kept without beginning
}

// MostPuts is how many ideas are placed at one sitting.
const MostPuts = 40

// Placed is an idea put into a slot, with what follows from it.
type Placed struct {
	Put
	Title  string
	Plan   plan.Projection
	Piece  relay.Piece
	Weight plan.Weight
}

// Sitting is what lies on the table at a planning sitting.
type Sitting struct {
	Weeks    int
	Slots    []planning.OpenSlot // still open
	Placed   []Placed            // in the order in which they were put
	Mix      []planning.Topic    // with what was put
	Progress map[ref.Campaign]planning.Progress
	InHand   map[planning.OpenSlot]int            // working days in hand of the idea that is held, by open slot; nil while none is
	People   []ref.Person                         // who goes over by what was put
	Comes    func(ref.Channel, day.Moment) string // what comes to an open time by itself, "" for nothing
}

// Sitting works out what would follow from ideas put into slots, one after the other as
// if those before were made, and for an idea that is held, with its format, how it would
// stand in each open slot. Nothing is stored.
func (h Backlog) Sitting(ctx context.Context, who ref.Person, d ref.Desk, puts []Put, held Put, weeks int) (Sitting, error) {
	s := Sitting{Weeks: weeks}
	b, err := h.Setup(ctx)
	if err != nil {
		return s, err
	}
	if !planning.MayCreate(b.Who(who, d)) {
		return s, &relay.Refusal{Reason: relay.ErrNotYours, Text: "Leads and staff of the desk plan what it publishes."}
	}
	now := h.Now()
	today := now.Date(b.Zones[d])
	l, err := planning.At(h.Newsroom).Lineup(ctx, who, d, planning.Look{Desks: []ref.Desk{d}}, planning.Span{From: today, To: today + day.Date(7*weeks)}, planning.Shows{})
	if err != nil {
		return s, err
	}
	s.Mix = l.Mix
	if s.Progress, err = planning.At(h.Newsroom).Progress(ctx, d); err != nil {
		return s, err
	}
	board, err := h.BoardAt(ctx, b, now)
	if err != nil {
		return s, err
	}
	for _, p := range puts {
		placed, err := h.put(ctx, b, &board, who, p)
		if err != nil {
			return s, err
		}
		s.Placed = append(s.Placed, placed)
		s.count(placed, today)
	}
	s.Slots = openSlots(b, board, d, weeks)
	if s.Comes, err = h.ExpectedAt(ctx, d, today+day.Date(7*weeks)); err != nil {
		return s, err
	}
	if held.Idea == 0 || held.Format == 0 {
		return s, nil
	}
	s.InHand = map[planning.OpenSlot]int{}
	house := b.Planned[d]
	channels := map[ref.Channel]plan.Projection{}
	for _, slot := range s.Slots {
		if f := b.Format(held.Format); f.ID != 0 && !f.GoesOn(slot.Channel) {
			continue
		}
		pr, ok := channels[slot.Channel]
		if !ok {
			held.Channel, held.At = slot.Channel, 0
			p, err := h.put(ctx, b, &board, who, held)
			if err != nil {
				return s, err
			}
			pr, channels[slot.Channel] = p.Plan, p.Plan
		}
		s.InHand[slot] = int(house.Ready(slot.At.Date(house.Zone)) - pr.Lands)
	}
	return s, nil
}

// put works out what follows from one idea in a slot, and puts its piece on the board.
func (h Backlog) put(ctx context.Context, b *newsroom.Setup, board **plan.Board, who ref.Person, p Put) (Placed, error) {
	out := Placed{Put: p}
	d, err := h.draftOf(ctx, b, who, p)
	if err != nil {
		return out, err
	}
	m, err := planning.DraftMove(b, who, d, h.Now())
	if err != nil {
		return out, err
	}
	if p.At != 0 && !slices.Contains((*board).FreeSlots(m.Piece.ChannelID), p.At) {
		return out, &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s on %s is taken meanwhile. Undo the last step, and choose another slot for “%s”.", b.At(p.At, m.Piece.DeskID), b.Channel(m.Piece.ChannelID).Name, d.Title)}
	}
	r, err := h.Record(ctx, m.Piece.DeskID, m.Piece.FormatID)
	if err != nil {
		return out, err
	}
	(*board).FillIn(&m.Piece, b.Route(m.Piece.RouteID).Way, d.Named, r.Series)
	house := b.Planned[m.Piece.DeskID]
	out.Title, out.Piece = d.Title, m.Piece
	out.Plan = house.Forward(&m.Piece, h.Now().Date(house.Zone))
	if p.At == 0 {
		return out, nil
	}
	out.Weight = (*board).Weigh(&m.Piece, r.Series)
	*board = (*board).Add(m.Piece)
	return out, nil
}

// draftOf makes the draft of an idea that is put into a slot.
func (h Backlog) draftOf(ctx context.Context, b *newsroom.Setup, who ref.Person, p Put) (planning.Draft, error) {
	all, err := h.allIdeas(ctx)
	if err != nil {
		return planning.Draft{}, err
	}
	i, err := findIdea(b, who, all, p.Idea, idea.ActSee)
	if err != nil {
		return planning.Draft{}, err
	}
	f := b.Format(p.Format)
	if f.DeskID != i.DeskID {
		return planning.Draft{}, newsroom.Invalid("format", "Choose a format of the desk for “%s”.", english.Cut(i.Title, 80))
	}
	return planning.Draft{Title: english.Cut(i.Title, 200), Format: p.Format, Channel: p.Channel, GoesOut: p.At, Brief: i.Notes, WordsFrom: f.WordsFrom, WordsTo: f.WordsTo, Topic: p.Topic, Campaign: p.Campaign, Idea: i.ID, Park: p.Park}, nil
}

// count adds what was put to the mix and to its campaign.
func (s *Sitting) count(p Placed, today day.Date) {
	for i := range s.Mix {
		if s.Mix[i].ID == p.Topic {
			s.Mix[i].Count++
		}
	}
	if p.Campaign != 0 {
		x := s.Progress[p.Campaign]
		x.Placed++
		s.Progress[p.Campaign] = x
	}
	for _, shift := range p.Weight.People {
		if !slices.Contains(s.People, shift.Person) {
			s.People = append(s.People, shift.Person)
		}
	}
}

// PlaceIdeas makes pieces of ideas in their slots, all of them or none if one of them
// cannot be made. It gives the ids of the pieces.
func (h Backlog) PlaceIdeas(ctx context.Context, by ref.Person, puts []Put) ([]ref.Piece, error) {
	if len(puts) == 0 || len(puts) > MostPuts {
		return nil, newsroom.Invalid("put", "Put between one and %d ideas into slots first.", MostPuts)
	}
	var ids []ref.Piece
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		board, err := h.BoardAt(a, a.Setup, a.Now)
		if err != nil {
			return err
		}
		for _, p := range puts {
			before := board
			if _, err := h.put(a, a.Setup, &board, by, p); err != nil { // is its slot still free
				return err
			}
			d, err := h.draftOf(a, a.Setup, by, p)
			if err != nil {
				return err
			}
			id, err := makeOn(a, before, d) // with the people that were shown
			if err != nil {
				return err
			}
			ids = append(ids, id)
		}
		return nil
	})
	return ids, err
}
