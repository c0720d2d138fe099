package partner

import (
	"testing"
	"time"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/review"
)

// A partner is led to a piece where something is theirs to say now, and to no other.
func TestAPartnerIsLedToWhatIsTheirs(t *testing.T) {
	b := &newsroom.Setup{Zones: map[ref.Desk]*time.Location{1: time.UTC}}
	now := review.PartnerPiece{Piece: 391, Title: "The last tide mill", Yours: "Sign-off"}
	later, out, others, past := now, now, now, now
	later.Comes = 20_800
	out.Out, out.Address = true, "/site/web/tide"
	others.Yours = ""
	past.Piece = 0
	for _, c := range []struct {
		what string
		p    review.PartnerPiece
		to   string
	}{{"with them now", now, "/pieces/391/review"}, {"to come", later, ""}, {"out", out, "/site/web/tide"}, {"not theirs", others, ""}, {"one they may not open", past, ""}} {
		if got := pieceOfPartner(b, 1, c.p).To; got != c.to {
			t.Errorf("%s: leads to %q, want %q", c.what, got, c.to)
		}
	}
}
