package rooms_test

import (
	"testing"

	"greenbaton/core/brief"
	"greenbaton/core/field"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// A format says with which owner, priority and answers its pieces begin; what whoever makes
// one says comes before that, also if they say nothing of a field on purpose.
func TestPiecesBeginWithWhatTheirFormatSays(t *testing.T) {
	h := newHouse(t)
	h.must(h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Name: "Readers", Kind: field.Text}))
	b, err := h.Setup(ctx)
	h.must(err)
	fields := b.FieldsOf(1)
	audience := fields[len(fields)-1].ID
	for name, err := range map[string]error{
		"an owner from outside":    h.Settings.SaveUsual(ctx, lead, 1, freelance, 0, nil),
		"an owner of another desk": h.Settings.SaveUsual(ctx, lead, 1, stranger, 0, nil),
		"a priority there is not":  h.Settings.SaveUsual(ctx, lead, 1, 0, 9, nil),
		"a number that is none":    h.Settings.SaveUsual(ctx, lead, 1, 0, 0, map[ref.Field][]string{number(h, "Episode"): {"many"}}),
	} {
		if !refused(err, relay.ErrInput) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := h.Settings.SaveUsual(ctx, editor, 1, 0, 0, nil); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody who does not lead: %v", err)
	}
	h.must(h.Settings.SaveUsual(ctx, lead, 1, editor, relay.High, map[ref.Field][]string{audience: {"bakers"}}))
	made := func(d planning.Draft) store.Row {
		d.Title, d.Format = "The weir", 1
		id, err := h.Intake.Create(ctx, lead, d)
		h.must(err)
		return h.piece(id)
	}
	value := func(p store.Row) (v string) {
		values, err := store.Values(ctx, h.DB.View(), p.ID)
		h.must(err)
		return values[audience]
	}
	if p := made(planning.Draft{}); p.Owner != editor || p.Priority != relay.High || value(p) != "bakers" {
		t.Errorf("owner %d, priority %d, audience %q", p.Owner, p.Priority, value(p))
	}
	usual := relay.Usual
	if p := made(planning.Draft{Owner: writer, Priority: &usual, Fields: map[ref.Field][]string{audience: {""}}}); p.Owner != writer || p.Priority != relay.Usual || value(p) != "" {
		t.Errorf("said otherwise: owner %d, priority %d, audience %q", p.Owner, p.Priority, value(p))
	}
	h.must(h.Settings.SaveUsual(ctx, lead, 1, 0, relay.Usual, nil))
	if p := made(planning.Draft{}); p.Owner != lead || p.Priority != relay.Usual || value(p) != "" {
		t.Errorf("nothing is set: owner %d, priority %d, audience %q", p.Owner, p.Priority, value(p))
	}
}

// number makes a field that holds a number.
func number(h *testHouse, name string) ref.Field {
	h.must(h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Name: name, Kind: field.Number}))
	b, err := h.Setup(ctx)
	h.must(err)
	fields := b.FieldsOf(1)
	return fields[len(fields)-1].ID
}

// What a brief asks for is not asked for again as an extra field, whichever comes first.
func TestNothingIsAskedForInTheBriefAndAsAField(t *testing.T) {
	h := newHouse(t)
	h.must(h.Settings.SaveFormatBrief(ctx, lead, 1, brief.Form{{Key: "phrase"}}, false, nil))
	if err := h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Name: "search Phrase", Kind: field.Text}); !refused(err, relay.ErrInput) {
		t.Errorf("a field of what the brief asks: %v", err)
	}
	h.must(h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Name: "Audience", Kind: field.Text}))
	if err := h.Settings.SaveFormatBrief(ctx, lead, 1, brief.Form{{Key: "phrase"}, {Key: "audience"}}, false, nil); !refused(err, relay.ErrInput) {
		t.Errorf("a brief that asks for what a field holds: %v", err)
	}
	id, err := h.Settings.SaveFormat(ctx, lead, store.Format{DeskID: 1, ChannelID: 1, Name: "Note"})
	h.must(err)
	h.must(h.Settings.SaveFormatBrief(ctx, lead, id, brief.Form{{Key: "angle"}}, false, nil))
	h.must(h.Settings.SaveField(ctx, lead, store.Field{FormatID: id, Name: "Search phrase", Kind: field.Text}))
	b, err := h.Setup(ctx)
	h.must(err)
	if err := h.Settings.ShareField(ctx, lead, b.FieldsOf(id)[0].ID, 1, true); !refused(err, relay.ErrInput) {
		t.Errorf("a field that another format asks: %v", err)
	}
}
