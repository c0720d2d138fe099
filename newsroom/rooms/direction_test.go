package rooms_test

import (
	"os/exec"
	"strings"
	"testing"
)

// Imports go one way: core knows nothing of the rest, the store and the desk
// nothing of the web, and core has neither SQL nor HTTP nor HTML.
func TestImportsGoOneWay(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Deps " "}}`, "greenbaton/...").CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	never := map[string][]string{
		"greenbaton/core/":    {"greenbaton/store", "greenbaton/newsroom", "greenbaton/web", "greenbaton/post", "greenbaton/format", "net/http", "database/sql", "html/template"},
		"greenbaton/store":    {"greenbaton/newsroom", "greenbaton/web", "greenbaton/post", "greenbaton/format"},
		"greenbaton/newsroom": {"greenbaton/web", "greenbaton/post", "greenbaton/format", "greenbaton/demo"},
		"greenbaton/post":     {"greenbaton/web", "greenbaton/demo"},
		"greenbaton/format":   {"greenbaton/web", "greenbaton/store"},
		"greenbaton/web":      {"greenbaton/demo", "greenbaton/browser"},
	}
	seen := 0
	for line := range strings.Lines(string(out)) {
		deps := strings.Fields(line)
		for prefix, bad := range never {
			if !strings.HasPrefix(deps[0]+"/", strings.TrimSuffix(prefix, "/")+"/") {
				continue
			}
			seen++
			for _, d := range deps[1:] {
				for _, b := range bad {
					if d == b {
						t.Errorf("%s reaches %s", deps[0], d)
					}
				}
			}
		}
	}
	if seen < 9 {
		t.Errorf("only %d packages were looked at", seen)
	}
}
