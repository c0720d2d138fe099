package scope

import (
	"strings"
	"testing"
)

func TestAScopeOpensWhatItSays(t *testing.T) {
	for _, x := range []struct {
		text string
		area Area
		is   Right
		ok   bool
	}{
		{"pieces:read", Pieces, Read, true},
		{"pieces:read", Pieces, Write, false},
		{"pieces:write", Pieces, Read, true},
		{"pieces:write copy:read", Copy, Write, false},
		{"pieces:write copy:read", Ideas, Read, false},
		{"", Pieces, Read, false},
		{"", Pieces, None, true},
	} {
		s, err := Parse(x.text)
		if err != nil || s.Allows(x.area, x.is) != x.ok {
			t.Errorf("%q in %s %s: %v, %v", x.text, x.area, x.is, !x.ok, err)
		}
	}
	all := Scope{}
	for _, a := range Areas {
		all[a] = Read
		if a.Says() == "" {
			t.Errorf("%s is not said", a)
		}
	}
	if again, err := Parse(all.String()); err != nil || again.String() != all.String() || len(again) != len(Areas) {
		t.Errorf("%v, %v", again, err)
	}
	for text, says := range map[string]string{"mill:read": "is no area", "pieces": "is no right", "pieces:all": "is no right", "fees:write": "change nothing in fees"} {
		if _, err := Parse(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
}
