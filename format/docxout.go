package format

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"fmt"
	"image"
	_ "image/gif"  // pictures that a document shows
	_ "image/jpeg" // likewise
	_ "image/png"  // likewise
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
)

// DOCX writes a copy as a word processor's document (ECMA-376), with the styles that word
// processors know: Heading 2 to 4, Quote, List Bullet, List Number, Hyperlink. Pictures stand in
// it where picture gives them, as PNG, JPEG or GIF; others are named by their words for who does
// not see them.
func DOCX(title string, t copy.Text, picture func(file ref.File) (Picture, bool)) ([]byte, error) {
	var body strings.Builder
	var links []string
	shown := &docxPictures{of: picture}
	body.WriteString(`<?xml version="1.0" encoding="UTF-8" standalone="yes"?><w:document xmlns:w="` + wordNS + `" xmlns:r="` + relNS + `"><w:body>`)
	body.WriteString(`<w:p><w:pPr><w:pStyle w:val="Title"/></w:pPr><w:r>` + wordText(title) + `</w:r></w:p>`)
	for _, l := range t.Lines() {
		if len(l.Spans) == 0 {
			continue
		}
		body.WriteString("<w:p>" + paragraphProps(l))
		for _, s := range l.Spans {
			links = run(&body, s, links, shown)
		}
		body.WriteString("</w:p>")
	}
	body.WriteString("<w:sectPr/></w:body></w:document>")
	var rels strings.Builder
	for i, l := range links {
		fmt.Fprintf(&rels, `<Relationship Id="link%d" Type="%s/hyperlink" Target="%s" TargetMode="External"/>`, i+1, relNS, xmlText(l))
	}
	for i, p := range shown.all {
		fmt.Fprintf(&rels, `<Relationship Id="picture%d" Type="%s/image" Target="media/%s"/>`, i+1, relNS, p.part(i))
	}
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for i, p := range shown.all {
		w, err := z.Create("word/media/" + p.part(i))
		if err == nil {
			_, err = w.Write(p.Data)
		}
		if err != nil {
			return nil, fmt.Errorf("write a picture of the document: %w", err)
		}
	}
	for _, p := range []struct{ name, text string }{
		{"[Content_Types].xml", contentTypes}, {"_rels/.rels", packageRels}, {"word/document.xml", body.String()},
		{"word/_rels/document.xml.rels", fmt.Sprintf(documentRels, rels.String())}, {"word/styles.xml", docxStyles}, {"word/numbering.xml", docxLists},
	} {
		w, err := z.Create(p.name)
		if err == nil {
			_, err = w.Write([]byte(p.text))
		}
		if err != nil {
			return nil, fmt.Errorf("write %s: %w", p.name, err)
		}
	}
	if err := z.Close(); err != nil {
		return nil, fmt.Errorf("write the document: %w", err)
	}
	return out.Bytes(), nil
}

func paragraphProps(l copy.Line) string {
	style := ""
	switch {
	case l.Header() != 0:
		style = fmt.Sprintf("Heading%d", l.Header())
	case l.Text("list") == "bullet":
		style = "ListBullet"
	case l.Text("list") == "ordered":
		style = "ListNumber"
	case l.Quote():
		style = "Quote"
	default:
		return ""
	}
	return `<w:pPr><w:pStyle w:val="` + style + `"/></w:pPr>`
}

func run(b *strings.Builder, s copy.Op, links []string, shown *docxPictures) []string {
	text := s.Insert
	if file := copy.Picture(s); file != 0 {
		if shown.draw(b, file, s.Attributes.Text("alt")) {
			return links
		}
		text = "[" + s.Attributes.Text("alt") + "]"
	}
	link := s.Attributes.Text("link")
	if link != "" {
		links = append(links, link)
		fmt.Fprintf(b, `<w:hyperlink r:id="link%d">`, len(links))
	}
	b.WriteString("<w:r>")
	var props string
	if link != "" {
		props += `<w:rStyle w:val="Hyperlink"/>`
	}
	if s.Attributes.Bold() {
		props += "<w:b/>"
	}
	if s.Attributes.Italic() {
		props += "<w:i/>"
	}
	if props != "" {
		b.WriteString("<w:rPr>" + props + "</w:rPr>")
	}
	b.WriteString(wordText(text) + "</w:r>")
	if link != "" {
		b.WriteString("</w:hyperlink>")
	}
	return links
}

// Picture is a picture as it goes into a file.
type Picture struct {
	Name string
	Type string // what its bytes are: image/png
	Data []byte
}

// endings are those of the pictures that a document and a package hold, by their types.
var endings = map[string]string{
	"image/png": "png", "image/jpeg": "jpg", "image/gif": "gif", "image/webp": "webp", "audio/mpeg": "mp3", "audio/wave": "wav", "audio/mp4": "m4a", "audio/ogg": "ogg",
}

// part is what a picture is called within a document.
func (p Picture) part(i int) string { return fmt.Sprintf("picture%d.%s", i+1, endings[p.Type]) }

// docxPictures are the pictures of a document, in their order.
type docxPictures struct {
	of  func(file ref.File) (Picture, bool)
	all []Picture
}

// A picture is as wide as it is at 96 points to the inch, and at most as wide as the page has
// room, in English Metric Units.
const (
	emuPerPoint = 9525
	widestEMU   = 5_486_400
)

