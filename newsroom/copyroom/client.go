package copyroom

import (
	"context"
	"slices"
	"unicode/utf16"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Client is an open page of a copy: it hears every edit in order, and where others are.
type Client struct {
	Who      ref.Person
	Page     string
	session  *session
	h        *newsroom.Newsroom
	messages chan Message
	at       *copy.Place // where they are in the copy
	behind   bool        // it did not keep up and is told nothing more
}

// Message is what a client hears.
type Message struct {
	Kind  string // "edit", "place", "left" or "look"
	Edit  *ClientEdit
	Who   ref.Person  // of a place
	Page  string      // of whom
	Place *copy.Place // nil: they are not in the copy
}

// ClientEdit is an edit as pages hear it.
type ClientEdit struct {
	Seq    int
	By     ref.Person
	Client string
	Turn   int
	Change copy.Change
}

// clientKeeps is how many messages wait for a client that is slow; one that falls further
// behind is closed, and comes back by itself.
const clientKeeps = 512

// put tells a client something; the session's lock is held.
func (s *Client) put(w Message) {
	if s.behind {
		return
	}
	select {
	case s.messages <- w:
	default:
		s.behind = true
		close(s.messages)
	}
}

// Messages gives what the client hears; it is closed when the client falls too far behind.
func (s *Client) Messages() <-chan Message { return s.messages }

// Join opens the copy of a piece for a page that knows it up to an edit. It gives the
// edits since, and what the one who sits may do.
func (h Room) Join(ctx context.Context, who ref.Person, piece ref.Piece, client string, after int) (*Client, []ClientEdit, Hand, error) {
	if _, err := h.See(ctx, who, piece, relay.ActRead); err != nil {
		return nil, nil, Hand{}, err
	}
	var seat *Client
	var missed []ClientEdit
	var hand Hand
	err := h.Do(ctx, who, func(a *newsroom.Command) error {
		a.Hushed = true
		s, err := Stage(a, piece)
		if err != nil {
			return err
		}
		if hand, err = readingHand(a, &s.row, who); err != nil {
			return err
		}
		edits, err := s.session.after(a, a.Tx, after)
		if err != nil {
			return err
		}
		for _, e := range edits {
			missed = append(missed, ClientEdit(e))
		}
		seat = &Client{Who: who, Page: client, session: s.session, h: h.Newsroom, messages: make(chan Message, clientKeeps)}
		seat.take()
		return nil
	})
	if err != nil && seat != nil {
		seat.Leave()
	}
	return seat, missed, hand, err
}

// take puts a client into its session, and tells it where in the copy others are.
func (s *Client) take() {
	r, rs := s.session, newsroom.PartOf[sessions](s.h)
	rs.mu.Lock()
	defer rs.mu.Unlock()
	r.mu.Lock()
	defer r.mu.Unlock()
	rs.open[r.piece] = r // who left last may just have closed it
	for other := range r.open {
		if other.at != nil {
			s.put(Message{Kind: "place", Who: other.Who, Page: other.Page, Place: other.at})
		}
	}
	r.open[s] = struct{}{}
}

// readingHand is what somebody who may read a copy may do with it, which can be nothing.
func readingHand(a *newsroom.Command, row *store.Row, who ref.Person) (Hand, error) {
	hand, err := HandIn(a, row, who)
	if err != nil {
		return Hand{}, nil
	}
	return hand, nil
}

// HandOn says what somebody may do with the copy of a piece now; nothing for who only
// reads. ErrNotFound and refusals are for who may not even do that.
func (h Room) HandOn(ctx context.Context, who ref.Person, piece ref.Piece) (Hand, error) {
	row, err := h.See(ctx, who, piece, relay.ActRead)
	if err != nil {
		return Hand{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Hand{}, err
	}
	hand, err := HandOf(b, &row, who)
	if err != nil {
		return Hand{}, nil
	}
	return hand, nil
}

// Move tells the other pages where in the copy somebody is, by the edit they knew; nil
// if they left it.
func (s *Client) Move(base int, at *copy.Place) {
	r := s.session
	r.mu.Lock()
	defer r.mu.Unlock()
	if at != nil {
		p := *at
		i, _ := slices.BinarySearchFunc(r.log, base+1, func(e newsroom.Taken, seq int) int { return e.Seq - seq })
		for _, e := range r.log[i:] {
			end := e.Change.Position(p.At+p.Len, false)
			p.At = e.Change.Position(p.At, false)
			p.Len = max(0, end-p.At)
		}
		at = &p
	}
	s.at = at
	for other := range r.open {
		if other != s {
			other.put(Message{Kind: "place", Who: s.Who, Page: s.Page, Place: at})
		}
	}
}

// Now gives the text as it is, and its newest edit.
func (s *Client) Now() (copy.Text, int) {
	s.session.mu.Lock()
	defer s.session.mu.Unlock()
	return s.session.text, s.session.seq
}

// Same reports whether the text after an edit has a sum, FNV-1a of 32 bits over its UTF-16
// code units without pictures; as far as that is the newest edit. It gives the text and
// the edit if it has not.
func (s *Client) Same(seq int, sum uint32) (copy.Text, int, bool) {
	r := s.session
	r.mu.Lock()
	defer r.mu.Unlock()
	if seq != r.seq {
		return nil, r.seq, true
	}
	is := uint32(2166136261)
	for _, u := range utf16.Encode([]rune(r.text.Plain())) {
		is = (is ^ uint32(u)) * 16777619
	}
	return r.text, seq, is == sum
}

// Leave closes the client.
func (s *Client) Leave() {
	r := s.session
	r.mu.Lock()
	delete(r.open, s)
	for other := range r.open {
		other.put(Message{Kind: "left", Who: s.Who, Page: s.Page})
	}
	r.mu.Unlock()
	newsroom.PartOf[sessions](s.h).leave(r)
}

// look tells the pages of a copy that something beside the text changed: a query, a
// pass, who may write.
func (rs *sessions) look(piece ref.Piece) {
	r := rs.get(piece)
	if r == nil {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	for seat := range r.open {
		seat.put(Message{Kind: "look"})
	}
}

// leave forgets a session that nobody is in and of which everything is in a version.
func (rs *sessions) leave(r *session) {
	rs.mu.Lock()
	defer rs.mu.Unlock()
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.open) == 0 && r.dirty.IsZero() && rs.open[r.piece] == r {
		delete(rs.open, r.piece)
	}
}

// all gives the open sessions.
func (rs *sessions) all() []*session {
	rs.mu.Lock()
	defer rs.mu.Unlock()
	out := make([]*session, 0, len(rs.open))
	for _, r := range rs.open {
		out = append(out, r)
	}
	return out
}

// clear closes all sessions, after the data was changed behind the house's back.
func (rs *sessions) clear() {
	rs.mu.Lock()
	defer rs.mu.Unlock()
	for _, r := range rs.open {
		r.mu.Lock()
		for s := range r.open {
			if !s.behind {
				s.behind = true
				close(s.messages)
			}
		}
		r.mu.Unlock()
	}
	rs.open = map[ref.Piece]*session{}
}
