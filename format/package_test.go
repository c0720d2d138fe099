package format

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"encoding/xml"
	"image"
	"image/color"
	"image/png"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"greenbaton/core/copy"
)

func dot(t *testing.T, w, h int) []byte {
	t.Helper()
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	m.Set(0, 0, color.Black)
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func packed(t *testing.T) Package {
	t.Helper()
	text := copy.FromPlain("The mill turns.")
	text = append(copy.Text{{Embed: copy.PictureOf(7), Attributes: copy.Set("alt", "A <sluice>")}, {Embed: copy.PictureOf(9), Attributes: copy.Set("alt", "gone")}, {Insert: "\n"}}, text...)
	return Package{
		Title: "The tide & the mill", Text: text, Sheet: map[string]any{"description": "It turns."}, At: time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC),
		Pictures: []PackedPicture{
			{Picture: Picture{Name: `..\..\sluice at "low" water.png`, Type: "image/png", Data: dot(t, 1200, 800)}, File: 7, Alt: "A <sluice>", Caption: "At low water", Lead: true, Sized: map[int]Picture{600: {Type: "image/png", Data: dot(t, 600, 400)}}},
			{Picture: Picture{Name: "../sluice at \"low\" water.PNG", Type: "image/png", Data: dot(t, 3, 2)}, File: 8},
		},
	}
}

// A package is a ZIP whose files hang together: nothing in it leads out of its folder, the page
// and the Markdown name pictures that are in it, and the operations are the copy.
func TestAPackageHangsTogether(t *testing.T) {
	p := packed(t)
	var b bytes.Buffer
	if err := p.Write(&b); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	files := map[string]string{}
	for _, f := range z.File {
		if strings.Contains(f.Name, "..") || strings.ContainsAny(f.Name, `\" `) || strings.HasPrefix(f.Name, "/") {
			t.Errorf("a file is called %q", f.Name)
		}
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		files[f.Name] = string(data)
	}
	for _, name := range []string{"copy.html", "copy.md", "copy.docx", "copy.txt", "copy.json", "sheet.json", "pictures/sluice-at--low--water.png", "pictures/sluice-at--low--water-2.png", "pictures/600/sluice-at--low--water.png"} {
		if files[name] == "" {
			t.Errorf("there is no %s", name)
		}
	}
	for name, want := range map[string][]string{
		"copy.html": {`src="pictures/sluice-at--low--water.png"`, "The tide &amp; the mill"}, "copy.md": {"](pictures/sluice-at--low--water.png)", "# The tide & the mill"},
		"copy.txt": {"The mill turns."}, "sheet.json": {`"description": "It turns."`, `"caption": "At low water"`, `"lead": true`, `"pictures/600/sluice-at--low--water.png"`},
	} {
		for _, w := range want {
			if !strings.Contains(files[name], w) {
				t.Errorf("%s does not say %s:\n%s", name, w, files[name])
			}
		}
	}
	if strings.Contains(files["copy.html"], "http://") || strings.Contains(files["copy.md"], "/pieces/") {
		t.Error("the page is not by itself")
	}
	if _, err := copy.Parse([]byte(files["copy.json"])); err != nil {
		t.Errorf("the operations are no copy: %v", err)
	}
	if !json.Valid([]byte(files["sheet.json"])) {
		t.Error("the sheet is no JSON")
	}
	checkDocument(t, []byte(files["copy.docx"]))
}

// checkDocument looks at a document with a picture: each part is XML, the picture is there and
// named, and what reads documents reads it.
func checkDocument(t *testing.T, docx []byte) {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(docx), int64(len(docx)))
	if err != nil {
		t.Fatal(err)
	}
	parts := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		if parts[f.Name] = string(data); strings.HasSuffix(f.Name, ".xml") || strings.HasSuffix(f.Name, ".rels") {
			d := xml.NewDecoder(bytes.NewReader(data))
			for {
				if _, err := d.Token(); err == io.EOF {
					break
				} else if err != nil {
					t.Fatalf("%s: %v", f.Name, err)
				}
			}
		}
	}
	if parts["word/media/picture1.png"] == "" || parts["word/media/picture2.png"] != "" {
		t.Errorf("the pictures of the document are %d parts", len(parts))
	}
	for _, want := range []string{`r:embed="picture1"`, `descr="A &lt;sluice&gt;"`, `cx="5486400" cy="3657600"`} {
		if !strings.Contains(parts["word/document.xml"], want) {
			t.Errorf("the document does not say %s", want)
		}
	}
	if !strings.Contains(parts["word/_rels/document.xml.rels"], `Id="picture1"`) || !strings.Contains(parts["[Content_Types].xml"], `Extension="png"`) {
		t.Error("the picture is not announced")
	}
	if back, err := FromDOCX(docx); err != nil || !strings.Contains(back.Plain(), "The mill turns.") {
		t.Errorf("read back it is %q, %v", back.Plain(), err)
	}
}

// Another program unpacks a package (Info-ZIP's unzip, which ./test installs).
func TestAnotherProgramUnpacksAPackage(t *testing.T) {
	unzip, err := exec.LookPath("unzip")
	if err != nil {
		t.Fatal("unzip is missing; ./test installs it")
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "piece.zip")
	f, err := os.Create(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := packed(t).Write(f); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command(unzip, "-t", file).CombinedOutput(); err != nil || !strings.Contains(string(out), "No errors detected") {
		t.Errorf("%v: %s", err, out)
	}
}
