package planning

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// CarrySend moves a piece to a format of another desk, with the legs it has passed there.
func CarrySend(a *newsroom.Command, x *rule.Action, p *relay.Piece) (string, error) {
	f := a.Setup.Format(x.Format)
	if f.ID == 0 || f.Retired {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "The format is no longer in use."}
	}
	if p.FormatID == f.ID {
		return "", nil
	}
	was, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: p.ID, Leg: "", Version: 0})
	if err != nil {
		return "", err
	}
	return a.Setup.SaySentOn(f.ID), sendOn(a, was, f)
}

// destination is where a piece of a format goes.
func destination(b *newsroom.Setup, f store.Format) plan.Destination {
	latest := b.Latest(f.ID)
	return plan.Destination{
		Desk: f.DeskID, Format: f.ID, Channel: f.ChannelID, Route: latest.ID, Way: latest.Way, Owner: newsroom.FirstOf(b.Leads(f.DeskID)),
		Works: func(person ref.Person) bool { return b.Available(person, f.DeskID) },
	}
}

// sentOn works out what sending a piece on to a format comes to.
func sentOn(b *newsroom.Setup, p relay.Piece, f store.Format, now day.Moment) (relay.Move, error) {
	switch house := b.Planned[f.DeskID]; {
	case f.ID == 0 || f.Retired || b.Desk(f.DeskID).Retired || b.Latest(f.ID).ID == 0:
		return relay.Move{}, &relay.Refusal{Reason: relay.ErrNotNow, Field: "format", Text: "The format is no longer in use. Choose another."}
	case f.ID == p.FormatID:
		return relay.Move{}, newsroom.Invalid("format", "It is a %s already. Choose another format.", strings.ToLower(f.Name))
	default:
		m, err := house.SendOn(p, destination(b, f), relay.Scene{Now: now, Today: now.Date(house.Zone), Calendar: house.Calendar})
		if err == nil && m.Piece.Owner == 0 {
			err = &relay.Refusal{Reason: relay.ErrNotNow, Field: "format", Text: b.Desk(f.DeskID).Name + " has no lead who could own it. Choose another format."}
		}
		return m, err
	}
}

// SentOn is what sending a piece on to another format comes to.
type SentOn struct {
	Transfer
	To       store.Format
	Open     []string   // legs to come that nobody has any more, as their holders are not of the other desk
	NewOwner ref.Person // 0 if it stays
	Leaves   bool       // whoever asks does not see it any more
}

// SendOnFormats gives the formats to which somebody can send a piece on, of all desks, and the
// piece.
func (h Moves) SendOnFormats(ctx context.Context, who ref.Person, piece ref.Piece) ([]store.Format, store.Row, error) {
	row, err := h.See(ctx, who, piece, relay.ActPlan)
	if err != nil {
		return nil, row, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, row, err
	}
	return slices.DeleteFunc(slices.Clone(b.Formats), func(f store.Format) bool {
		return f.ID == row.FormatID || f.Retired || b.Desk(f.DeskID).Retired || b.Latest(f.ID).ID == 0
	}), row, nil
}

// PreviewSendOn gives what sending a piece on to a format would come to.
func (h Moves) PreviewSendOn(ctx context.Context, who ref.Person, piece ref.Piece, format ref.Format) (SentOn, error) {
	row, err := h.See(ctx, who, piece, relay.ActPlan)
	if err != nil {
		return SentOn{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return SentOn{}, err
	}
	f, now := b.Format(format), h.Now()
	m, err := sentOn(b, row.Piece, f, now)
	if err != nil {
		return SentOn{}, err
	}
	from, to := b.Planned[row.DeskID], b.Planned[f.DeskID]
	out := SentOn{To: f, Transfer: Transfer{Row: row, After: m.Piece, Before: from.Forward(&row.Piece, now.Date(from.Zone)), Then: to.Forward(&m.Piece, now.Date(to.Zone))}}
	out.compare()
	for i := range m.Piece.Legs {
		l := &m.Piece.Legs[i]
		if was := row.Leg(l.Key); !l.Done() && l.Holder == 0 && was != nil && was.Holder != 0 {
			out.Open = append(out.Open, l.Name+", which "+b.Name(was.Holder)+" has")
		}
	}
	if m.Piece.Owner != row.Owner {
		out.NewOwner = m.Piece.Owner
	}
	out.Leaves = relay.May(relay.ActSee, b.Who(who, f.DeskID), &m.Piece, nil, "") != nil
	return out, nil
}

// SendOn moves a piece over to another format, which may be of another desk, as it was
// shown in a version.
func (h Moves) SendOn(ctx context.Context, by ref.Person, piece ref.Piece, format ref.Format, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: piece, Leg: "", Version: version})
		if err != nil {
			return err
		}
		return sendOn(a, was, a.Setup.Format(format))
	})
}

