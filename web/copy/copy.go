package copy

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	"github.com/coder/websocket"
	"github.com/labstack/echo/v5"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/web/kit"
)

// editIn is an edit as pages send it. Then is one that was made on top of it, before
// it was known to be taken.
type editIn struct {
	Page   string      `json:"page"`
	Turn   int         `json:"turn"`
	Base   int         `json:"base"`
	Change copy.Change `json:"change"`
	Then   *editIn     `json:"then"`
}

func (e *editIn) edit() copyroom.CopyEdit {
	out := copyroom.CopyEdit{Client: e.Page, Turn: e.Turn, Base: e.Base, Change: e.Change}
	if e.Then != nil {
		then := e.Then.edit()
		out.Then = &then
	}
	return out
}

// seatIn is what a page says on its line: an edit, or where in the copy somebody is.
type seatIn struct {
	Edit *editIn `json:"edit"`
	Sum  *struct {
		Seq int    `json:"seq"`
		Sum uint32 `json:"sum"`
	} `json:"sum"`
	Place *struct {
		Base int  `json:"base"`
		At   int  `json:"at"`
		Len  int  `json:"len"`
		Gone bool `json:"gone"`
	} `json:"place"`
}

// seatOut is what a page hears on its line.
type seatOut struct {
	Kind    string      `json:"kind"` // hello, edit, nothing, refused, place, left, look or hand
	Hand    *handOut    `json:"hand,omitempty"`
	Edits   []editOut   `json:"edits,omitempty"`
	Turn    int         `json:"turn,omitempty"`
	Seq     int         `json:"seq,omitempty"`
	Change  copy.Change `json:"change,omitempty"`
	Problem string      `json:"problem,omitempty"`
	Trouble string      `json:"trouble,omitempty"` // why nothing can be stored just now
	Page    string      `json:"page,omitempty"`    // of whom a place is, and of which of their pages
	Who     string      `json:"who,omitempty"`
	Place   *copy.Place `json:"place,omitempty"`
}

type editOut struct {
	Seq    int         `json:"seq"`
	By     ref.Person  `json:"by"`
	Client string      `json:"page"`
	Turn   int         `json:"turn"`
	Change copy.Change `json:"change"`
}

type handOut struct {
	Writes  bool   `json:"writes"`
	Reads   bool   `json:"reads"` // and may do nothing else
	Decides bool   `json:"decides"`
	Because string `json:"because,omitempty"`
}

func newHand(h copyroom.Hand) *handOut {
	return &handOut{Writes: h.Writes, Reads: h.By == 0, Decides: h.Decides, Because: h.Because}
}

// lineBytes is the longest message a page may send at once: a whole copy pasted, twice
// as long when written as JSON.
const lineBytes = 2*copy.MaxBytes + 1<<16

// editCopy takes an edit from a page that has no line: one that is just being closed,
// or what an earlier page could not send any more.
func (s *Section) editCopy(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	b, err := io.ReadAll(io.LimitReader(c.Request().Body, lineBytes))
	if err != nil {
		return err
	}
	var in editIn
	if err := json.Unmarshal(b, &in); err != nil {
		return unread(err)
	}
	got, err := s.Copyroom.EditCopy(c.Request().Context(), kit.Me(c).ID, id, in.edit())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"seq": got.Seq, "nothing": got.Nothing})
}

func unread(err error) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: "copy", Text: "The edit could not be read: " + err.Error() + "."}
}

// copyLine is the line between the house and an open copy: edits go in and come out in
// order, and with them where others are.
func (s *Section) copyLine(c *echo.Context) error {
	id, page, after, err := lineAsked(c)
	if err != nil {
		return err
	}
	who := kit.Me(c)
	ctx := c.Request().Context()
	if _, err := s.Copyroom.HandOn(ctx, who.ID, id); err != nil { // before the line is made, so that it is answered plainly
		return err
	}
	conn, err := websocket.Accept(c.Response(), c.Request(), &websocket.AcceptOptions{OriginPatterns: s.Origins()}) // pages of other sites are refused
	if err != nil {
		return nil // it has been answered
	}
	defer conn.CloseNow()
	conn.SetReadLimit(lineBytes)
	seat, missed, hand, err := s.Copyroom.Join(ctx, who.ID, id, page, after)
	if err != nil {
		s.Log.Error("sit down to a copy", "problem", err)
		return nil
	}
	defer seat.Leave()
	l := &seatLine{s: s, conn: conn, seat: seat, piece: id, who: who.ID, back: make(chan seatOut, 8)}
	hello := helloOn(seat, hand, missed, after)
	l.still = s.Newsroom.Still(s.Visitor(ctx))
	ctx, stop := s.Lines.Open(ctx, l.still)
	written := make(chan struct{})
	go func() {
		defer close(written)
		defer stop()
		l.write(ctx, hello)
	}()
	l.read(ctx)
	stop()
	<-written // it uses the client
	return nil
}

