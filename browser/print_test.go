package browser

import (
	"io"
	"regexp"
	"testing"

	"github.com/go-rod/rod/lib/proto"
)

// What is printed: Lineup, Track and Load lie across the sheet and fit on it, of a piece the plan comes
// first; nothing on paper is for hands.
func TestPagesOnPaper(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	box := regexp.MustCompile(`/MediaBox\s*\[\s*0 0 (\d+)[.\d]* (\d+)`)
	for _, x := range []struct {
		path   string
		across bool
		most   int // sheets
	}{{"/lineup", true, 3}, {"/track", true, 3}, {"/load", true, 2}, {"/pieces/391", false, 8}} {
		u.open(x.path)
		media := proto.EmulationSetEmulatedMedia{Media: "print"}
		if err := media.Call(u.page); err != nil {
			t.Fatal(err)
		}
		if x.across {
			if wide := u.page.MustEval(`() => document.documentElement.scrollWidth - innerWidth`).Int(); wide > 0 {
				t.Errorf("%s sticks out by %d", x.path, wide)
			}
		}
		for _, hand := range []string{".masthead", ".btn", ".segs", "[data-help]", "form:not(:has(.copy))", "textarea"} {
			if n := u.page.MustEval(`(q) => [...document.querySelectorAll(q)].filter((e) => e.checkVisibility()).length`, hand).Int(); n > 0 {
				t.Errorf("%s: %d of %s are printed", x.path, n, hand)
			}
		}
		if says := u.page.MustEval(`() => document.querySelector(".paper-head").innerText`).Str(); says != "Millrace, as of Tuesday 24 November 2026, "+says[len(says)-len("09:40, for Maren Holt"):] {
			t.Errorf("%s: its head says %q", x.path, says)
		}
		if x.path == "/pieces/391" && !u.page.MustEval(`() => document.querySelector("#legs").getBoundingClientRect().top < document.querySelector("[data-writing]").getBoundingClientRect().top`).Bool() {
			t.Error("the copy comes before the plan")
		}
		pdf, err := u.page.PDF(&proto.PagePrintToPDF{PreferCSSPageSize: true, PrintBackground: true})
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(pdf)
		if err != nil {
			t.Fatal(err)
		}
		sheets := box.FindAllSubmatch(b, -1)
		if len(sheets) == 0 || len(sheets) > x.most {
			t.Errorf("%s takes %d sheets", x.path, len(sheets))
		}
		for _, m := range sheets {
			if lies := string(m[1]) > string(m[2]); len(m[1]) != 3 || len(m[2]) != 3 || lies != x.across {
				t.Errorf("%s is printed on %s by %s", x.path, m[1], m[2])
			}
		}
		media.Media = ""
		if err := media.Call(u.page); err != nil {
			t.Fatal(err)
		}
	}
}
