// Package figures is what pieces did: the measures of a desk, their figures by hand, from lists,
// from logs of web servers and as the program counts them, aims, and what was learnt. How figures
// are put together and compared, core/measure says.
package figures

import (
	"maps"
	"sync"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Register lets the newsroom store what was counted, and ask how pieces did.
func Register(n *newsroom.Newsroom) {
	h := Room{n}
	n.Hooks.After = append(n.Hooks.After, h.storeCounts, h.ask)
	n.Hooks.Moved = append(n.Hooks.Moved, resettle)
	n.Hooks.Clicked = append(n.Hooks.Clicked, h.clicked)
	n.Hooks.Stored = append(n.Hooks.Stored, func(a *newsroom.Command) {
		if a.Figures != nil {
			newsroom.PartOf[sums](n).put(a.Figures)
		}
	})
	n.Hooks.Forget = append(n.Hooks.Forget, func() { newsroom.PartOf[sums](n).forget() })
}

// sums keeps what all pieces did, by measure and piece, once it was asked for.
type sums struct {
	mu sync.Mutex
	by map[ref.Measure]map[ref.Piece]store.FigureSum // neither is changed, but replaced
	n  int                                           // grows whenever something changes
}

func (s *sums) forget() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.by = nil
	s.n++
}

// put replaces what pieces did of which figures changed.
func (s *sums) put(changed map[store.FigureKey]store.FigureSum) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.n++
	if s.by == nil || len(changed) == 0 {
		return
	}
	by, fresh := maps.Clone(s.by), map[ref.Measure]bool{}
	for k, x := range changed {
		if !fresh[k.MeasureID] {
			fresh[k.MeasureID] = true
			if by[k.MeasureID] = maps.Clone(by[k.MeasureID]); by[k.MeasureID] == nil {
				by[k.MeasureID] = map[ref.Piece]store.FigureSum{}
			}
		}
		if x.PieceID == 0 { // there are no figures of it any more
			delete(by[k.MeasureID], k.PieceID)
		} else {
			by[k.MeasureID][k.PieceID] = x
		}
	}
	s.by = by
}
