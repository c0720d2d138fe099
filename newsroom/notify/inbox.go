package notify

import (
	"context"
	"errors"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Inbox gives the newest lines of somebody's own inbox that are not set aside, below an id
// (0: the newest of all).
func (h Room) Inbox(ctx context.Context, who ref.Person, below ref.Item, limit int) ([]store.ItemWithTitle, error) {
	return store.Inbox(ctx, h.DB.View(), who, store.ItemsHere, below, limit)
}

// InboxOf gives the unread lines of somebody's own inbox, or those set aside.
func (h Room) InboxOf(ctx context.Context, who ref.Person, which string, below ref.Item, limit int) ([]store.ItemWithTitle, error) {
	return store.Inbox(ctx, h.DB.View(), who, which, below, limit)
}

// SetAside puts a line of one's own inbox aside, or back.
func (h Room) SetAside(ctx context.Context, who ref.Person, item ref.Item, aside bool) error {
	return h.Do(ctx, who, func(a *newsroom.Command) error {
		at := a.Now
		if !aside {
			at = 0
		}
		return a.Tx.SetAside(a, who, item, at)
	})
}

// SetUnread makes a line of one's own inbox unread again.
func (h Room) SetUnread(ctx context.Context, who ref.Person, item ref.Item) error {
	return h.Do(ctx, who, func(a *newsroom.Command) error { return a.Tx.SetUnread(a, who, item) })
}

// Passable is a leg that somebody could pass with one click: they have it, and nothing is
// to be done before.
type Passable struct {
	Leg     string
	Name    string
	Version int
	To      []string // what begins then
}

// Passable gives of pieces the leg that somebody could pass with one click, by piece.
func (h Room) Passable(ctx context.Context, who ref.Person, pieces []ref.Piece) (map[ref.Piece]Passable, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return nil, err
	}
	var mine []*relay.Piece
	for _, id := range pieces {
		p := board.Piece(id)
		if p == nil || p.Stage != relay.UnderWay {
			continue
		}
		for _, l := range p.Running() {
			if l.Holder == who && !l.SignOff && relay.May(relay.ActPass, b.Who(who, p.DeskID), p, l, b.Desk(p.DeskID).PassBy) == nil {
				mine = append(mine, p)
				break
			}
		}
	}
	asked, err := copyroom.AskedOf(b, ctx, h.DB.View(), mine...)
	if err != nil {
		return nil, err
	}
	out := map[ref.Piece]Passable{}
	for _, p := range mine {
		for _, l := range p.Running() {
			if l.Holder != who || len(asked.Unmet(p, l)) > 0 {
				continue
			}
			x := Passable{Leg: l.Key, Name: l.Name, Version: p.Version}
			next, _ := p.Onward(l.Key)
			for _, k := range next {
				to := p.Leg(k).Name
				if p.Leg(k).Holder != 0 {
					to = b.Name(p.Leg(k).Holder) + ", " + to
				}
				x.To = append(x.To, to)
			}
			out[p.ID] = x
		}
	}
	return out, nil
}

// Unread counts what is unread in somebody's own inbox.
func (h Room) Unread(ctx context.Context, who ref.Person) (int, error) {
	return store.Unread(ctx, h.DB.View(), who)
}

// OpenItem marks a line of one's own inbox read and gives it.
func (h Room) OpenItem(ctx context.Context, who ref.Person, item ref.Item) (store.Item, error) {
	var i store.Item
	err := h.Do(ctx, who, func(a *newsroom.Command) (err error) {
		i, err = a.Tx.ReadItem(a, who, item, a.Now)
		return err
	})
	if errors.Is(err, store.ErrNone) {
		err = newsroom.ErrNotFound
	}
	return i, err
}

// ReadAll marks one's own inbox read.
func (h Room) ReadAll(ctx context.Context, who ref.Person) error {
	return h.Do(ctx, who, func(a *newsroom.Command) error { return a.Tx.ReadAll(a, who, a.Now) })
}

// UnreadAbout gives the newest unread line of one's own inbox about a piece; 0 if there is none.
func (h Room) UnreadAbout(ctx context.Context, who ref.Person, piece ref.Piece) (ref.Item, error) {
	return store.UnreadOfPiece(ctx, h.DB.View(), who, piece)
}

// ReadAbout marks what one's own inbox holds about a piece read, up to a line, and gives how
// many lines are unread then.
func (h Room) ReadAbout(ctx context.Context, who ref.Person, piece ref.Piece, upTo ref.Item) (int, error) {
	err := h.Do(ctx, who, func(a *newsroom.Command) error {
		a.Hushed = true
		return a.Tx.ReadPiece(a, who, piece, upTo, a.Now)
	})
	if err != nil {
		return 0, err
	}
	return h.Unread(ctx, who)
}

// mustLead refuses what is for leads only.
func (h Room) mustLead(ctx context.Context, who ref.Person) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	if !b.Person(who).Access.May(relay.SeePost) {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "The outgoing mail is for leads."}
	}
	return nil
}

// PostRoom gives the newest mails below an id (0: the newest of all), for
// leads of the desks whose pieces they are about.
func (h Room) PostRoom(ctx context.Context, who ref.Person, to string, below ref.Message, limit int) ([]store.Message, error) {
	if err := h.mustLead(ctx, who); err != nil {
		return nil, err
	}
	return store.Mails(ctx, h.DB.View(), who, to, below, limit)
}

// PostRoomMail gives one mail, for leads.
func (h Room) PostRoomMail(ctx context.Context, who ref.Person, id ref.Message) (store.Message, error) {
	if err := h.mustLead(ctx, who); err != nil {
		return store.Message{}, err
	}
	m, err := store.Mail(ctx, h.DB.View(), who, id)
	if errors.Is(err, store.ErrNone) {
		return m, newsroom.ErrNotFound
	} else if err != nil {
		return m, err
	}
	m.Body = strings.ReplaceAll(m.Body, account.LinkPlace, "(a private link, known only to whoever got the mail)")
	// The stand-in keeps what it was handed, links and all, as the box of the receiver would.
	kept, err := store.RoomMailOf(ctx, h.DB.View(), m.Key)
	if errors.Is(err, store.ErrNone) {
		return m, nil
	}
	m.Body = kept.Text
	return m, err
}
