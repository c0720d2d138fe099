package rooms_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// otherDesk gives the second desk of the test house a channel and a format, Letter, with a
// draft and a copy edit, and gives the format's id.
func (x *testHouse) otherDesk() ref.Format {
	x.t.Helper()
	var id ref.Format
	x.must(x.DB.Write(ctx, func(tx *store.Tx) error {
		channel, err := tx.AddChannel(ctx, store.Channel{DeskID: 2, Name: "Post", Slug: "post"})
		if err != nil {
			return err
		}
		if id, err = tx.AddFormat(ctx, store.Format{DeskID: 2, ChannelID: channel, Name: "Letter"}); err != nil {
			return err
		}
		way, err := route.Route{Legs: []route.Leg{
			{Key: "brief", Name: "Brief", Role: "lead", Allowance: 1, Effort: 60}, {Key: "draft", Name: "Draft", Role: "write", Allowance: 2, Effort: 120, After: []string{"brief"}, Words: true},
			{Key: "stamp", Name: "Stamp", Role: "lead", Allowance: 1, After: []string{"draft"}},
		}}.Check()
		if err != nil {
			return err
		}
		_, err = tx.AddRoute(ctx, store.Route{FormatID: id, Version: 1, Way: way})
		return err
	}))
	x.Forget()
	return id
}

// A piece that is sent on to another desk is of that desk in the data, in memory and in
// both logbooks; who was of the old desk alone sees it no more and is told; the preview
// said all of it.
func TestAPieceIsSentOnToAnotherDesk(t *testing.T) {
	x := newHouse(t)
	letter := x.otherDesk()
	id := x.make("12-18")
	x.pass(editor, id, "brief")
	version := x.piece(id).Version
	for _, who := range []ref.Person{editor, writer, freelance, outside, stranger} {
		if err := x.Planning.SendOn(ctx, who, id, letter, version); err == nil {
			t.Errorf("%d sent it on", who)
		}
		if _, err := x.Planning.PreviewSendOn(ctx, who, id, letter); err == nil {
			t.Errorf("%d sees what it would come to", who)
		}
	}
	p, err := x.Planning.PreviewSendOn(ctx, lead, id, letter)
	x.must(err)
	if !p.Leaves || p.NewOwner != stranger || !slices.Equal(p.Added, []string{"Stamp"}) || !slices.Contains(p.Gone, "Copy edit") || len(p.Open) != 1 || p.After.GoesOut != 0 {
		t.Errorf("it would come to %+v", p)
	}
	was := x.everything()
	if err := x.Planning.SendOn(ctx, lead, id, letter, version-1); !refused(err, relay.ErrChanged) {
		t.Errorf("as it was shown before: %v", err)
	}
	if err := x.Planning.SendOn(ctx, lead, id, 1, version); !refused(err, relay.ErrInput) {
		t.Errorf("to its own format: %v", err)
	}
	if err := x.Planning.SendOn(ctx, lead, id, 99, version); !refused(err, relay.ErrNotNow) {
		t.Errorf("to no format: %v", err)
	}
	if x.everything() != was {
		t.Error("what was refused changed something")
	}
	x.must(x.Planning.SendOn(ctx, lead, id, letter, version))
	row := x.piece(id)
	if row.DeskID != 2 || row.FormatID != letter || row.ChannelID != 2 || row.Owner != stranger || row.GoesOut != 0 || row.Leg("draft").Holder != 0 || row.Leg("draft").State != relay.Running || row.Leg("brief").State != relay.Passed {
		t.Errorf("stored is %+v", row)
	}
	if route := x.books().Route(row.RouteID); route.FormatID != letter {
		t.Error("it is on the route of another format")
	}
	for who, want := range map[ref.Person]error{stranger: nil, lead: newsroom.ErrNotFound, writer: newsroom.ErrNotFound} {
		if _, err := x.Planning.Sheet(ctx, who, id); !errors.Is(err, want) {
			t.Errorf("%d sees it: %v", who, err)
		}
	}
	_, board, err := x.Board(ctx)
	x.must(err)
	if p := board.Piece(id); p.DeskID != 2 || p.FormatID != letter {
		t.Errorf("in memory it is a piece of desk %d", p.DeskID)
	}
	for d := int64(1); d <= 2; d++ {
		if n := x.count("SELECT COUNT(*) FROM logbook WHERE desk_id = ? AND piece_id = ? AND what LIKE '%sent it on to Other desk, as a letter%'", d, id); n != 1 {
			t.Errorf("the logbook of desk %d says it %d times", d, n)
		}
	}
	if n := x.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND text LIKE '%sent it on to Other desk%Draft is no longer with you%'", writer); n != 1 {
		t.Errorf("the writer is told %d times", n)
	}
	if n := x.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND text LIKE 'It came to Other desk%'", stranger); n != 1 {
		t.Errorf("the lead there is told %d times", n)
	}
	if all, err := x.Planning.Misplaced(ctx, stranger); err != nil || len(all) != 0 {
		t.Errorf("it is misplaced: %v, %v", all, err)
	}
	x.now = x.now.AddDate(0, 0, 1)
	x.must(x.Tick(ctx))
	if row := x.piece(id); row.WorkedOut != x.today() {
		t.Error("the next day is not worked out")
	}
}

