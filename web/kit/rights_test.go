package kit

import (
	"html/template"
	"strings"
	"testing"
)

// A template that asks for a right there is not is refused when it is parsed, wherever in
// it the question stands.
func TestATemplateAsksForRightsThereAre(t *testing.T) {
	for text, says := range map[string]string{
		`{{if may .May "pass"}}x{{end}}`:                                  "",
		`{{if may .May "pas"}}x{{end}}`:                                   `there is no right "pas"`,
		`{{if and .A (or .B (may .May "write it"))}}x{{end}}`:             `there is no right "write it"`,
		`{{range .Legs}}{{with .X}}{{else}}{{may .May ""}}{{end}}{{end}}`: `there is no right ""`,
		`{{$x := may .May "nothing"}}{{if $x}}y{{end}}`:                   `there is no right "nothing"`,
		`{{template "y" (pair 1 (may .May "so"))}}{{define "y"}}{{end}}`:  `there is no right "so"`,
		`{{may .May .Key}}`:                                               "does not name a right",
		`{{if true}}{{else if may .May "giveup"}}{{end}}`:                 `there is no right "giveup"`,
		`{{define "part"}}{{if not (may .May "p")}}x{{end}}{{end}}x`:      `there is no right "p"`,
		`{{"a" | printf "%s%v" (may .May "see" | not)}}{{may .M "plan"}}`: "",
	} {
		tree, err := template.New("x").Funcs(funcs).Parse(text)
		if err != nil {
			t.Fatal(text, err)
		}
		switch err := knownRights(tree); {
		case says == "" && err != nil, says != "" && (err == nil || !strings.Contains(err.Error(), says)):
			t.Errorf("%s: %v", text, err)
		}
	}
}
