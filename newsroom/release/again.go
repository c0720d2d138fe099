package release

import (
	"context"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Worth is a piece that is worth taking up again.
type Worth struct {
	release.Worth
	Row store.Row
}

// mostWorth is how many pieces are shown as worth taking up again.
const mostWorth = 8

// Again gives the pieces of a desk that are worth taking up again, the most so first, for who may
// begin pieces there; nothing for others. Age is after how many days they are looked at.
func (h Room) Again(ctx context.Context, who ref.Person, desk ref.Desk) (out []Worth, age int, err error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, 0, err
	}
	if age = AnnounceOf(b, desk).Again; age == 0 {
		age = release.UsualAge
	}
	if w := b.Who(who, desk); !w.OnDesk || !w.Access.May(relay.OwnPieces) {
		return nil, age, nil
	}
	all, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, age, err
	}
	zone, by := b.Zones[desk], map[ref.Piece]*newsroom.Entry{}
	var past []release.Past
	for _, e := range all {
		if e.DeskID != desk || e.Stage == relay.Withdrawn || b.Outlets[e.ChannelID].Kind == release.Letter { // a letter is read once
			continue
		}
		p := release.Past{ID: e.ID, First: e.ID, Topic: e.TopicID}
		if e.Edition > 1 {
			p.First = e.FromPiece
		}
		if e.Stage == relay.Out {
			p.Out = e.OutAt.Date(zone)
		}
		past, by[e.ID] = append(past, p), e
	}
	worth := release.Again(past, h.Now().Date(zone), age)
	for _, w := range worth[:min(len(worth), mostWorth)] {
		out = append(out, Worth{w, by[w.ID].Row})
	}
	return out, age, nil
}
