package rooms_test

import (
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// layers are the rooms from below: each may build on the kernel and on those before it.
var layers = []string{"account", "moving", "copyroom", "notify", "planning", "calendars", "regular", "review", "release", "figures", "reports", "fees", "rules", "intake", "setup", "programs", "rooms"}

// shared are the parts of the interface that others build on, from below. All other sections
// know nothing of each other.
var shared = []string{"assets", "kit", "kit/kittest", "draw", "views", "copy", "brief", "logbook", "review"}

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
	seen, sections := 0, 0
	for line := range strings.Lines(string(out)) {
		deps := strings.Fields(line)
		if deps[0] == "greenbaton/newsroom" {
			for _, d := range deps[1:] {
				if strings.HasPrefix(d, "greenbaton/newsroom/") {
					t.Errorf("the kernel reaches %s", d)
				}
			}
		}
		if name, ok := strings.CutPrefix(deps[0], "greenbaton/web/"); ok {
			sections++
			at := slices.Index(shared, name)
			for _, d := range deps[1:] {
				other, ok := strings.CutPrefix(d, "greenbaton/web/")
				below := slices.Index(shared, other)
				if ok && (below < 0 || at >= 0 && below > at) || d == "greenbaton/newsroom/rooms" {
					t.Errorf("the section %s reaches %s", name, d)
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
					if d == b || strings.HasPrefix(d, b+"/") {
						t.Errorf("%s reaches %s", deps[0], d)
					}
				}
			}
		}
	}
	if seen < 20 || sections < 20 {
		t.Errorf("only %d packages were looked at, %d sections among them", seen, sections)
	}
}
