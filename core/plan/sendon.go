package plan

import (
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// Destination is a format to which a piece is sent on.
type Destination struct {
	Desk    ref.Desk
	Format  ref.Format
	Channel ref.Channel // the channel is the format's own
	Route   ref.Route   // the newest of the format
	Way     route.Route
	Owner   ref.Person            // who owns it there if its owner is not of that desk
	Works   func(ref.Person) bool // reports whether somebody is of that desk
}

// SendOn moves a piece under way over to another format, with the legs it has passed. On
// another desk it has no day yet, goes out on the format's channel, loses topic and
// campaign, which are the old desk's, and the legs to come lose holders who are not of
// that desk, as it loses its owner. The house and the scene are those of the destination.
func (h *Desk) SendOn(p relay.Piece, to Destination, s relay.Scene) (relay.Move, error) {
	m, err := h.Reroute(p, to.Way, to.Route, s)
	if err != nil {
		return m, err
	}
	q := &m.Piece
	elsewhere := p.DeskID != to.Desk
	if q.DeskID, q.FormatID = to.Desk, to.Format; !elsewhere {
		return m, nil
	}
	q.ChannelID, q.GoesOut, q.MissedAt, q.TopicID, q.CampaignID = to.Channel, 0, 0, 0, 0
	if !to.Works(q.Owner) {
		q.Owner = to.Owner
	}
	for l := range q.Every() {
		if !l.Done() && l.Holder != 0 && !to.Works(l.Holder) {
			l.Holder, l.TakenAt, l.Offered = 0, 0, ""
		}
	}
	h.Dates(q)
	return m, nil
}

// Mend puts a piece where its route belongs, of which format, desk and channel do not all
// belong to it. A channel of another desk, given by its desk, is left, and its day with it.
func Mend(p relay.Piece, to Destination, channelDesk ref.Desk) relay.Piece {
	elsewhere := p.DeskID != to.Desk
	p.DeskID, p.FormatID = to.Desk, to.Format
	if channelDesk != to.Desk {
		p.ChannelID, p.GoesOut = to.Channel, 0
	}
	if elsewhere {
		p.TopicID, p.CampaignID = 0, 0
		if !to.Works(p.Owner) && to.Owner != 0 {
			p.Owner = to.Owner
		}
	}
	return p
}
