package browser

import (
	"archive/zip"
	"fmt"
	"os"
	"path/filepath"
	"testing"
)

// An archive of 500 pages in Markdown comes in, after a wrong file; its words are found, its writers
// and days stand on its pieces, and all of it is taken back as one.
func TestAnArchiveOfPagesComesIn(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	file := filepath.Join(t.TempDir(), "archive.zip")
	f, err := os.Create(file)
	s.must(err)
	z := zip.NewWriter(f)
	for i := range 500 {
		w, err := z.Create(fmt.Sprintf("posts/%d.md", i))
		s.must(err)
		_, err = fmt.Fprintf(w, "---\ntitle: Notes from the sluice, %d\ndate: %d-%02d-10\nauthor: Petra Vance\nurl: https://old.example/%d\ntags: [archive]\n---\n\n## The gate\n\nThe gatekeeper %d spoke of swanneries and eel traps.\n", i, 2010+i/100, i%12+1, i, i)
		s.must(err)
	}
	w, err := z.Create("posts/gate.png")
	s.must(err)
	_, err = w.Write([]byte("PNG"))
	s.must(err)
	s.must(z.Close())
	s.must(f.Close())
	wrong := filepath.Join(t.TempDir(), "notes.zip")
	s.must(os.WriteFile(wrong, []byte("notes"), 0o600))

	u := s.as(maren, 1280)
	u.open("/bring")
	u.eval(`() => document.querySelector("input[name=kind][value=history]").click()`)
	u.must(u.find("#file").SetFiles([]string{wrong}))
	u.press("^Preview$")
	u.see("What it holds")
	u.open("/bring")
	u.eval(`() => document.querySelector("input[name=kind][value=history]").click()`)
	u.must(u.find("#file").SetFiles([]string{file}))
	u.press("^Preview$")
	u.see("Row by row")
	u.see("One picture is in it")
	u.choose("#b-format", "1")
	u.press("Read it like this")
	u.see("written by Petra")
	u.press("Import 500 new")
	u.see("500 published pieces")
	u.open("/find?q=swanneries")
	u.see("Notes from the sluice")
	u.open("/pieces?pace=out&tags=archive&text=sluice, 499")
	u.see("Notes from the sluice, 499")
	u.open("/bring")
	u.press("archive.zip")
	u.press("Take it all back")
	u.see("Taken back: 500 published pieces")
	u.open("/pieces?pace=out&tags=archive")
	u.see("No piece is like this.")
}
