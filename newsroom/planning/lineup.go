package planning

import (
	"cmp"
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// Span is the days that a lineup shows, the last one not included.
type Span struct{ From, To day.Date }

// Lineup is the pieces of a span of days with the slots they hold.
type Lineup struct {
	Span
	Today  day.Date
	Out    []*newsroom.Entry // that go out in the span, by time
	Due    []DueLeg          // legs due in the span, by date
	Dated  []DatedPiece      // that have another date of theirs in the span, by date
	Slots  []OpenSlot
	Tray   []*newsroom.Entry // under way without a day, the first to be ready first
	Short  int               // pieces under way that are short, whatever the span
	Mix    []Topic
	Runs   []plan.Run // three and more of one topic after one another
	Runway plan.Runway
	Goal   int
	Left   []*plan.Effect // of what is tried: pieces that would leave a day of the span
	Tried  map[ref.Piece]*plan.Effect
	shared map[slotHeld]int
	inRow  map[ref.Piece]int
}

// DueLeg is a leg that is due on a day of the span.
type DueLeg struct {
	*newsroom.Entry
	Leg *relay.Leg
}

// DatedPiece is a piece on a date that is filled in on it.
type DatedPiece struct {
	*newsroom.Entry
	Date day.Date
}

// Shows is by which dates a lineup shows pieces: those on which they go out, the due dates of
// their legs, or one that is filled in on them.
type Shows struct {
	Legs  bool
	Field ref.Field // 0 for none
}

// OpenSlot is a coming slot that no piece holds.
type OpenSlot struct {
	Channel ref.Channel
	At      day.Moment
	For     string // what will come to it by itself, "" for nothing
}

// Topic is how many pieces of a topic go out in the span, against its target.
type Topic struct {
	ID     ref.Topic
	Count  int
	Target int
}

type slotHeld struct {
	channel ref.Channel
	at      day.Moment
}

// Clashes reports whether a piece shares its time on its channel with another.
func (l *Lineup) Clashes(p *relay.Piece) bool {
	return p.GoesOut != 0 && p.Stage != relay.Withdrawn && l.shared[slotHeld{p.ChannelID, p.GoesOut}] > 1
}

// InRow gives how many pieces of one topic come after one another where a piece is one
// of them; 0 where it is not.
func (l *Lineup) InRow(piece ref.Piece) int { return l.inRow[piece] }

// Lineup gives the lineup of one desk, or of several seen together, as staff see it; the
// legs due in the span, or the pieces with another date in it, are asked for besides.
// What shares a slot, the mix and pieces of one topic in a row do not depend on the sieve.
func (h Overview) Lineup(ctx context.Context, who ref.Person, desk ref.Desk, look Look, span Span, shows Shows) (Lineup, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return Lineup{}, err
	}
	if look, err = staffLook(b, who, desk, look, "The lineup"); err != nil {
		return Lineup{}, err
	}
	zone := b.Zones[desk]
	out := Lineup{Span: span, Today: h.Now().Date(zone), Goal: b.Desk(desk).Goal, shared: map[slotHeld]int{}, inRow: map[ref.Piece]int{}}
	from, to := day.Wall(span.From, 0, zone), day.Wall(span.To, 0, zone)
	all, err := h.Entries(ctx, b, who, Look{Desks: look.Desks})
	if err != nil {
		return out, err
	}
	if t := look.Trial; t != nil {
		board = t.After
		if all, err = h.tried(b, all, t, board.Now); err != nil {
			return out, err
		}
		out.Tried = map[ref.Piece]*plan.Effect{}
		for i := range t.Effects {
			e := &t.Effects[i]
			out.Tried[e.Was.ID] = e
			if g := e.Was.GoesOut; slices.Contains(look.Desks, e.Was.DeskID) && g >= from && g < to && g.Date(zone) != e.Move.Piece.GoesOut.Date(zone) {
				out.Left = append(out.Left, e)
			}
		}
	}
	counts := map[ref.Topic]int{}
	var near []*relay.Piece
	for _, e := range all {
		in := e.GoesOut >= from && e.GoesOut < to && e.GoesOut != 0
		if in && e.Stage != relay.Withdrawn {
			out.shared[slotHeld{e.ChannelID, e.GoesOut}]++
			counts[e.TopicID]++
			near = append(near, &e.Piece)
		} else if e.GoesOut > board.Now {
			out.shared[slotHeld{e.ChannelID, e.GoesOut}]++
		}
		fits := len(look.Sieve.Terms) == 0 || look.fits(e)
		out.Short += newsroom.Count(fits && e.Pace == plan.Short)
		unplaced := e.Stage == relay.UnderWay && e.GoesOut == 0
		if !in && !unplaced && shows.Field == 0 && (!shows.Legs || e.Stage != relay.UnderWay) || !fits {
			continue
		}
		switch {
		case in:
			out.Out = append(out.Out, e)
		case unplaced:
			out.Tray = append(out.Tray, e)
		}
		if d, err := day.ParseDate(e.Values[shows.Field]); shows.Field != 0 && err == nil && d >= span.From && d < span.To && e.Stage != relay.Withdrawn {
			out.Dated = append(out.Dated, DatedPiece{e, d})
		}
		for i := range e.Legs {
			if !shows.Legs {
				break
			}
			if l := &e.Legs[i]; !l.Done() && l.Due >= span.From && l.Due < span.To && l.Due != 0 && e.Stage == relay.UnderWay {
				out.Due = append(out.Due, DueLeg{e, l})
			}
		}
	}
	out.sort()
	out.openSlots(b, board, look)
	comes := map[ref.Desk]func(ref.Channel, day.Moment) string{}
	for i := range out.Slots {
		x := &out.Slots[i]
		d := b.Channel(x.Channel).DeskID
		if comes[d] == nil {
			if comes[d], err = h.ExpectedAt(ctx, d, span.To); err != nil {
				return out, err
			}
		}
		x.For = comes[d](x.Channel, x.At)
	}
	out.Runs = plan.Runs(near)
	for _, r := range out.Runs {
		for _, p := range r.Pieces {
			out.inRow[p.ID] = len(r.Pieces)
		}
	}
	for _, t := range b.TopicsOf(desk) {
		out.Mix = append(out.Mix, Topic{t.ID, counts[t.ID], plan.Target(t.Target, int(span.To-span.From))})
	}
	var channels []ref.Channel
	for _, c := range b.ChannelsOf(desk) {
		if look.Sieve.Lets("channel", int64(c.ID)) {
			channels = append(channels, c.ID)
		}
	}
	out.Runway = board.Runway(channels, max(out.Goal, 1))
	return out, nil
}

