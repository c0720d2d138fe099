package request

import (
	"errors"
	"maps"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

var today = day.NewDate(2026, time.November, 24)

func form(t *testing.T) Form {
	t.Helper()
	f, err := Form{Name: " A piece, please ", Slug: "A-Piece", Format: 1, Fields: []Field{
		{Name: "What is it", Kind: Choice, Must: true, Options: []Option{{"A recipe", 2}, {"Something else", 0}}}, {Name: " "}, {Name: "For whom", Kind: Line, Into: "audience"},
		{Name: "Tell us more", Kind: Text}, {Name: "Ready for print", Kind: Yes}, {Name: "Papers", Kind: Files}, {Name: "How many headings", Kind: Line, Into: "headings"},
	}}.Check()
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func TestAnAnswerBringsItsFormatAndGoesWhereItBelongs(t *testing.T) {
	f := form(t)
	if f.Name != "A piece, please" || f.Slug != "a-piece" || len(f.Fields) != 6 {
		t.Fatalf("%+v", f)
	}
	typed := map[string]string{"who": " Gwen  Corran ", "mail": "gwen@corran.example", "title": "Oats\tagain", "wanted": "2026-12-11", "f0": "A recipe", "f1": "People who bake", "f2": "One.\r\nTwo.", "f3": "yes", "f5": "some"}
	a, err := f.Read(func(k string) string { return typed[k] }, map[int]int{4: 2}, today)
	if err != nil || a.Name != "Gwen Corran" || a.Title != "Oats again" || a.Format != 2 || a.Wanted.String() != "2026-12-11" || a.Files != 2 || len(a.Answers) != 5 {
		t.Fatalf("%+v, %v", a, err)
	}
	about, parts := Brief(a.Answers)
	if about != "What is it: A recipe\nTell us more: One.\nTwo.\nReady for print: yes\nHow many headings: some" || !maps.Equal(parts, map[string]string{"audience": "People who bake"}) {
		t.Errorf("%q, %v", about, parts)
	}
}

func TestWhatIsTypedWrongIsRefusedByItsField(t *testing.T) {
	f := form(t)
	good := map[string]string{"who": "Gwen", "mail": "gwen@corran.example", "title": "Oats", "f0": "A recipe"}
	for field, v := range map[string]string{"who": " ", "mail": "Gwen <gwen@corran.example>", "title": strings.Repeat("x", 201), "wanted": "2026-11-24", "f0": "A novel", "f1": strings.Repeat("x", 500), "f2": strings.Repeat("x", 9000)} {
		typed := maps.Clone(good)
		typed[field] = v
		_, err := f.Read(func(k string) string { return typed[k] }, nil, today)
		var r *relay.Refusal
		if !errors.As(err, &r) || r.Field != field || r.Text == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	if _, err := f.Read(func(k string) string { return good[k] }, map[int]int{4: 9}, today); err == nil {
		t.Error("nine files are taken")
	}
	needs := f
	needs.Fields = append([]Field{}, f.Fields...)
	needs.Fields[4].Must = true
	for n, want := range map[int]bool{0: false, 1: true} {
		if _, err := needs.Read(func(k string) string { return good[k] }, map[int]int{4: n}, today); (err == nil) != want {
			t.Errorf("%d files where one is needed: %v", n, err)
		}
	}
	delete(good, "f0")
	if _, err := f.Read(func(k string) string { return good[k] }, nil, today); err == nil {
		t.Error("what is needed is missing")
	}
}

func TestAFormThatCannotBeAskedIsRefused(t *testing.T) {
	for name, f := range map[string]Form{
		"name": {Slug: "a"}, "slug": {Name: "A", Slug: "a b"}, "field-0": {Name: "A", Slug: "a", Fields: []Field{{Name: "Q", Kind: "x"}}},
		"field-1": {Name: "A", Slug: "a", Fields: []Field{{Name: "Q", Kind: Line}, {Name: "q", Kind: Line}}}, "field-2": {Name: "A", Slug: "a", Fields: []Field{{}, {Name: "Q", Kind: Line}, {Name: "R", Kind: Choice}}},
	} {
		_, err := f.Check()
		var r *relay.Refusal
		if !errors.As(err, &r) || r.Field != name {
			t.Errorf("%s: %v", name, err)
		}
	}
	got, err := ReadOptions("A recipe → Recipe\n\nElse\nB -> Recipe", func(n string) ref.Format { return map[string]ref.Format{"Recipe": 2}[n] })
	if err != nil || len(got) != 3 || got[0] != (Option{"A recipe", 2}) || got[1].Format != 0 || got[2].Format != 2 {
		t.Errorf("%v, %v", got, err)
	}
	if _, err := ReadOptions("A → Novel", func(string) ref.Format { return 0 }); err == nil {
		t.Error("an unknown format is taken")
	}
}
