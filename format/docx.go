package format

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/copy"
)

// The namespaces of ECMA-376 that a document is written in.
const (
	wordNS = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
	relNS  = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
)

// mostUnpacked is how many bytes of one part of a document are read.
const mostUnpacked = 32 << 20

// FromDOCX reads the structure of a word processor's document (ECMA-376): headings by
// their styles or outline levels, lists, quotations by their style, links, bold and
// italics. Deleted text of tracked changes is left out, inserted text is text.
func FromDOCX(b []byte) (copy.Text, error) {
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		return nil, errors.New("it is no document of a word processor")
	}
	d := docx{parts: map[string][]byte{}}
	for _, f := range z.File {
		switch f.Name {
		case "word/document.xml", "word/styles.xml", "word/numbering.xml", "word/_rels/document.xml.rels":
			if d.parts[f.Name], err = unpack(f); err != nil {
				return nil, err
			}
		}
	}
	if d.parts["word/document.xml"] == nil {
		return nil, errors.New("it is no document of a word processor")
	}
	if err := d.read(); err != nil {
		return nil, err
	}
	return d.w.text()
}

func unpack(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", path.Base(f.Name), err)
	}
	defer r.Close()
	b, err := io.ReadAll(io.LimitReader(r, mostUnpacked+1))
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", path.Base(f.Name), err)
	}
	if len(b) > mostUnpacked {
		return nil, fmt.Errorf("%s in it is larger than %d MB when unpacked", path.Base(f.Name), mostUnpacked>>20)
	}
	return b, nil
}

type docx struct {
	parts  map[string][]byte
	links  map[string]string // by relationship
	styles map[string]docxStyle
	lists  map[string]map[string]bool // by num, the levels that are numbered
	w      writer
}

// docxStyle is what of a style of paragraphs is kept.
type docxStyle struct {
	name  string
	based string
	level int // of a heading, from 1
	num   string
}

func (d *docx) read() error {
	d.links, d.styles, d.lists = map[string]string{}, map[string]docxStyle{}, map[string]map[string]bool{}
	var rels struct {
		Relationship []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
		}
	}
	if b := d.parts["word/_rels/document.xml.rels"]; b != nil {
		if err := xml.Unmarshal(b, &rels); err != nil {
			return fmt.Errorf("read its links: %w", err)
		}
	}
	for _, r := range rels.Relationship {
		d.links[r.ID] = r.Target
	}
	if err := d.readStyles(); err != nil {
		return err
	}
	if err := d.readLists(); err != nil {
		return err
	}
	return d.readBody()
}

type docxVal struct {
	Val string `xml:"val,attr"`
}

type docxParaProps struct {
	Style   docxVal  `xml:"pStyle"`
	Outline *docxVal `xml:"outlineLvl"`
	Num     *struct {
		Level docxVal `xml:"ilvl"`
		ID    docxVal `xml:"numId"`
	} `xml:"numPr"`
}

func (d *docx) readStyles() error {
	var s struct {
		Style []struct {
			ID    string        `xml:"styleId,attr"`
			Name  docxVal       `xml:"name"`
			Based docxVal       `xml:"basedOn"`
			Props docxParaProps `xml:"pPr"`
		} `xml:"style"`
	}
	if b := d.parts["word/styles.xml"]; b != nil {
		if err := xml.Unmarshal(b, &s); err != nil {
			return fmt.Errorf("read its styles: %w", err)
		}
	}
	for _, x := range s.Style {
		y := docxStyle{name: strings.ToLower(x.Name.Val), based: x.Based.Val}
		if x.Props.Outline != nil {
			if n, err := strconv.Atoi(x.Props.Outline.Val); err == nil && n < 9 {
				y.level = n + 1
			}
		}
		if n, ok := strings.CutPrefix(y.name, "heading "); ok && y.level == 0 {
			y.level, _ = strconv.Atoi(n) // 0 if it is no number
		}
		if y.name == "title" && y.level == 0 {
			y.level = 1
		}
		if x.Props.Num != nil {
			y.num = x.Props.Num.ID.Val
		}
		d.styles[x.ID] = y
	}
	return nil
}

