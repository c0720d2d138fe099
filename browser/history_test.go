package browser

import (
	"archive/zip"
	"fmt"
	"image"
	"image/png"
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
		_, err = fmt.Fprintf(w, "---\ntitle: Notes from the sluice, %d\ndate: %d-%02d-10\nauthor: Petra Vance\nurl: https://old.example/%d\ntags: [archive]\n---\n\n## The gate\n\nThe gatekeeper %d spoke of swanneries and eel traps.\n\n![The gate, shut](../img/gate.png)\n", i, 2010+i/100, i%12+1, i, i)
		s.must(err)
	}
	for name, state := range map[string]string{"never": "draft: true", "odd": "status: Frozen"} {
		w, err := z.Create("posts/" + name + ".md")
		s.must(err)
		_, err = fmt.Fprintf(w, "---\ntitle: Notes that are %s\ndate: 2012-02-03\n%s\n---\n\nNot for readers.\n", name, state)
		s.must(err)
	}
	w, err := z.Create("img/gate.png")
	s.must(err)
	s.must(png.Encode(w, image.NewGray(image.Rect(0, 0, 40, 30))))
	w, err = z.Create("img/unseen.png")
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
	u.see("One picture is left out: no page shows it")
	u.choose("#b-format", "1")
	u.press("Read it like this")
	u.see("written by Petra")
	u.see("What its states mean")
	u.choose("#out-1", "no") // frozen; a draft is known
	u.press("Read it like this")
	u.see("2 cannot be read")
	u.press("Import 500 new")
	u.see("500 published pieces")
	var kept int
	s.must(s.Newsroom.DB.Get(ctx, &kept, "SELECT COUNT(*) FROM batch WHERE sheet LIKE '%Files%' OR LENGTH(sheet) < 10000"))
	if kept != 0 {
		t.Error("the pictures are kept beside their pieces")
	}
	u.open("/find?q=swanneries")
	u.see("Notes from the sluice")
	u.open("/pieces?pace=out&tags=archive&text=sluice, 499")
	u.see("Notes from the sluice, 499")
	var pictures int
	s.must(s.Newsroom.DB.Get(ctx, &pictures, "SELECT COUNT(*) FROM picture JOIN piece ON piece.id = piece_id WHERE batch_id > 0 AND title LIKE 'Notes from the sluice%'"))
	if pictures != 500 {
		t.Errorf("%d pictures came in", pictures)
	}
	u.press("Notes from the sluice, 499")
	u.see("It went out Sun 10 Aug 2014, 08:00.")
	u.see("The gatekeeper 499 spoke of swanneries")
	if got := u.eval(`async () => { const i = document.querySelector("main img[alt='The gate, shut']"); if (!i) return document.querySelector("main").innerHTML.match(/<img[^>]*>/g) + ""; await i.decode(); return i.naturalWidth + " " + i.alt }`); got != "40 The gate, shut" {
		t.Errorf("its picture is %q", got)
	}
	u.open("/bring")
	u.press("archive.zip")
	u.press("Take it all back")
	u.see("Taken back: 500 published pieces")
	u.open("/pieces?pace=out&tags=archive")
	u.see("No piece is like this.")
}