// sort puts what is shown into the order of its dates.
func (l *Lineup) sort() {
	slices.SortStableFunc(l.Dated, func(x, y DatedPiece) int { return cmp.Or(cmp.Compare(x.Date, y.Date), cmp.Compare(x.ID, y.ID)) })
	slices.SortStableFunc(l.Out, func(x, y *newsroom.Entry) int {
		return cmp.Or(cmp.Compare(x.GoesOut, y.GoesOut), cmp.Compare(x.ChannelID, y.ChannelID))
	})
	slices.SortStableFunc(l.Due, func(x, y DueLeg) int {
		return cmp.Or(cmp.Compare(x.Leg.Due, y.Leg.Due), cmp.Compare(x.GoesOut, y.GoesOut))
	})
	slices.SortStableFunc(l.Tray, func(x, y *newsroom.Entry) int {
		return cmp.Or(-cmp.Compare(x.Priority, y.Priority), cmp.Compare(earliest(x), earliest(y)))
	})
}

// earliest is when a piece without a day could go out; those that have no slot come last.
func earliest(e *newsroom.Entry) day.Moment {
	if e.CouldGoOut == 0 {
		return 1 << 60
	}
	return e.CouldGoOut
}

// openSlots finds the coming slots of the span that nothing holds, of the channels that are
// looked at. Where more is asked of pieces than their channel, a slot is none of them.
func (l *Lineup) openSlots(b *newsroom.Setup, board *plan.Board, look Look) {
	if !look.Sieve.Only("channel", "desk") {
		return
	}
	for _, desk := range look.Desks {
		if !look.Sieve.Lets("desk", int64(desk)) {
			continue
		}
		to := day.Wall(l.To, 0, b.Zones[desk])
		for _, c := range b.ChannelsOf(desk) {
			if !look.Sieve.Lets("channel", int64(c.ID)) {
				continue
			}
			for _, t := range board.Slots(c.ID) {
				if t >= to {
					break
				}
				if l.shared[slotHeld{c.ID, t}] == 0 && t.Date(b.Zones[desk]) >= l.From {
					l.Slots = append(l.Slots, OpenSlot{Channel: c.ID, At: t})
				}
			}
		}
	}
	slices.SortStableFunc(l.Slots, func(x, y OpenSlot) int { return cmp.Compare(x.At, y.At) })
}

// Stands gives how a piece would stand on each day of a span, for somebody who may
// move it: by date, from today on; by a sketch, if there is one.
func (h Overview) Stands(ctx context.Context, who ref.Person, piece ref.Piece, span Span, sketch ref.Sketch) (map[day.Date]plan.Stand, error) {
	b, board, err := boardIn(h.Newsroom, ctx, who, sketch)
	if err != nil {
		return nil, err
	}
	p := board.Piece(piece)
	if p == nil {
		return nil, &relay.Refusal{Reason: relay.ErrNotNow, Text: "This piece is not under way any more. Look at it again."}
	}
	if err := MayChange(b, who, board, []plan.Change{{Do: plan.DoMove, Piece: piece}}); err != nil {
		return nil, err
	}
	today := board.Today(p.DeskID)
	var dates []day.Date
	for d := max(span.From, today); d < span.To && len(dates) < 400; d++ {
		dates = append(dates, d)
	}
	out := make(map[day.Date]plan.Stand, len(dates))
	for i, s := range board.Desk(p).Stands(p, today, dates) {
		out[dates[i]] = s
	}
	return out, nil
}
