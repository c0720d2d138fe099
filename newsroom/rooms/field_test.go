package rooms_test

import (
	"slices"
	"strings"
	"testing"

	"greenbaton/core/bring"
	"greenbaton/core/field"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// A field belongs to the desk: formats that share it have one column, and one value on a piece.
func TestFormatsShareAField(t *testing.T) {
	h := newHouse(t)
	h.must(h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Name: "Series", Kind: field.One, Choices: "Mills\nGrain"}))
	series := h.books().FieldsOf(1)[0]
	recipe, err := h.Settings.SaveFormat(ctx, lead, store.Format{DeskID: 1, ChannelID: 1, Name: "Recipe"})
	h.must(err)
	columns := func() (out []string) {
		for _, c := range planning.Columns(h.books(), 1) {
			if c.Field != 0 {
				out = append(out, c.Name)
			}
		}
		return out
	}
	if got := columns(); len(got) != 1 || got[0] != "Feature: Series" {
		t.Errorf("the columns are %v", got)
	}
	share := func(who ref.Person, format ref.Format, shown bool) error {
		return h.Settings.ShareField(ctx, who, series.ID, format, shown)
	}
	if err := share(editor, recipe, true); !refused(err, relay.ErrNotYours) {
		t.Errorf("shared by staff: %v", err)
	}
	if err := share(stranger, recipe, true); err == nil {
		t.Error("shared by who leads another desk")
	}
	if err := share(lead, 1, false); !refused(err, relay.ErrInput) {
		t.Errorf("taken from the format it was made for: %v", err)
	}
	h.must(share(lead, recipe, true))
	h.must(share(lead, recipe, true)) // again: nothing happens twice
	if got := columns(); len(got) != 1 || got[0] != "Series" {
		t.Errorf("shared the columns are %v", got)
	}
	id, err := h.Intake.Create(ctx, lead, planning.Draft{Title: "Rye loaf", Format: recipe, Owner: lead, Fields: map[ref.Field][]string{series.ID: {"Grain"}}})
	h.must(err)
	if got := h.count("SELECT COUNT(*) FROM field_value WHERE piece_id = ? AND field_id = ? AND value = 'Grain'", id, series.ID); got != 1 {
		t.Errorf("%d values", got)
	}
	h.must(h.Planning.Fill(ctx, lead, id, h.piece(id).Version, map[ref.Field][]string{series.ID: {"Mills"}}))
	if _, err := h.Intake.Create(ctx, lead, planning.Draft{Title: "Rye", Format: recipe, Owner: lead, Fields: map[ref.Field][]string{series.ID: {"Neither"}}}); !refused(err, relay.ErrInput) {
		t.Errorf("made with an answer that is none: %v", err)
	}

	// A lead of another desk changes nothing of it, under whichever format.
	other := h.otherDesk()
	if err := h.Settings.SaveField(ctx, stranger, store.Field{ID: series.ID, FormatID: other, Name: "Theirs now", Kind: field.One, Choices: "Mills\nGrain"}); err == nil {
		t.Error("changed by who leads another desk")
	}
	if err := h.Settings.SaveField(ctx, stranger, store.Field{ID: series.ID, FormatID: 1, Name: "Theirs now", Kind: field.One, Choices: "Mills\nGrain"}); err == nil {
		t.Error("changed by who leads another desk, under its own format")
	}
	if got := h.books().Field(series.ID).Name; got != "Series" {
		t.Errorf("it is called %s", got)
	}

	// What would be called the same on one format is refused, whichever way round.
	if err := h.Settings.SaveField(ctx, lead, store.Field{FormatID: recipe, Name: "series", Kind: field.Text}); !refused(err, relay.ErrInput) {
		t.Errorf("another of the name on a format that shows it: %v", err)
	}
	h.must(share(lead, recipe, false))
	if s, err := h.Planning.Sheet(ctx, lead, id); err != nil || len(s.Answers) != 0 {
		t.Errorf("shared no longer it has %+v, %v", s.Answers, err)
	}
	h.must(h.Settings.SaveField(ctx, lead, store.Field{FormatID: recipe, Name: "series", Kind: field.Text}))
	if err := share(lead, recipe, true); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "already") {
		t.Errorf("shared where there is one of the name: %v", err)
	}
	if got := h.count("SELECT COUNT(*) FROM field_value WHERE field_id = ? AND value = 'Mills'", series.ID); got != 1 {
		t.Error("what was filled in is not kept")
	}
}

// What is answered as a piece is made brings back the legs that are run only with that answer.
func TestAnswersOfANewPieceAreHeeded(t *testing.T) {
	h := newHouse(t)
	h.must(h.Settings.SaveField(ctx, lead, store.Field{FormatID: 1, Name: "Welsh", Kind: field.Yes}))
	f := h.books().FieldsOf(1)[0]
	way := h.books().Latest(1).Way
	way.Legs = slices.Clone(way.Legs)
	way.Leg("welsh").When, way.Leg("welsh").Is, way.Leg("welsh").Skip = f.Key, "yes", route.SkipUnless
	_, err := h.Settings.SaveRoute(ctx, lead, 1, h.books().Latest(1).Version, way)
	h.must(err)
	for answer, want := range map[string]relay.State{"yes": relay.Waiting, "no": relay.Skipped, "": relay.Skipped} {
		d := planning.Draft{Title: "Rye", Format: 1, Owner: lead, Fields: map[ref.Field][]string{f.ID: {answer}}}
		p, err := h.Planning.Prospect(ctx, lead, d)
		h.must(err)
		id, err := h.Intake.Create(ctx, lead, d)
		h.must(err)
		if shown, made := p.Piece.Leg("welsh").State, h.leg(id, "welsh").State; shown != want || made != want {
			t.Errorf("with %q it is shown %s and made %s, want %s", answer, shown, made, want)
		}
	}
}

// A list that is brought in fills extra fields in: found by their names, read by their kinds, and
// said of the row where an answer is none.
func TestAListFillsExtraFieldsIn(t *testing.T) {
	h := newHouse(t)
	for _, f := range []store.Field{{Name: "Series", Kind: field.Several, Choices: "Mills\nGrain\nBread"}, {Name: "Shot on", Kind: field.Date}, {Name: "Serves", Kind: field.Number}} {
		f.FormatID = 1
		h.must(h.Settings.SaveField(ctx, lead, f))
	}
	b := h.lookAt(bring.Lineup, "Title|Format|Series|Shot on|Serves", "Rye|Feature|grain; Mills|3 Dec 2026|4", "Oats|Feature|Neither||", "Barley|Feature|||many", "Spelt|Feature|||")
	rows := h.bringing(b.ID).Rows
	for i, want := range []string{"", "Neither", "number", ""} {
		if bad := rows[i].Fate == intake.RowBad; bad != (want != "") || !strings.Contains(rows[i].Says, want) {
			t.Errorf("row %d is %s: %s", i, rows[i].Fate, rows[i].Says)
		}
	}
	h.must(h.Intake.BringIn(ctx, lead, b.ID, true))
	var got []string
	h.must(h.DB.Select(ctx, &got, "SELECT replace(value, char(10), '+') FROM field_value JOIN piece ON piece.id = piece_id WHERE title = 'Rye' ORDER BY field_id"))
	if want := []string{"Mills+Grain", "2026-12-03", "4"}; !slices.Equal(got, want) {
		t.Errorf("filled in are %q, want %q", got, want)
	}
}
