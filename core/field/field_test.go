package field

import "testing"

func TestAnswersAreKeptInOneForm(t *testing.T) {
	list := []string{"oats", "rye", "wheat"}
	for _, x := range []struct {
		kind  Kind
		typed []string
		want  string
		ok    bool
	}{
		{Text, []string{"  two words "}, "two words", true}, {Text, nil, "", true}, {Number, []string{"1,200.50"}, "1200.5", true}, {Number, []string{"-3"}, "-3", true},
		{Number, []string{"1e9"}, "", false}, {Number, []string{"1/3"}, "", false}, {Number, []string{"many"}, "", false}, {Number, []string{"NaN"}, "", false},
		{Money, []string{"12"}, "12.00", true}, {Money, []string{"12.345"}, "", false}, {Money, []string{"0.1"}, "0.10", true},
		{Date, []string{"2026-12-03"}, "2026-12-03", true}, {Date, []string{"3/12"}, "", false}, {Date, []string{"2026-02-30"}, "", false},
		{Yes, []string{"yes"}, "yes", true}, {Yes, []string{"perhaps"}, "", false}, {One, []string{"rye"}, "rye", true}, {One, []string{"spelt"}, "", false},
		{Several, []string{"wheat", "oats"}, "oats\nwheat", true}, {Several, []string{"spelt"}, "", false}, {Several, nil, "", true},
		{Address, []string{"https://mill.example/a b"}, "https://mill.example/a%20b", true}, {Address, []string{"javascript:alert(1)"}, "", false}, {Address, []string{"mill"}, "", false},
	} {
		got, err := Field{Name: "F", Kind: x.kind, Choices: list}.Read(x.typed...)
		if got != x.want || (err == nil) != x.ok {
			t.Errorf("%s %q: %q, %v", x.kind, x.typed, got, err)
		}
	}
}

func TestAFieldThatCannotBeAnsweredIsRefused(t *testing.T) {
	for _, f := range []Field{{Kind: Text}, {Name: "F", Kind: "juggle"}, {Name: "F", Kind: One}, {Name: "F", Kind: Several, Choices: []string{"a", "a"}}, {Name: "F", Kind: One, Choices: []string{"a", ""}}} {
		if f.Check() == nil {
			t.Errorf("%+v is accepted", f)
		}
	}
	if err := (Field{Name: "F", Kind: One, Choices: []string{"a", "b"}}).Check(); err != nil {
		t.Error(err)
	}
}

// What is kept is understood again, and kept as it is.
func FuzzRead(f *testing.F) {
	f.Add("1200.5", uint8(1))
	f.Fuzz(func(t *testing.T, s string, k uint8) {
		x := Field{Name: "F", Kind: Kinds[int(k)%len(Kinds)].Kind, Choices: []string{"a", "b"}}
		kept, err := x.Read(s)
		if err != nil {
			return
		}
		if again, err := x.Read(kept); err != nil || again != kept {
			t.Errorf("%s %q is kept as %q, and that as %q (%v)", x.Kind, s, kept, again, err)
		}
	})
}
