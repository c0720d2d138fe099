package browser

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// A lineup comes in from a spreadsheet with broken rows: it is asked how the dates are
// meant, columns are matched by hand, the good rows come in and are taken back as one.
func TestAListWithBrokenRowsIsBroughtIn(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	file := filepath.Join(t.TempDir(), "winter.csv")
	rows := "What;Planned for;Type;Remark\n\"The weir; mended\";03/12/2026;Feature;\nOat bread, twice;07/01/2027;Recipe;\nMillstone grit;09/12/2026;Feature;\n=HYPERLINK(1);01/12/2026;Essay;\nPast;01/02/2020;Feature;\n القمح 🌾;09/11/2027;Letter;\n"
	if err := os.WriteFile(file, []byte(rows), 0o600); err != nil {
		t.Fatal(err)
	}
	u.open("/ideas")
	u.press("Import a list")
	u.eval(`() => document.querySelector("[name=kind][value=lineup]").click()`)
	u.must(u.find("#file").SetFiles([]string{file}))
	u.press("^Preview$")
	u.see("winter.csv")
	u.choose("#col-day", "1")
	u.press("Read it like this")
	u.see("Say first how they are meant")
	u.see("03/12/2026 is Thursday 3 December 2026")
	u.eval(`() => document.querySelector("[name=order][value=dmy]").click()`)
	u.press("That is how")
	u.see("2 pieces would come in, 1 row clashes with what is here, 1 is here already, 2 cannot be read.")
	u.see("“Essay” is not a format of the desk.")
	u.see("Thu 3 Dec, 08:00 on Web is taken by “The last tide mill on the Severn”.")
	csv := u.eval(`async () => (await fetch(document.querySelector("[href$='to-mend.csv']").href)).text()`)
	if !strings.Contains(csv, "'=HYPERLINK(1)") || strings.Contains(csv, ",=HYPERLINK") {
		t.Errorf("written out as a formula: %s", csv)
	}
	before := s.pieces()
	u.press("Import 2 new")
	u.see("2 pieces came in.")
	if n := s.pieces(); n != before+2 {
		t.Errorf("%d pieces came in", n-before)
	}
	u.press("See them")
	u.see("Oat bread, twice")
	u.keys('u')
	u.see("Taken back: 2 pieces from “winter.csv”.")
	if n := s.pieces(); n != before {
		t.Errorf("%d pieces are left", n-before)
	}

	for name, says := range map[string]string{"a.xlsx": "PK\x03\x04 nothing", "b.csv": "\x89PNG\x00"} {
		bad := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(bad, []byte(says), 0o600); err != nil {
			t.Fatal(err)
		}
		u.open("/bring")
		u.must(u.find("#file").SetFiles([]string{bad}))
		u.press("^Preview$")
		u.see("“" + name + "”")
	}
	huge := filepath.Join(t.TempDir(), "huge.csv")
	if err := os.WriteFile(huge, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.Truncate(huge, 200<<20); err != nil {
		t.Fatal(err)
	}
	u.open("/bring")
	u.must(u.find("#file").SetFiles([]string{huge}))
	u.see("“huge.csv” has 200.0 MB, and 60 MB is the most.")
}

// pieces counts the pieces under way.
func (s *site) pieces() (n int) {
	s.t.Helper()
	s.must(s.Newsroom.DB.Get(ctx, &n, "SELECT COUNT(*) FROM piece WHERE stage = 'running'"))
	return n
}

// Ten thousand search phrases come in while the page says how far it is and other people
// work on.
func TestALongListComesInWhileOthersWork(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(adaeze, 390)
	file := filepath.Join(t.TempDir(), "phrases.csv")
	var b strings.Builder
	b.WriteString("Search term,Volume\n")
	for i := range 10_000 {
		fmt.Fprintf(&b, "question about flour %d,%d\n", i, i)
	}
	if err := os.WriteFile(file, []byte(b.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	u.open("/bring?kind=phrases")
	u.must(u.find("#file").SetFiles([]string{file}))
	u.press("^Preview$")
	u.see("10,000 search phrases would come in")
	u.press("Import 10,000 new")
	other.open("/catch")
	other.catch("Meanwhile, the heron")
	u.see("10,000 search phrases came in.")
	if !eventually(func() bool { // it is sent by itself
		var n int
		s.must(s.Newsroom.DB.Get(ctx, &n, "SELECT COUNT(*) FROM idea WHERE title = 'Meanwhile, the heron'"))
		return n == 1
	}) {
		t.Error("what was caught meanwhile is not there once")
	}
}
