package plan

import (
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Cover says by what a slot is covered.
type Cover string

// What a slot can be covered by.
const (
	ByFinished Cover = "finished" // a piece whose legs are all passed
	ByRunning  Cover = "running"  // a piece that is still on its way
	ByNothing  Cover = "nothing"
)

// SlotCover is one coming slot and what covers it.
type SlotCover struct {
	Channel ref.Channel
	At      day.Moment
	Piece   ref.Piece // 0 for none
	Cover   Cover
}

// Runway is how far ahead of the calendar a desk is.
type Runway struct {
	Slots    []SlotCover // the coming ones, in order
	Finished int         // how many, from now on without a gap, are covered by finished pieces
	Running  int         // how many of those shown are covered by running ones
	Nothing  int         // and by none
}

// Runway looks at the next n slots of some channels.
func (b *Board) Runway(channels []ref.Channel, n int) Runway {
	var out Runway
	for _, c := range channels {
		held := map[day.Moment]*relay.Piece{}
		for _, p := range b.Pieces {
			if p.ChannelID != c || p.GoesOut <= b.Now || p.Stage != relay.UnderWay {
				continue
			}
			if was := held[p.GoesOut]; was == nil || !was.Ready() && p.Ready() {
				held[p.GoesOut] = p
			}
		}
		slots := b.Slots(c)
		for _, t := range slots[:min(n, len(slots))] {
			s := SlotCover{Channel: c, At: t, Cover: ByNothing}
			if p := held[t]; p != nil {
				s.Piece, s.Cover = p.ID, ByRunning
				if p.Ready() {
					s.Cover = ByFinished
				}
			}
			out.Slots = append(out.Slots, s)
		}
	}
	slices.SortStableFunc(out.Slots, func(x, y SlotCover) int {
		if x.At != y.At {
			return int(x.At - y.At)
		}
		return int(x.Channel - y.Channel)
	})
	return out.First(n)
}

// First gives the runway as far as its first n slots.
func (r Runway) First(n int) Runway {
	out := Runway{Slots: r.Slots[:min(n, len(r.Slots))]}
	unbroken := true
	for _, s := range out.Slots {
		switch s.Cover {
		case ByFinished:
			if unbroken {
				out.Finished++
			}
		case ByRunning:
			out.Running++
		default:
			out.Nothing++
		}
		unbroken = unbroken && s.Cover == ByFinished
	}
	return out
}