// copySince is the line to a copy for pages that no WebSocket comes through to: it answers
// with what is new since an edit, at once where there is something or the page is new, and
// otherwise when there is, or after a while. Edits come in by editCopy.
func (s *Section) copySince(c *echo.Context) error {
	id, page, after, err := lineAsked(c)
	if err != nil {
		return err
	}
	ctx, done := s.Lines.Open(c.Request().Context(), s.Newsroom.Still(s.Visitor(c.Request().Context())))
	defer done()
	seat, missed, hand, err := s.Copyroom.Join(ctx, kit.Me(c).ID, id, page, after)
	if ctx.Err() != nil {
		err = newsroom.ErrEnded
	}
	if err != nil {
		return err
	}
	defer seat.Leave()
	l := &seatLine{s: s, seat: seat, piece: id, who: kit.Me(c).ID}
	hello := helloOn(seat, hand, missed, after)
	first := c.QueryParam("first") != "" || hello.Change != nil
	if !first {
		hello.Kind = "hand"
		if len(missed) > 0 {
			hello.Kind = "edit"
		}
	}
	out := []seatOut{hello}
	if err := l.appendAll(ctx, &out); err != nil { // where others are
		return err
	}
	if !first && len(missed) == 0 {
		wait := time.NewTimer(kit.Breath)
		defer wait.Stop()
		select {
		case w, open := <-seat.Messages():
			if err := l.append(ctx, &out, w, open); err != nil {
				return err
			}
		case <-wait.C:
		case <-ctx.Done():
		}
		if err := l.appendAll(ctx, &out); err != nil { // and what came with it
			return err
		}
	}
	if ctx.Err() != nil {
		return newsroom.ErrEnded
	}
	return c.JSON(http.StatusOK, map[string]any{"messages": out})
}

// appendAll adds what waits for a client, without waiting.
func (l *seatLine) appendAll(ctx context.Context, out *[]seatOut) error {
	for {
		select {
		case w, open := <-l.seat.Messages():
			if err := l.append(ctx, out, w, open); err != nil || !open {
				return err
			}
		default:
			return nil
		}
	}
}

// append adds what a client hears; nothing where it fell too far behind.
func (l *seatLine) append(ctx context.Context, out *[]seatOut, w copyroom.Message, open bool) error {
	if !open {
		return nil
	}
	m, err := l.word(ctx, w)
	switch {
	case ctx.Err() != nil:
		return newsroom.ErrEnded
	case err == nil:
		*out = append(*out, m)
	}
	return err
}

// helloOn is what a page is told first, that knows the copy up to an edit.
func helloOn(seat *copyroom.Client, hand copyroom.Hand, missed []copyroom.ClientEdit, after int) seatOut {
	out := seatOut{Kind: "hello", Hand: newHand(hand)}
	if text, seq := seat.Now(); after > seq { // the data went back to an earlier state
		out.Seq, out.Change = seq, copy.Change(text)
	}
	for _, e := range missed {
		out.Edits = append(out.Edits, editOut(e))
	}
	return out
}

// lineAsked reads for which page of which copy a line is asked for, and what it knows.
func lineAsked(c *echo.Context) (id ref.Piece, page string, after int, err error) {
	if id, err = kit.ID[ref.Piece](c); err != nil {
		return id, "", 0, err
	}
	page = c.QueryParam("page")
	after, err = strconv.Atoi(c.QueryParam("after"))
	if err != nil || page == "" || len(page) > 40 || after < 0 {
		return id, page, 0, unread(errors.New("the page does not say who it is"))
	}
	return id, page, after, nil
}

// seatLine is one open connection.
type seatLine struct {
	s     *Section
	conn  *websocket.Conn
	seat  *copyroom.Client
	piece ref.Piece
	who   ref.Person
	still func() bool  // the visit goes on
	back  chan seatOut // answers to what was read
}

