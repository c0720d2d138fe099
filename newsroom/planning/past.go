package planning

import (
	"fmt"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Past is a piece that went out before it was kept here.
type Past struct {
	Draft
	OutAt   day.Moment
	Writer  ref.Person // 0 where it is nobody who is known here
	Address string     // where readers find it
	Summary string
}

// mostAddress is how long an address is at most, in characters.
const mostAddress = 2000

// PastMove gives a piece that went out before it was kept here, as it would be, or says what is wrong
// with it.
func PastMove(b *newsroom.Setup, by ref.Person, d Past, now day.Moment) (relay.Move, error) {
	d.GoesOut, d.Park = 0, true
	m, err := DraftMove(b, by, d.Draft, now)
	if err != nil {
		return m, err
	}
	switch {
	case d.OutAt == 0:
		return m, newsroom.Invalid("day", "It says not when it went out.")
	case d.OutAt > now:
		return m, newsroom.Invalid("day", "It goes out in time to come. Bring it in with a lineup instead.")
	case len([]rune(d.Address)) > mostAddress || d.Address != "" && !strings.HasPrefix(d.Address, "https://") && !strings.HasPrefix(d.Address, "http://"):
		return m, newsroom.Invalid("address", "Its address is none, which begins with https://.")
	}
	p := relay.Past(m.Piece, d.OutAt, d.OutAt.Date(b.Zones[m.Piece.DeskID]), d.Writer)
	p.Address, p.Summary, p.Tags, p.BatchID, p.Version = d.Address, strings.TrimSpace(d.Summary), d.Tags, d.Batch, 1
	m.Piece, m.Events, m.Runs = p, nil, nil
	return m, Check(b, &p)
}

// CreatePast keeps a piece that went out before. Nobody is told, nothing is brought anywhere, and
// nothing is learnt of how long its legs took.
func CreatePast(a *newsroom.Command, d Past) (ref.Piece, error) {
	m, err := PastMove(a.Setup, a.Actor, d, a.Now)
	if err != nil {
		return 0, err
	}
	p := &m.Piece
	if err := d.add(a, p); err != nil {
		return 0, err
	}
	what := fmt.Sprintf("brought in “%s”, No. %d, which went out %s", p.Title, p.Number, a.Setup.At(p.OutAt, p.DeskID))
	if err := a.Log(store.Entry{DeskID: p.DeskID, PieceID: p.ID, Act: "brought in", What: what, After: "address: " + p.Address, Version: 1}); err != nil {
		return 0, err
	}
	return p.ID, a.Stand(*p)
}

// DropPast takes back that a piece which went out before was kept here.
func DropPast(a *newsroom.Command, row store.Row) error {
	is := row.Piece
	is.Stage, is.Version = relay.Withdrawn, is.Version+1
	if a.Unmade == nil {
		a.Unmade = map[ref.Piece]bool{}
	}
	a.Unmade[row.ID] = true
	if err := a.Save(row.Piece, is); err != nil {
		return err
	}
	if err := a.Stand(is); err != nil {
		return err
	}
	return a.Log(store.Entry{DeskID: row.DeskID, PieceID: row.ID, Act: "withdrew", What: "took back that it was brought in", Version: is.Version})
}
