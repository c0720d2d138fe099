package formats

import (
	"net/url"
	"strings"
	"testing"

	"greenbaton/web/draw"
)

// Whatever is sent as a route gives an answer, and nothing that cannot be run is stored.
func FuzzRouteForm(f *testing.F) {
	f.Add("a,b", "2", "a", "earlier:b")
	f.Add("a,a", "-1", "b", "move:a:9")
	f.Add("", "1e9", "a", "remove:a")
	f.Fuzz(func(t *testing.T, keys, days, after, do string) {
		form := url.Values{"key": strings.Split(keys, ",")}
		for _, k := range form["key"] {
			form.Set("name-"+k, k)
			form.Set("role-"+k, "r")
			form.Set("days-"+k, days)
			form.Add("after-"+k, after)
		}
		r, err := readRoute(form)
		changed := edit(r, do)
		if len(changed.Legs) > len(r.Legs)+1 || len(changed.Legs)+1 < len(r.Legs) {
			t.Fatalf("%q makes %d legs of %d", do, len(changed.Legs), len(r.Legs))
		}
		if _, bad := drawable(changed).Check(); bad == nil && err == nil {
			draw.NewRoute(drawable(changed), draw.WideRoute, "")
		}
	})
}
