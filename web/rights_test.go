package web

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// Nobody but the table of rights asks what kind of colleague somebody is, so that what is
// in the table is what holds. Who sets up people compares the kind they were of.
func TestOnlyTheTableAsksWhatKindSomebodyIs(t *testing.T) {
	asks := regexp.MustCompile(`\bAccess\)?\s*[!=]=|[!=]=\s*relay\.(Lead|Staff|Freelance|Outside)\b|case relay\.(Lead|Staff|Freelance|Outside)\b`)
	sql := regexp.MustCompile(`person_role|leg\.offered|\baccess\s*(=|<>|IN\b)`)
	allowed := map[string]int{"newsroom/setup/people.go": 1, "store/guard.go": 1, "store/house.go": 99, "store/moved.go": 1} // how often
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