// sendOn moves a piece over to another format, which may be of another desk. Both desks
// have it in their logbooks, and whoever had a leg of it is told.
func sendOn(a *newsroom.Command, was store.Row, f store.Format) error {
	m, err := sentOn(a.Setup, was.Piece, f, a.Now)
	if err != nil {
		return err
	}
	q := &m.Piece
	if err := a.Keep(was.Piece, m); err != nil {
		return err
	}
	if err := renewSteps(a, q, a.Setup.Latest(f.ID).Way); err != nil {
		return err
	}
	if was.DeskID == f.DeskID {
		return nil
	}
	said := a.Setup.SaySentOn(f.ID)
	if err := a.Log(store.Entry{DeskID: was.DeskID, PieceID: q.ID, Act: string(relay.Rerouted), What: said, Version: q.Version}); err != nil {
		return err
	}
	if err := tellLeft(a, &was.Piece, q, said); err != nil {
		return err
	}
	for _, n := range leads(a, q, newsroom.Note{Kind: "sent on", Text: fmt.Sprintf("It came to %s from %s, as a %s.", a.Setup.Desk(f.DeskID).Name, a.Setup.Desk(was.DeskID).Name, strings.ToLower(f.Name)), Mail: true}) {
		if err := a.Send(q, n); err != nil {
			return err
		}
	}
	return nil
}

// tellLeft tells whoever had a leg to come, or owned the piece, and has it no more.
func tellLeft(a *newsroom.Command, was, is *relay.Piece, said string) error {
	told := map[ref.Person]bool{a.Actor: true, 0: true}
	tell := func(person ref.Person, what string) error {
		if told[person] {
			return nil
		}
		told[person] = true
		return a.Notify(store.Item{PersonID: person, Kind: "sent on", Text: fmt.Sprintf("%s %s: “%s”. %s.", newsroom.First(a.Setup.Actor(a.Actor)), said, was.Title, english.UpperFirst(what)), Link: "/", At: a.Now}, true)
	}
	if was.Owner != is.Owner {
		if err := tell(was.Owner, "you no longer own it"); err != nil {
			return err
		}
	}
	for i := range was.Legs {
		l := &was.Legs[i]
		if now := is.Leg(l.Key); l.Done() || now != nil && now.Holder == l.Holder && !now.Done() {
			continue
		}
		if err := tell(l.Holder, l.Name+" is no longer with you"); err != nil {
			return err
		}
	}
	return nil
}

// Misplaced is a piece of which route, format, channel and desk do not belong together, and
// where it belongs by its route, which tells to where it was last sent.
type Misplaced struct {
	Row    store.Row
	Desk   ref.Desk // of the format of its route
	To     store.Format
	Mended relay.Piece
}

// Misplaced gives the pieces that a lead can mend: those of their desks, or that belong to
// one of them.
func (h Moves) Misplaced(ctx context.Context, who ref.Person) ([]Misplaced, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	all, err := h.misplaced(ctx, h.DB.View(), b)
	return slices.DeleteFunc(all, func(m Misplaced) bool { return b.MayLead(who, m.Desk) != nil && b.MayLead(who, m.Row.DeskID) != nil }), err
}

