package words

import (
	"strings"
	"testing"
)

var fields = []Field{{"piece", "its title"}, {"holder", "who has it"}}

func TestUnknownFieldsAreRefused(t *testing.T) {
	for text, problem := range map[string]string{
		"{piece} is with {holder}.": "", "plain": "", "": "", "{{piece}}": "", "a }} b {{ c": "",
		"{price} rises": "no field {price}", "{piece": "not closed", "piece}": "without a {", "{pie{ce}": "not closed", "{}": "no field {}",
		"{ piece }": "",
	} {
		err := Check(text, fields)
		if problem == "" && err != nil || problem != "" && (err == nil || !strings.Contains(err.Error(), problem)) {
			t.Errorf("%q: %v, want %q", text, err, problem)
		}
	}
}

func TestFillingPutsInTextAndNothingElse(t *testing.T) {
	values := map[string]string{"piece": "Flour {holder}\r\nBcc: x@y", "holder": "Ruth"}
	for text, want := range map[string]string{
		"{piece} is with {holder}.": "Flour {holder} Bcc: x@y is with Ruth.",
		"{{piece}} {nothing}!":      "{piece} !",
		"{broken":                   "{broken",
	} {
		if got := Fill(text, values); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

func FuzzFill(f *testing.F) {
	f.Add("{piece} a {{ b }}", "x\ny")
	f.Fuzz(func(t *testing.T, text, value string) {
		values := map[string]string{"piece": value, "holder": value}
		if Check(text, fields) != nil {
			return
		}
		got := Fill(text, values)
		// What the fields bring in adds no line of its own.
		if strings.Count(got, "\n") > strings.Count(text, "\n") {
			t.Errorf("%q with %q has more lines: %q", text, value, got)
		}
	})
}