// draw puts a picture into a document, if it is one that a word processor shows.
func (d *docxPictures) draw(b *strings.Builder, file ref.File, alt string) bool {
	if d.of == nil {
		return false
	}
	p, ok := d.of(file)
	size, _, err := image.DecodeConfig(bytes.NewReader(p.Data))
	if !ok || err != nil || p.Type == "image/webp" || endings[p.Type] == "" || size.Width < 1 || size.Height < 1 {
		return false
	}
	d.all = append(d.all, p)
	n := len(d.all)
	wide := min(size.Width*emuPerPoint, widestEMU)
	high := int(int64(wide) * int64(size.Height) / int64(size.Width))
	fmt.Fprintf(b, `<w:r><w:drawing><wp:inline xmlns:wp="http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing"><wp:extent cx="%d" cy="%d"/><wp:docPr id="%d" name="Picture %d" descr="%s"/><a:graphic xmlns:a="http://schemas.openxmlformats.org/drawingml/2006/main"><a:graphicData uri="http://schemas.openxmlformats.org/drawingml/2006/picture"><pic:pic xmlns:pic="http://schemas.openxmlformats.org/drawingml/2006/picture"><pic:nvPicPr><pic:cNvPr id="%d" name="Picture %d" descr="%s"/><pic:cNvPicPr/></pic:nvPicPr><pic:blipFill><a:blip r:embed="picture%d"/><a:stretch><a:fillRect/></a:stretch></pic:blipFill><pic:spPr><a:xfrm><a:off x="0" y="0"/><a:ext cx="%d" cy="%d"/></a:xfrm><a:prstGeom prst="rect"><a:avLst/></a:prstGeom></pic:spPr></pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing></w:r>`,
		wide, high, n, n, xmlText(alt), n, n, xmlText(alt), n, wide, high)
	return true
}

func wordText(s string) string { return `<w:t xml:space="preserve">` + xmlText(s) + `</w:t>` }

func xmlText(s string) string {
	var b bytes.Buffer
	if err := xml.EscapeText(&b, []byte(s)); err != nil { // into memory it always goes
		return ""
	}
	return b.String()
}

const (
	contentTypes = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Default Extension="png" ContentType="image/png"/><Default Extension="jpg" ContentType="image/jpeg"/><Default Extension="gif" ContentType="image/gif"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/><Override PartName="/word/styles.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.styles+xml"/><Override PartName="/word/numbering.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.numbering+xml"/></Types>`
	packageRels  = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="` + relNS + `/officeDocument" Target="word/document.xml"/></Relationships>`
	documentRels = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="styles" Type="` + relNS + `/styles" Target="styles.xml"/><Relationship Id="lists" Type="` + relNS + `/numbering" Target="numbering.xml"/>%s</Relationships>`
	docxLists    = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><w:numbering xmlns:w="` + wordNS + `"><w:abstractNum w:abstractNumId="0"><w:lvl w:ilvl="0"><w:start w:val="1"/><w:numFmt w:val="bullet"/><w:lvlText w:val="•"/><w:pPr><w:ind w:left="720" w:hanging="360"/></w:pPr></w:lvl></w:abstractNum><w:abstractNum w:abstractNumId="1"><w:lvl w:ilvl="0"><w:start w:val="1"/><w:numFmt w:val="decimal"/><w:lvlText w:val="%1."/><w:pPr><w:ind w:left="720" w:hanging="360"/></w:pPr></w:lvl></w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num><w:num w:numId="2"><w:abstractNumId w:val="1"/></w:num></w:numbering>`
	docxStyles   = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><w:styles xmlns:w="` + wordNS + `"><w:style w:type="paragraph" w:default="1" w:styleId="Normal"><w:name w:val="Normal"/></w:style><w:style w:type="paragraph" w:styleId="Title"><w:name w:val="Title"/><w:basedOn w:val="Normal"/><w:rPr><w:b/><w:sz w:val="48"/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="Heading2"><w:name w:val="heading 2"/><w:basedOn w:val="Normal"/><w:pPr><w:outlineLvl w:val="1"/></w:pPr><w:rPr><w:b/><w:sz w:val="32"/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="Heading3"><w:name w:val="heading 3"/><w:basedOn w:val="Normal"/><w:pPr><w:outlineLvl w:val="2"/></w:pPr><w:rPr><w:b/><w:sz w:val="28"/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="Heading4"><w:name w:val="heading 4"/><w:basedOn w:val="Normal"/><w:pPr><w:outlineLvl w:val="3"/></w:pPr><w:rPr><w:b/><w:sz w:val="24"/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="Quote"><w:name w:val="Quote"/><w:basedOn w:val="Normal"/><w:rPr><w:i/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="ListBullet"><w:name w:val="List Bullet"/><w:basedOn w:val="Normal"/><w:pPr><w:numPr><w:numId w:val="1"/></w:numPr></w:pPr></w:style><w:style w:type="paragraph" w:styleId="ListNumber"><w:name w:val="List Number"/><w:basedOn w:val="Normal"/><w:pPr><w:numPr><w:numId w:val="2"/></w:numPr></w:pPr></w:style><w:style w:type="character" w:styleId="Hyperlink"><w:name w:val="Hyperlink"/><w:rPr><w:u w:val="single"/></w:rPr></w:style></w:styles>`
)