func (d *docx) readLists() error {
	var n struct {
		Abstract []struct {
			ID    string `xml:"abstractNumId,attr"`
			Level []struct {
				At     string  `xml:"ilvl,attr"`
				Format docxVal `xml:"numFmt"`
			} `xml:"lvl"`
		} `xml:"abstractNum"`
		Num []struct {
			ID       string  `xml:"numId,attr"`
			Abstract docxVal `xml:"abstractNumId"`
		} `xml:"num"`
	}
	if b := d.parts["word/numbering.xml"]; b != nil {
		if err := xml.Unmarshal(b, &n); err != nil {
			return fmt.Errorf("read its lists: %w", err)
		}
	}
	numbered := map[string]map[string]bool{} // by what several lists have in common
	for _, a := range n.Abstract {
		levels := map[string]bool{}
		for _, l := range a.Level {
			levels[l.At] = l.Format.Val != "bullet" && l.Format.Val != "none"
		}
		numbered[a.ID] = levels
	}
	for _, x := range n.Num {
		d.lists[x.ID] = numbered[x.Abstract.Val]
	}
	return nil
}

// line says how a paragraph is set.
func (d *docx) line(p docxParaProps) copy.Attributes {
	s, level, num := d.styles[p.Style.Val], 0, ""
	quote := false
	for hops := 0; hops < 10; hops++ {
		if level == 0 {
			level = s.level
		}
		if num == "" {
			num = s.num
		}
		quote = quote || strings.Contains(s.name, "quot")
		next, ok := d.styles[s.based]
		if !ok {
			break
		}
		s = next
	}
	if p.Outline != nil {
		if n, err := strconv.Atoi(p.Outline.Val); err == nil && n < 9 {
			level = n + 1
		}
	}
	at := "0"
	if p.Num != nil {
		num = p.Num.ID.Val
		if p.Num.Level.Val != "" {
			at = p.Num.Level.Val
		}
	}
	switch {
	case level > 0:
		return copy.Set("header", min(4, max(2, level)))
	case num != "" && num != "0":
		if d.lists[num][at] {
			return copy.Set("list", "ordered")
		}
		return copy.Set("list", "bullet")
	case quote:
		return copy.Set("blockquote", true)
	}
	return nil
}

// readBody walks through the document.
func (d *docx) readBody() error {
	dec := xml.NewDecoder(bytes.NewReader(d.parts["word/document.xml"]))
	var line, span copy.Attributes
	var link string
	deleted, text := 0, false
	for {
		tok, err := dec.Token()
		if errors.Is(err, io.EOF) || d.w.full() {
			return nil
		} else if err != nil {
			return fmt.Errorf("read its text: %w", err)
		}
		switch x := tok.(type) {
		case xml.StartElement:
			switch x.Name.Local {
			case "p":
				if x.Name.Space == wordNS {
					line = nil
				}
			case "pPr":
				var p docxParaProps
				if err := dec.DecodeElement(&p, &x); err != nil {
					return fmt.Errorf("read its text: %w", err)
				}
				line = d.line(p)
			case "hyperlink":
				link = d.links[attr(x, "id")]
			case "del", "moveFrom", "instrText", "AlternateContent":
				deleted++
			case "r":
				span = nil
			case "rPr":
				if span, err = runProps(dec, &x); err != nil {
					return err
				}
			case "t":
				text = deleted == 0
			case "tab":
				d.put(" ", span, link, deleted)
			case "br", "cr":
				d.put(" ", span, link, deleted)
			case "noBreakHyphen":
				d.put("-", span, link, deleted)
			}
		case xml.CharData:
			if text {
				d.put(string(x), span, link, deleted)
			}
		case xml.EndElement:
			switch x.Name.Local {
			case "t":
				text = false
			case "hyperlink":
				link = ""
			case "del", "moveFrom", "instrText", "AlternateContent":
				deleted--
			case "p":
				d.w.end(line)
			}
		}
	}
}

func (d *docx) put(s string, span copy.Attributes, link string, deleted int) {
	if deleted > 0 {
		return
	}
	if link != "" && copy.SafeLink(link) {
		span = span.With("link", link)
	}
	d.w.words(s, span)
}

func attr(x xml.StartElement, name string) string {
	i := slices.IndexFunc(x.Attr, func(a xml.Attr) bool { return a.Name.Local == name })
	if i < 0 {
		return ""
	}
	return x.Attr[i].Value
}

// runProps reads how words are set.
func runProps(dec *xml.Decoder, x *xml.StartElement) (copy.Attributes, error) {
	var p struct {
		Bold   *docxVal `xml:"b"`
		Italic *docxVal `xml:"i"`
		Style  docxVal  `xml:"rStyle"`
	}
	if err := dec.DecodeElement(&p, x); err != nil {
		return nil, fmt.Errorf("read its text: %w", err)
	}
	on := func(v *docxVal) bool { return v != nil && v.Val != "0" && v.Val != "false" && v.Val != "off" }
	var a copy.Attributes
	if on(p.Bold) || p.Style.Val == "Strong" {
		a = a.With("bold", true)
	}
	if on(p.Italic) || p.Style.Val == "Emphasis" {
		a = a.With("italic", true)
	}
	return a, nil
}
