package rooms_test

import (
	"os/exec"
	"strings"
	"testing"
)

// layers are the rooms from below: each may build on the kernel and on those before it.
var layers = []string{"account", "copyroom", "notify", "planning", "review", "rules", "intake", "setup", "rooms"}

// Imports go one way: core knows nothing of the rest, the store and the newsroom
// nothing of the web, core has neither SQL nor HTTP nor HTML, the kernel knows no room, and
// no room one that stands above it.
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
	for i, above := range layers {
		never["greenbaton/newsroom/"+above] = []string{}
		for _, below := range layers[:i] {
			never["greenbaton/newsroom/"+below] = append(never["greenbaton/newsroom/"+below], "greenbaton/newsroom/"+above)
		}
	}
	seen := 0
	for line := range strings.Lines(string(out)) {
		deps := strings.Fields(line)
		if deps[0] == "greenbaton/newsroom" {
			for _, d := range deps[1:] {
				if strings.HasPrefix(d, "greenbaton/newsroom/") {
					t.Errorf("the kernel reaches %s", d)
				}
			}
		}
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
	if seen < 20 {
		t.Errorf("only %d packages were looked at", seen)
	}
}