// read takes what a page says, until it goes.
func (l *seatLine) read(ctx context.Context) {
	for {
		kind, b, err := l.conn.Read(ctx)
		if err != nil || kind != websocket.MessageText || ctx.Err() != nil {
			return
		}
		var in seatIn
		if err := json.Unmarshal(b, &in); err != nil {
			l.answer(ctx, seatOut{Kind: "refused", Problem: unread(err).Error()})
			continue
		}
		switch {
		case in.Edit != nil:
			got, err := l.s.Copyroom.EditCopy(ctx, l.who, l.piece, in.Edit.edit())
			if err != nil {
				l.answer(ctx, l.refused(in.Edit.Turn, err))
			} else if got.Nothing {
				l.answer(ctx, seatOut{Kind: "nothing", Turn: in.Edit.Turn, Seq: got.Seq})
			}
		case in.Sum != nil:
			if text, seq, same := l.seat.Same(in.Sum.Seq, in.Sum.Sum); !same {
				l.s.Log.Warn("a page has another text than the house", "piece", l.piece, "edit", seq)
				l.answer(ctx, seatOut{Kind: "anew", Seq: seq, Change: copy.Change(text)})
			}
		case in.Place != nil && in.Place.Gone:
			l.seat.Move(in.Place.Base, nil)
		case in.Place != nil:
			l.seat.Move(in.Place.Base, &copy.Place{At: max(0, in.Place.At), Len: max(0, in.Place.Len)})
		}
	}
}

// refused says why an edit was not taken; without a problem in it, the page sends the edit
// again after a while.
func (l *seatLine) refused(turn int, err error) seatOut {
	out := seatOut{Kind: "refused", Turn: turn}
	var refused *relay.Refusal
	switch {
	case errors.As(err, &refused) && (refused.Reason == relay.ErrMachine || errors.Is(err, newsroom.ErrEnded)):
		out.Trouble = refused.Text
	case errors.As(err, &refused):
		out.Problem = refused.Text
	case errors.Is(err, newsroom.ErrNotFound):
		out.Problem = "This piece is no longer open to you."
	default:
		l.s.Log.Error("edit a copy", "piece", l.piece, "problem", err)
	}
	return out
}

func (l *seatLine) answer(ctx context.Context, out seatOut) {
	select {
	case l.back <- out:
	case <-ctx.Done():
	}
}

// write tells a page what it is to hear, until it goes, falls too far behind, or the one
// who sits there may no longer read the copy.
func (l *seatLine) write(ctx context.Context, hello seatOut) {
	if l.send(ctx, hello) != nil {
		return
	}
	look := time.NewTicker(kit.Breath)
	defer look.Stop()
	for {
		var out seatOut
		select {
		case <-ctx.Done():
			return
		case <-look.C:
			if !l.still() { // left unused for too long
				return
			}
			hand, err := l.s.Copyroom.HandOn(ctx, l.who, l.piece)
			if err != nil {
				return
			}
			out = seatOut{Kind: "hand", Hand: newHand(hand)}
		case out = <-l.back:
		case w, open := <-l.seat.Messages():
			if !open {
				return
			}
			var err error
			if out, err = l.word(ctx, w); err != nil {
				return
			}
		}
		if ctx.Err() != nil || l.send(ctx, out) != nil {
			return
		}
	}
}

func (l *seatLine) word(ctx context.Context, w copyroom.Message) (seatOut, error) {
	out := seatOut{Kind: w.Kind, Place: w.Place}
	if w.Edit != nil {
		out.Edits = []editOut{editOut(*w.Edit)}
	}
	b, err := l.s.Newsroom.Setup(ctx)
	if err != nil {
		return out, err
	}
	if w.Who != 0 {
		out.Who, out.Page = b.Name(w.Who), fmt.Sprintf("%d %s", w.Who, w.Page)
	}
	if w.Kind == "look" {
		hand, err := l.s.Copyroom.HandOn(ctx, l.who, l.piece)
		if err != nil {
			return out, err
		}
		out.Hand = newHand(hand)
	}
	return out, nil
}

func (l *seatLine) send(ctx context.Context, out seatOut) error {
	b, err := json.Marshal(out)
	if err != nil {
		return err
	}
	ctx, stop := context.WithTimeout(ctx, kit.Breath)
	defer stop()
	return l.conn.Write(ctx, websocket.MessageText, b)
}
