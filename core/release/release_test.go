package release

import (
	"net/url"
	"strings"
	"testing"
	"unicode/utf8"

	"greenbaton/core/ref"
)

// What a channel asks, against sheets that lack it.
func TestASheetSaysWhatIsMissing(t *testing.T) {
	asks, err := Asks{Title: 20, Description: 30, Tags: 2, Related: 1, Must: []string{"description", "lead", "alt", "next"}, Fields: []Field{{Name: "Legal line", Must: true, Limit: 10}, {Name: "Credits"}}}.Check()
	if err != nil || asks.Fields[0].Key != "legalline" {
		t.Fatalf("%v %+v", err, asks)
	}
	whole := Sheet{Title: "The tide mill", Description: "Twice a day it turns.", Lead: true, Alt: "A sluice", Tags: []string{"a", "b"}, Related: []ref.Piece{1}, Next: []ref.Piece{2}, Fields: map[string]string{"legalline": "Advert"}}
	if l := asks.Lacks(whole); len(l) != 0 {
		t.Errorf("a whole sheet lacks %v", l)
	}
	for part, change := range map[string]func(*Sheet){
		"title":       func(s *Sheet) { s.Title = strings.Repeat("ä", 21) },
		"description": func(s *Sheet) { s.Description = " " },
		"lead":        func(s *Sheet) { s.Lead, s.Alt = false, "" },
		"alt":         func(s *Sheet) { s.Alt = " " },
		"tags":        func(s *Sheet) { s.Tags = []string{"a", "b", "c"} },
		"related":     func(s *Sheet) { s.Related = []ref.Piece{1, 3} },
		"next":        func(s *Sheet) { s.Next = nil },
		"legalline":   func(s *Sheet) { s.Fields = map[string]string{"legalline": "Advertisement"} },
	} {
		s := whole
		change(&s)
		if l := asks.Lacks(s); len(l) != 1 || l[0].Part != part || l[0].Text == "" {
			t.Errorf("without its %s it lacks %v", part, l)
		}
	}
	s := whole
	s.Drafted = map[string]bool{"description": true}
	if l := asks.Lacks(s); len(l) != 1 || l[0].Part != "description" {
		t.Errorf("with a description that nobody kept it lacks %v", l)
	}
	if s.Title = strings.Repeat("ä", 20); len(asks.Lacks(whole)) != 0 {
		t.Error("characters are counted as bytes")
	}
	for _, bad := range []Asks{{Title: -1}, {Description: MaxLimit + 1}, {Tags: 51}, {Related: MaxPieces + 1}, {Fields: []Field{{}}}, {Fields: []Field{{Name: "A"}, {Name: "a"}}}, {Fields: []Field{{Name: "A", Limit: -1}}}, {Fields: make([]Field, MaxFields+1)}} {
		if _, err := bad.Check(); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// Addresses that people type: taken as they are meant, or refused with what to do.
func TestAddressesThatPeopleType(t *testing.T) {
	for typed, want := range map[string]string{"": "", " /The-Tide-Mill/ ": "the-tide-mill", "a": "a", "2026": "2026"} {
		if got, err := ReadSlug(typed); err != nil || got != want {
			t.Errorf("%q is %q, %v", typed, got, err)
		}
	}
	for _, typed := range []string{"../etc/passwd", "a b", "a/b", "märz", "水車", "a?b", "a#b", "a%2e", "-a", "a-", "--", strings.Repeat("a", 300), "a\x00b", "."} {
		if got, err := ReadSlug(typed); err == nil {
			t.Errorf("%q is taken as %q", typed, got)
		}
	}
}

// An address that was made or taken needs no escaping in the path of a URL (RFC 3986, 2.3 and
// 3.3, as net/url escapes them), whatever it was made of.
func FuzzAnAddressNeedsNoEscaping(f *testing.F) {
	for _, s := range []string{"The last tide mill", "../x", "ÄÖ ü", "a--b", "水車 3", "", "-"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, words string) {
		made := Slug(words)
		if url.PathEscape(made) != made || len(made) > MaxSlug || strings.Contains(made, "--") {
			t.Errorf("%q makes %q", words, made)
		}
		if read, err := ReadSlug(words); err == nil && (url.PathEscape(read) != read || !utf8.ValidString(read) || strings.Contains(read, "/")) {
			t.Errorf("%q is taken as %q", words, read)
		}
		if again, err := ReadSlug(made); err != nil || again != made {
			t.Errorf("%q, made of %q, is not taken: %v", made, words, err)
		}
	})
}
