package release

import (
	"net/url"
	"strings"
	"testing"
)

// Links are read back by net/url as the parameters that were meant, whatever the names are.
func TestLinksCarryTheirParameters(t *testing.T) {
	a, err := Announce{Places: []Place{{"Letter", "e-mail"}, {" Mills’ noticeboards ", ""}, {"水車", "Aushang"}}}.Check()
	if err != nil || a.Pattern != UsualPattern {
		t.Fatal(err, a.Pattern)
	}
	got := a.Link("https://millrace.example/site/web/tide-mill", a.Places[0], "Winter on the water", "tide-mill")
	if want := "https://millrace.example/site/web/tide-mill?utm_source=letter&utm_medium=e-mail&utm_campaign=winter-on-the-water&utm_content=tide-mill"; got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	u, err := url.Parse(a.Link("https://millrace.example/a?b=1#c", a.Places[1], "", "x"))
	if err != nil || u.Query().Get("b") != "1" || u.Fragment != "c" || u.Query().Get("utm_source") != "mills-noticeboards" || u.Query().Has("utm_medium") || u.Query().Has("utm_campaign") {
		t.Errorf("%v %v", u, err)
	}
	if u, err = url.Parse(a.Link("https://millrace.example/a", a.Places[2], "A & B = C?", "x")); err != nil || u.Query().Get("utm_source") != "水車" || u.Query().Get("utm_campaign") != "a-b-c" {
		t.Errorf("%v %v", u, err)
	}
	own, err := Announce{Pattern: "?from={place}&fixed=a b&", Places: a.Places[:1]}.Check()
	if err != nil {
		t.Fatal(err)
	}
	if u, err = url.Parse(own.Link("https://millrace.example/a", own.Places[0], "", "")); err != nil || u.RawQuery != "from=letter&fixed=a+b" {
		t.Errorf("%v %v", u, err)
	}
	for _, bad := range []Announce{{Pattern: "place"}, {Pattern: "a={nobody}"}, {Pattern: "{a}=b"}, {Pattern: strings.Repeat("a=b&", 200)}, {Places: []Place{{}}}, {Places: []Place{{"A", ""}, {"a", ""}}}, {Places: make([]Place, MaxPlaces+1)}} {
		if _, err := bad.Check(); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}
