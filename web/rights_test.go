package web

import (
	"html/template"
	"os"
	"path/filepath"
	"regexp"
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
	if _, err := parsePages(); err != nil {
		t.Error(err)
	}
}

// Nobody but the table of rights asks what kind of colleague somebody is, so that what is
// in the table is what holds. Who sets up people compares the kind they were of.
func TestOnlyTheTableAsksWhatKindSomebodyIs(t *testing.T) {
	asks := regexp.MustCompile(`\bAccess\)?\s*[!=]=|[!=]=\s*relay\.(Lead|Staff|Freelance|Outside)\b|case relay\.(Lead|Staff|Freelance|Outside)\b`)
	sql := regexp.MustCompile(`person_role|leg\.offered|\baccess\s*(=|<>|IN\b)`)
	allowed := map[string]int{"newsroom/setup/people.go": 1, "store/house.go": 99} // how often
	for _, dir := range []string{"../core", "../newsroom", "../web", "../store", "../post", "../format"} {
		err := filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "../core/relay/") {
				return err
			}
			b, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			name := strings.TrimPrefix(path, "../")
			found := append(asks.FindAllString(string(b), -1), sql.FindAllString(string(b), -1)...)
			if len(found) > allowed[name] {
				t.Errorf("%s asks by itself: %q", name, found)
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}
