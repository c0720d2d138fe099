package rooms_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"greenbaton/core/check"
	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
)

// A check that a format holds before a leg is in the way of its pass, until it is mended,
// the desk takes the word for its own, or a lead passes it regardless, with a reason.
func TestChecksAreInTheWayOfAPass(t *testing.T) {
	h := newHouse(t)
	b, err := h.Setup(ctx)
	h.must(err)
	d := b.Desk(1)
	d.Language = "en-GB"
	_, err = h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	h.must(h.Copyroom.SaveFormatChecks(ctx, lead, 1, check.Rules{check.Spelling: {Leg: "draft"}, check.Doubled: {Leg: "draft"}, check.Ease: {Off: true}}))
	pass := func(id ref.Piece, who ref.Person, why string) error {
		return h.Planning.PassLeg(ctx, who, planning.Pass{Piece: id, Leg: "draft", Why: why})
	}
	id := h.drafted("x")
	h.write(writer, id, strings.Repeat("word enough ", 12)+"and the blorft blorft.")
	err = pass(id, writer, "")
	var r *relay.Refusal
	if !errors.As(err, &r) || !strings.Contains(fmt.Sprint(r.Text, r.Unmet), "“blorft” is in no word list") {
		t.Fatalf("it is passed: %v", err)
	}
	if s, err := h.Planning.Sheet(ctx, writer, id); err != nil || len(s.Legs[1].Conditions) != 2 {
		t.Errorf("%+v, %v", s.Legs[1].Conditions, err)
	}
	h.must(h.Copyroom.AddWord(ctx, editor, id, "blorft"))
	if err = pass(id, writer, ""); err == nil || strings.Contains(fmt.Sprint(err), "word list") {
		t.Errorf("the desk's own word: %v", err)
	}
	if err := pass(id, writer, "it is right"); err == nil {
		t.Error("a writer passes it regardless")
	}
	h.must(pass(id, lead, "it is the name of the place"))
	if n := h.count("SELECT COUNT(*) FROM logbook WHERE piece_id = ? AND why = 'it is the name of the place'", id); n != 1 {
		t.Error("the reason is not in the logbook")
	}
	for _, bad := range []check.Rules{{"taste": {}}, {check.Spelling: {Leg: "nowhere"}}} {
		if err := h.Copyroom.SaveFormatChecks(ctx, lead, 1, bad); !refused(err, relay.ErrInput) {
			t.Errorf("%v: %v", bad, err)
		}
	}
}

// tries answers as it is told.
type tries map[string]error

func (t tries) Try(_ context.Context, address string) error { return t[address] }

func TestLinksAreTriedAndRemembered(t *testing.T) {
	h := newHouse(t)
	h.Links = tries{"https://weir.example/gone": errors.New("there is nothing there")}
	id := h.drafted("x")
	text, err := copy.Parse([]byte(`[{"insert":"a","attributes":{"link":"https://weir.example/gone"}},{"insert":" "},{"insert":"b","attributes":{"link":"https://weir.example/"}},{"insert":"\n"}]`))
	h.must(err)
	_, err = h.Copyroom.SaveCopy(ctx, writer, id, copyroom.OnNewest, text.JSON())
	h.must(err)
	told := func() string {
		s, _, err := h.Copyroom.Checks(ctx, writer, id)
		h.must(err)
		var out []string
		for _, f := range s.Found {
			if f.Kind == check.Reachable {
				out = append(out, f.Text)
			}
		}
		return strings.Join(out, "; ")
	}
	if got := told(); got != "2 links have not been tried" {
		t.Error(got)
	}
	if dead, err := h.Copyroom.TryLinks(ctx, writer, id); err != nil || dead != 1 {
		t.Error(dead, err)
	}
	if got := told(); got != "https://weir.example/gone does not answer" {
		t.Error(got)
	}
}
