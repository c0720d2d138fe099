package relay

import (
	"errors"
	"strings"
	"testing"
)

func TestTagsAreReadOnceAndInOrder(t *testing.T) {
	for typed, want := range map[string]string{"": "", " rye , Mills,  tide   mills ": "Mills,rye,tide mills", "b,a,B,,": "a,b", "Welsh": "Welsh"} {
		if got, err := ReadTags(typed); err != nil || got != want {
			t.Errorf("%q is read as %q, want %q: %v", typed, got, want, err)
		}
	}
	for _, typed := range []string{strings.Repeat("x", 41), strings.Repeat("tag,", 3) + "a,b,c,d,e,f,g,h,i,j,k,l,m,n,o,p,q,r,s,t,u"} {
		var r *Refusal
		if _, err := ReadTags(typed); !errors.As(err, &r) || r.Field != "tags" {
			t.Errorf("%q is taken: %v", typed, err)
		}
	}
}

// Putting a piece back says who loses a leg by it, who has one again, and who has one
// instead of somebody else; the copy and the times of records stay.
func TestPuttingAPieceBack(t *testing.T) {
	was := Piece{Version: 3, CopyVersion: 1, Legs: []Leg{{Key: "a", State: Running, Holder: 1, TouchedAt: 5}, {Key: "b", State: Waiting, Holder: 2}, {Key: "c", State: Waiting, Holder: 3}}}
	is := was.copy()
	is.Version, is.CopyVersion = 4, 2
	is.Legs[0].State, is.Legs[1].State, is.Legs[1].TouchedAt, is.Legs[2].Holder = Passed, Running, 9, 4
	m := Restore(is, was)
	if m.Piece.Version != 4 || m.Piece.CopyVersion != 2 || m.Piece.Legs[1].TouchedAt != 9 || m.Piece.Legs[0].State != Running || m.Piece.Legs[2].Holder != 3 {
		t.Errorf("%+v", m.Piece)
	}
	want := []Event{{Kind: Restored}, {Kind: Began, Leg: "a", From: 1, To: 1}, {Kind: Recalled, Leg: "b", From: 2}, {Kind: Given, Leg: "c", From: 4, To: 3}}
	if len(m.Events) != len(want) {
		t.Fatalf("%+v", m.Events)
	}
	for i, e := range m.Events {
		if e != want[i] {
			t.Errorf("event %d is %+v, want %+v", i, e, want[i])
		}
	}
}
