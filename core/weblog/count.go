package weblog

import (
	"bufio"
	"encoding/binary"
	"errors"
	"hash/maphash"
	"io"
	"maps"
	"net/netip"
	"slices"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Apart is after how long without a request the next one is another visit.
const Apart = 30 * time.Minute

// Visits tells visits from further requests of the same visit. It keeps no address: only a hash
// of address, agent and piece, with a seed of the day that is forgotten. It is for one goroutine.
type Visits struct {
	on       int64 // the day of the newer seed
	now, was hashed
	swept    int64
}

// hashed is when something last came, by its hash.
type hashed struct {
	seed maphash.Seed
	last map[uint64]int64
}

func (h *hashed) key(host, agent string, piece ref.Piece) uint64 {
	var sum maphash.Hash
	sum.SetSeed(h.seed)
	sum.WriteString(host)
	sum.WriteByte(0)
	sum.WriteString(agent)
	sum.WriteByte(0)
	var n [8]byte
	binary.LittleEndian.PutUint64(n[:], uint64(piece))
	sum.Write(n[:])
	return sum.Sum64()
}

// Take notes a request and reports whether a visit begins with it.
func (v *Visits) Take(host, agent string, piece ref.Piece, at time.Time) bool {
	const apart = int64(Apart / time.Second)
	t := at.Unix()
	if d := t / 86400; v.now.last == nil || d > v.on { // what came before midnight may go on after it
		v.was, v.now, v.on = v.now, hashed{maphash.MakeSeed(), map[uint64]int64{}}, d
	}
	if t-v.swept > 2*apart {
		for _, h := range []hashed{v.now, v.was} {
			maps.DeleteFunc(h.last, func(_ uint64, last int64) bool { return t-last > apart })
		}
		v.swept = t
	}
	key := v.now.key(host, agent, piece)
	last := v.now.last[key]
	if len(v.was.last) > 0 {
		last = max(last, v.was.last[v.was.key(host, agent, piece)])
	}
	v.now.last[key] = max(t, last)
	return last == 0 || t-last > apart
}

// Key is a piece in one hour of a day.
type Key struct {
	Piece ref.Piece
	Day   day.Date
	Hour  int
}

// Tally is what was found in a log.
type Tally struct {
	Visits map[Key]int
	Lines  int
	Broken int            // lines in neither format
	Robots int            // requests of programs that are no readers
	Ours   int            // requests from addresses of the house
	Failed int            // requests that were not answered with a page
	Again  int            // further requests of the same visit
	Else   int            // requests for what is no piece
	Pages  map[string]int // of those, the pages most asked for, as far as they were kept
}

// mostKept bounds what is remembered: of pages that are no pieces, and of pieces by the hour.
const mostElse, mostKept = 2_000, 5_000_000

// ErrMuch says that a log has more pieces and hours in it than can be counted at once.
var ErrMuch = errors.New("the log covers too much at once; send it in parts")

// Count counts the visits in a log. Find gives the piece at a path; addresses that ours contains
// are left out; days are those of the zone. How far it is, in lines, is told to far now and then,
// which may stop it by an error. Lines that cannot be read are counted, not an error.
func Count(r io.Reader, find func(path string) (ref.Piece, bool), ours []netip.Prefix, zone *time.Location, far func(lines int) error) (Tally, error) {
	t := Tally{Visits: map[Key]int{}, Pages: map[string]int{}}
	in := bufio.NewReaderSize(r, longest+2)
	c := counter{Tally: &t, find: find, ours: ours, zone: zone, robots: map[string]bool{}}
	for {
		line, err := in.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) { // far too long: the rest of it is skipped
			line = nil
			for errors.Is(err, bufio.ErrBufferFull) {
				_, err = in.ReadSlice('\n')
			}
			t.Lines, t.Broken = t.Lines+1, t.Broken+1
		} else if len(line) > 0 {
			t.Lines++
			c.take(line)
		}
		if t.Lines%20_000 == 0 && far != nil {
			if err := far(t.Lines); err != nil {
				return t, err
			}
		}
		switch {
		case len(t.Visits) > mostKept:
			return t, ErrMuch
		case errors.Is(err, io.EOF):
			return t, nil
		case err != nil:
			return t, err
		}
	}
}

// counter is a log while it is counted.
type counter struct {
	*Tally
	visits Visits
	find   func(path string) (ref.Piece, bool)
	ours   []netip.Prefix
	zone   *time.Location
	robots map[string]bool // whether agents are, as far as they were kept
}

// robot reports whether an agent is no reader; the Common format names no agents.
func (c *counter) robot(agent string) bool {
	if agent == "" {
		return false
	}
	is, known := c.robots[agent]
	if !known {
		is = Robot(agent)
		if len(c.robots) < mostElse {
			c.robots[strings.Clone(agent)] = is
		}
	}
	return is
}

// Among reports whether an address is one of some spans.
func Among(host string, spans []netip.Prefix) bool {
	if len(spans) == 0 {
		return false
	}
	a, err := netip.ParseAddr(host)
	return err == nil && slices.ContainsFunc(spans, func(p netip.Prefix) bool { return p.Contains(a.Unmap()) })
}

func (c *counter) take(line []byte) {
	l, err := Parse(line)
	switch {
	case err != nil:
		c.Broken++
		return
	case l.Method != "GET" || l.Status != 200 && l.Status != 304:
		c.Failed++
		return
	case c.robot(l.Agent):
		c.Robots++
		return
	case Among(l.Host, c.ours):
		c.Ours++
		return
	}
	piece, ok := c.find(l.Path)
	if !ok {
		c.Else++
		if _, known := c.Pages[l.Path]; known || len(c.Pages) < mostElse {
			c.Pages[strings.Clone(l.Path)]++
		}
		return
	}
	if !c.visits.Take(l.Host, l.Agent, piece, l.At) {
		c.Again++
		return
	}
	at := l.At.In(c.zone)
	c.Visits[Key{piece, day.NewDate(at.Date()), at.Hour()}]++
}
