package desk

import (
	"fmt"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// carrySend moves a piece to a format of another desk, with the legs it has passed there.
func (a *act) carrySend(x *rule.Action, p *relay.Piece) (string, error) {
	f := a.b.Format(x.Format)
	if f.ID == 0 || f.Retired {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "The format is no longer in use."}
	}
	if p.FormatID == f.ID {
		return "", nil
	}
	return fmt.Sprintf("sent it on as a %s of %s", strings.ToLower(f.Name), a.b.Desk(f.DeskID).Name), a.sendOn(p, f)
}

// sendOn moves a piece over to another format, which may be of another desk.
func (a *act) sendOn(p *relay.Piece, f store.Format) error {
	was, err := a.load(order{relay.ActPlan, p.ID, "", 0})
	if err != nil {
		return err
	}
	latest := a.b.Latest(f.ID)
	m, err := a.b.Houses[f.DeskID].Reroute(was.Piece, latest.Way, latest.ID, a.scene(f.DeskID))
	if err != nil {
		return err
	}
	q := &m.Piece
	if q.DeskID, q.FormatID = f.DeskID, f.ID; was.DeskID != f.DeskID {
		q.ChannelID, q.GoesOut, q.TopicID, q.CampaignID = f.ChannelID, 0, 0, 0
		if !a.b.available(q.Owner, f.DeskID) {
			q.Owner = first(a.b.Leads(f.DeskID))
		}
		for i := range q.Legs {
			if l := &q.Legs[i]; !l.Done() && l.Holder != 0 && !a.b.available(l.Holder, f.DeskID) {
				l.Holder, l.TakenAt, l.Offered = 0, 0, ""
			}
		}
		q.Legs = a.b.Houses[f.DeskID].Set(q.Legs, 0)
	}
	if q.Owner == 0 {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "That desk has no lead who could own it."}
	}
	if err := a.keep(was.Piece, m); err != nil {
		return err
	}
	if err := a.renewSteps(q, latest.Way); err != nil {
		return err
	}
	if was.DeskID == f.DeskID {
		return nil
	}
	for _, n := range a.leads(q, note{kind: "sent on", text: fmt.Sprintf("It came to %s from %s, as a %s.", a.b.Desk(f.DeskID).Name, a.b.Desk(was.DeskID).Name, strings.ToLower(f.Name)), mail: true}) {
		if err := a.send(q, n); err != nil {
			return err
		}
	}
	return nil
}

// requestOfRule reads the request that an event of rules is about.
func (a *act) requestOfRule(piece int64) (store.Request, error) {
	all, err := store.Requests(a, a.tx, "WHERE id = ?", -piece)
	if err == nil && len(all) == 0 {
		err = store.ErrNone
	}
	return first(all), err
}

// sendRequest sends a request on to the desk of a format.
func (a *act) sendRequest(x *rule.Action, p *relay.Piece) (string, error) {
	f := a.b.Format(x.Format)
	r, err := a.requestOfRule(p.ID)
	if err != nil || f.ID == 0 || r.DeskID == f.DeskID && r.Format == f.ID {
		return "", err
	}
	r.DeskID, r.Format = f.DeskID, f.ID
	r.Version++
	if _, err := a.tx.SaveRequest(a, r); err != nil {
		return "", err
	}
	for _, id := range a.b.Leads(f.DeskID) {
		if err := a.item(store.Item{PersonID: id, Kind: "request", Text: fmt.Sprintf("%s asks: “%s”.", r.Name, r.Title), At: a.now, Link: fmt.Sprintf("/requests/%d", r.ID)}, false); err != nil {
			return "", err
		}
	}
	return fmt.Sprintf("sent it on to %s, as a %s", a.b.Desk(f.DeskID).Name, strings.ToLower(f.Name)), nil
}
