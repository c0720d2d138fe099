package newsroom

import "sync"

// Gathered is what is counted between two rounds in which it is stored, by key.
type Gathered[K comparable] struct {
	mu sync.Mutex
	of map[K]int
}

// mostGathered bounds how many keys are counted between two rounds; of more nothing is counted.
const mostGathered = 50_000

// Add counts something.
func (g *Gathered[K]) Add(k K, n int) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.add(k, n)
}

func (g *Gathered[K]) add(k K, n int) {
	if g.of == nil {
		g.of = map[K]int{}
	}
	if _, known := g.of[k]; known || len(g.of) < mostGathered {
		g.of[k] += n
	}
}

// Store has what was counted since the last round stored, if there is anything. What cannot be
// stored is kept for the next round.
func (g *Gathered[K]) Store(store func(of map[K]int) error) error {
	g.mu.Lock()
	of := g.of
	g.of = nil
	g.mu.Unlock()
	if len(of) == 0 {
		return nil
	}
	err := store(of)
	if err != nil {
		g.mu.Lock()
		defer g.mu.Unlock()
		for k, n := range of {
			g.add(k, n)
		}
	}
	return err
}
