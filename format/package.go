package format

import (
	"archive/zip"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
)

// Package is a piece with all that goes with it, to be loaded elsewhere.
type Package struct {
	Title    string
	Text     copy.Text
	Pictures []PackedPicture // those of the copy, and the lead picture
	Sheet    any             // what goes with it, as JSON writes it
	At       time.Time       // that is noted at the files in it
}

// PackedPicture is a picture of a package.
type PackedPicture struct {
	Picture
	File    ref.File
	Alt     string
	Caption string
	Lead    bool
	Sized   map[int]Picture // at other widths
}

// Write writes a package as a ZIP: the copy as a page of its own with its pictures beside it, as
// Markdown, as a word processor's document with its pictures, as plain text, and as the open text
// operations; the pictures as they came, with what is said of each; and the sheet as JSON.
func (p Package) Write(w io.Writer) error {
	names, by := map[ref.File]string{}, map[ref.File]Picture{}
	taken := map[string]bool{}
	type told struct {
		File    string   `json:"file"`
		Alt     string   `json:"alt"`
		Caption string   `json:"caption,omitempty"`
		Lead    bool     `json:"lead,omitempty"`
		Sizes   []string `json:"sizes,omitempty"`
	}
	var says []told
	z := zip.NewWriter(w)
	put := func(name string, data []byte) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: p.At})
		if err == nil {
			_, err = f.Write(data)
		}
		if err != nil {
			return fmt.Errorf("pack %s: %w", name, err)
		}
		return nil
	}
	for i, x := range p.Pictures {
		name := packedName(x.Picture, i, taken)
		names[x.File], by[x.File] = "pictures/"+name, x.Picture
		var sizes []string
		for _, width := range slices.Sorted(maps.Keys(x.Sized)) {
			small := x.Sized[width]
			at := fmt.Sprintf("pictures/%d/%s.%s", width, strings.TrimSuffix(name, path.Ext(name)), endings[small.Type])
			if err := put(at, small.Data); err != nil {
				return err
			}
			sizes = append(sizes, at)
		}
		says = append(says, told{"pictures/" + name, x.Alt, x.Caption, x.Lead, sizes})
		if err := put("pictures/"+name, x.Data); err != nil {
			return err
		}
	}
	address := func(file ref.File) string { return names[file] }
	text := p.Text.WithPictures(func(file ref.File) bool { return names[file] != "" })
	docx, err := DOCX(p.Title, text, func(file ref.File) (Picture, bool) { x, ok := by[file]; return x, ok })
	if err != nil {
		return err
	}
	all := map[string]any{"title": p.Title, "sheet": p.Sheet, "pictures": says}
	sheet, err := json.MarshalIndent(all, "", "  ")
	if err != nil {
		return fmt.Errorf("pack the sheet: %w", err)
	}
	for _, f := range []struct {
		name string
		data []byte
	}{
		{"copy.html", []byte(HTMLPage(p.Title, text, address))}, {"copy.md", []byte("# " + strings.Join(strings.Fields(p.Title), " ") + "\n\n" + Markdown(text, address))},
		{"copy.docx", docx}, {"copy.txt", []byte(p.Title + "\n\n" + text.Plain())}, {"copy.json", text.JSON()}, {"sheet.json", append(sheet, '\n')},
	} {
		if err := put(f.name, f.data); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("close the package: %w", err)
	}
	return nil
}

// packedName gives a name for a picture that is safe in any folder and that no other has.
func packedName(p Picture, i int, taken map[string]bool) string {
	name := FileName(p.Name, p.Type)
	base, ending, _ := strings.Cut(name, ".")
	if base == "file" {
		base = fmt.Sprintf("picture-%d", i+1)
	}
	name = base + "." + ending
	for n := 2; taken[strings.ToLower(name)]; n++ {
		name = fmt.Sprintf("%s-%d.%s", base, n, ending)
	}
	taken[strings.ToLower(name)] = true
	return name
}

// FileName gives a name for a file that is safe in any folder: of letters, figures, hyphens and
// one full stop, before the ending that goes with what it is.
func FileName(name, kind string) string {
	base := strings.TrimSuffix(path.Base(strings.ReplaceAll(name, "\\", "/")), path.Ext(name))
	base = strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-' || r == '_' {
			return r
		}
		return '-'
	}, base)
	base = strings.Trim(base, "-")
	if base == "" || len(base) > 60 {
		base = "file"
	}
	ending := endings[kind]
	if ending == "" {
		ending = "bin"
	}
	return base + "." + ending
}
