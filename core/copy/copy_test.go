package copy

import (
	"strings"
	"testing"
)

func TestParseKeepsWhatACopyKnows(t *testing.T) {
	for _, x := range []struct{ in, want string }{
		{`[]`, `[{"insert":"\n"}]`},
		{`{"ops":[{"insert":"a"}]}`, `[{"insert":"a\n"}]`},
		{`[{"insert":"a","attributes":{"color":"red","bold":true}},{"insert":"\n"}]`, `[{"insert":"a","attributes":{"bold":true}},{"insert":"\n"}]`},
		{`[{"insert":"a"},{"insert":"b"},{"insert":"\n","attributes":{"header":1}}]`, `[{"insert":"ab"},{"insert":"\n","attributes":{"header":2}}]`},
		{`[{"insert":"x\r\n","attributes":{"link":"javascript:x"}}]`, `[{"insert":"x\n"}]`},
	} {
		got, err := Parse([]byte(x.in))
		if err != nil || string(got.JSON()) != x.want {
			t.Errorf("%s: %s, want %s (%v)", x.in, got.JSON(), x.want, err)
		}
	}
	for _, bad := range []string{``, `{`, `{"ops":3}`, `[{"retain":2}]`, `[{"insert":{"image":"x"}}]`, `[{"delete":1}]`, `[{"insert":"a","delete":1}]`, strings.Repeat(" ", MaxBytes+1)} {
		if _, err := Parse([]byte(bad)); err == nil {
			t.Errorf("%.30q is accepted", bad)
		}
	}
}

func TestWordsAreStretchesWithALetterOrADigit(t *testing.T) {
	for s, want := range map[string]int{"": 0, "one": 1, "one – two": 2, "don’t re-use 3 4th — …": 4, "a\nb\n\nc": 3, "naïve ŵy": 2} {
		if got := FromPlain(s).Words(); got != want {
			t.Errorf("%q: %d words, want %d", s, got, want)
		}
	}
}

// Whatever is accepted is written and read back the same, and its lines hold all of its text.
func FuzzParse(f *testing.F) {
	f.Add([]byte(`[{"insert":"a\n","attributes":{"list":"ordered"}}]`))
	f.Add([]byte(`{"ops":[{"insert":"x"},{"insert":"\n\ny","attributes":{"bold":true,"link":"https://x"}}]}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		x, err := Parse(b)
		if err != nil {
			return
		}
		again, err := Parse(x.JSON())
		if err != nil || string(again.JSON()) != string(x.JSON()) {
			t.Fatalf("%s reads back as %s: %v", x.JSON(), again.JSON(), err)
		}
		lines := ""
		for _, l := range x.Lines() {
			for _, s := range l.Spans {
				lines += s.Insert
			}
			lines += "\n"
		}
		if lines != x.Plain() {
			t.Fatalf("lines hold %q, the text is %q", lines, x.Plain())
		}
	})
}