// Pieces that were half sent on, as it was stored once, are found at the start, told of,
// and mended by a lead of either desk, so that everything belongs together.
func TestHalfSentPiecesAreFoundAndMended(t *testing.T) {
	x := newHouse(t)
	letter := x.otherDesk()
	good, half := x.make("12-14"), x.make("12-16")
	var route int64
	x.must(x.DB.Get(ctx, &route, "SELECT id FROM route WHERE format_id = ?", letter))
	x.exec("UPDATE piece SET route_id = ?, channel_id = 2, goes_out = 0 WHERE id = ?", route, half)
	x.Forget()
	x.must(x.Planning.CheckPlaces(ctx))
	for who, n := range map[ref.Person]int{lead: 1, stranger: 1, editor: 0} {
		if got := x.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND kind = 'misplaced' AND text LIKE 'A piece was half sent on%'", who); got != n {
			t.Errorf("%d is told %d times", who, got)
		}
	}
	all, err := x.Planning.Misplaced(ctx, lead)
	x.must(err)
	if len(all) != 1 || all[0].Row.ID != half || all[0].Desk != 2 || all[0].Mended.DeskID != 2 {
		t.Fatalf("found: %+v", all)
	}
	if all, err := x.Planning.Misplaced(ctx, editor); err != nil || len(all) != 0 {
		t.Error("somebody who leads nothing sees them")
	}
	if err := x.Planning.MendPlace(ctx, editor, half, all[0].Row.Version); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("the editor mends it: %v", err)
	}
	if err := x.Planning.MendPlace(ctx, lead, half, all[0].Row.Version+1); !refused(err, relay.ErrChanged) {
		t.Errorf("of another version: %v", err)
	}
	if err := x.Planning.MendPlace(ctx, lead, good, 1); !refused(err, relay.ErrNotNow) {
		t.Errorf("a good one: %v", err)
	}
	x.must(x.Planning.MendPlace(ctx, lead, half, all[0].Row.Version))
	row := x.piece(half)
	if row.DeskID != 2 || row.FormatID != letter || row.ChannelID != 2 || row.Owner != stranger {
		t.Errorf("mended it is %+v", row.Piece)
	}
	if all, err := x.Planning.Misplaced(ctx, stranger); err != nil || len(all) != 0 {
		t.Errorf("still misplaced: %v", all)
	}
	var told []string
	x.must(x.DB.Select(ctx, &told, "SELECT desk_id || ' ' || what FROM logbook WHERE piece_id = ? AND act = 'mended' ORDER BY desk_id", half))
	if fmt.Sprint(told) != "[1 put it where its route belongs: Other desk, as a letter 2 put it where its route belongs: Other desk, as a letter]" {
		t.Errorf("the logbooks say %v", told)
	}
}

// Whatever of desk, format, route and channel a piece has wrong, it is found.
func TestEveryWayToBeMisplacedIsFound(t *testing.T) {
	x := newHouse(t)
	letter := x.otherDesk()
	for name, set := range map[string]string{"desk": "desk_id = 2", "format": fmt.Sprintf("format_id = %d", letter), "route": fmt.Sprintf("route_id = (SELECT id FROM route WHERE format_id = %d)", letter), "channel": "channel_id = 2"} {
		id := x.make("12-16")
		x.exec("UPDATE piece SET "+set+" WHERE id = ?", id)
		rows, err := store.Misplaced(ctx, x.DB)
		x.must(err)
		if len(rows) != 1 || rows[0].ID != id {
			t.Errorf("another %s: %d found", name, len(rows))
		}
		b := x.books()
		m := plan.Mend(rows[0].Piece, plan.Destination{Desk: b.Format(b.Route(rows[0].RouteID).FormatID).DeskID, Format: b.Route(rows[0].RouteID).FormatID, Channel: b.Format(b.Route(rows[0].RouteID).FormatID).ChannelID, Owner: lead, Works: func(ref.Person) bool { return true }}, b.Channel(rows[0].ChannelID).DeskID)
		if b.Route(m.RouteID).FormatID != m.FormatID || b.Format(m.FormatID).DeskID != m.DeskID || b.Channel(m.ChannelID).DeskID != m.DeskID {
			t.Errorf("another %s, mended, is %+v", name, m)
		}
		x.exec("UPDATE piece SET desk_id = 1, format_id = 1, route_id = 1, channel_id = 1 WHERE id = ?", id)
	}
}

// Sent on within a desk, a piece keeps its day, its channel and its people.
func TestAPieceIsSentOnWithinItsDesk(t *testing.T) {
	x := newHouse(t)
	id := x.make("12-18")
	x.pass(editor, id, "brief")
	var note ref.Format
	x.must(x.DB.Write(ctx, func(tx *store.Tx) error {
		var err error
		if note, err = tx.AddFormat(ctx, store.Format{DeskID: 1, ChannelID: 1, Name: "Note"}); err != nil {
			return err
		}
		way, err := route.Route{Legs: []route.Leg{{Key: "draft", Name: "Draft", Role: "write", Usual: writer, Allowance: 1, Words: true}, {Key: "copy", Name: "Copy edit", Role: "edit", Usual: editor, Allowance: 1, After: []string{"draft"}}}}.Check()
		if err == nil {
			_, err = tx.AddRoute(ctx, store.Route{FormatID: note, Version: 1, Way: way})
		}
		return err
	}))
	x.Forget()
	was := x.piece(id)
	x.must(x.Planning.SendOn(ctx, lead, id, note, was.Version))
	is := x.piece(id)
	if is.FormatID != note || is.GoesOut != was.GoesOut || is.ChannelID != was.ChannelID || is.Owner != lead || is.Leg("draft").Holder != writer || is.Leg("pics") != nil {
		t.Errorf("it is %+v", is.Piece)
	}
	var said []string
	x.must(x.DB.Select(ctx, &said, "SELECT what FROM logbook WHERE piece_id = ? AND version = ?", id, is.Version))
	if len(said) != 1 || !strings.HasPrefix(said[0], "sent it on to Desk, as a note") {
		t.Errorf("the logbook says %q", said)
	}
}