func (h Moves) misplaced(ctx context.Context, r store.Reader, b *newsroom.Setup) ([]Misplaced, error) {
	rows, err := store.Misplaced(ctx, r)
	if err != nil {
		return nil, err
	}
	out := make([]Misplaced, len(rows))
	for i, row := range rows {
		f := b.Format(b.Route(row.RouteID).FormatID)
		out[i] = Misplaced{Row: row, Desk: f.DeskID, To: f, Mended: plan.Mend(row.Piece, destination(b, f), b.Channel(row.ChannelID).DeskID)}
	}
	return out, nil
}

// CheckPlaces looks for pieces of which route, format, channel and desk do not belong
// together, and tells the leads who can mend them. The program does it when it starts.
func (h Moves) CheckPlaces(ctx context.Context) error {
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		all, err := h.misplaced(a, a.Tx, a.Setup)
		if err != nil || len(all) == 0 {
			return err
		}
		ids := map[ref.Person]int{} // by lead, how many they can mend
		for _, m := range all {
			h.Log.Warn("a piece whose route, format, channel and desk do not belong together", "piece", m.Row.ID, "desk", m.Row.DeskID, "format", m.Row.FormatID, "route", m.Row.RouteID, "channel", m.Row.ChannelID)
			for _, p := range a.Setup.People {
				if a.Setup.MayLead(p.ID, m.Desk) == nil || a.Setup.MayLead(p.ID, m.Row.DeskID) == nil {
					ids[p.ID]++
				}
			}
		}
		for _, id := range slices.Sorted(maps.Keys(ids)) {
			text := fmt.Sprintf("%s half sent on: route, format, channel and desk do not belong together. Look at what would be mended.", map[bool]string{true: "A piece was", false: english.Plural(ids[id], "piece") + " were"}[ids[id] == 1])
			if err := a.Notify(store.Item{PersonID: id, Kind: "misplaced", Text: english.UpperFirst(text), Link: "/misplaced", At: a.Now}, true); err != nil {
				return err
			}
		}
		return nil
	})
}

// MendPlace puts a piece where its route says it belongs.
func (h Moves) MendPlace(ctx context.Context, by ref.Person, piece ref.Piece, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		all, err := h.misplaced(a, a.Tx, a.Setup)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(m Misplaced) bool { return m.Row.ID == piece })
		if i < 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is mended already."}
		}
		m := all[i]
		if a.Setup.MayLead(by, m.Desk) != nil && a.Setup.MayLead(by, m.Row.DeskID) != nil {
			return newsroom.ErrNotFound
		}
		if version != m.Row.Version {
			return a.Changed(m.Row, version)
		}
		is := m.Mended
		is.Version++
		if err := a.Save(m.Row.Piece, is); err != nil {
			return err
		}
		what := fmt.Sprintf("put it where its route belongs: %s, as a %s", a.Setup.Desk(m.Desk).Name, strings.ToLower(m.To.Name))
		for _, d := range slices.Compact([]ref.Desk{m.Desk, m.Row.DeskID}) {
			if err := a.Log(store.Entry{DeskID: d, PieceID: piece, Act: "mended", What: what, Version: is.Version}); err != nil {
				return err
			}
		}
		return a.Stand(is)
	})
}

// SendRequest sends a request on to the desk of a format.
func SendRequest(a *newsroom.Command, x *rule.Action, request ref.Request) (string, error) {
	f := a.Setup.Format(x.Format)
	r, err := a.RequestByID(request)
	if err != nil || f.ID == 0 || r.DeskID == f.DeskID && r.Format == f.ID {
		return "", err
	}
	r.DeskID, r.Format = f.DeskID, f.ID
	r.Version++
	if _, err := a.Tx.SaveRequest(a, r); err != nil {
		return "", err
	}
	for _, id := range a.Setup.Leads(f.DeskID) {
		if err := a.Notify(store.Item{PersonID: id, Kind: "request", Text: fmt.Sprintf("%s asks: “%s”.", r.Name, r.Title), At: a.Now, Link: fmt.Sprintf("/requests/%d", r.ID)}, false); err != nil {
			return "", err
		}
	}
	return fmt.Sprintf("sent it on to %s, as a %s", a.Setup.Desk(f.DeskID).Name, strings.ToLower(f.Name)), nil
}
