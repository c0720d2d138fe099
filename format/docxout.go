package format

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"fmt"
	"strings"

	"greenbaton/core/copy"
)

// DOCX writes a copy as a word processor's document (ECMA-376), with the styles that word
// processors know: Heading 2 to 4, Quote, List Bullet, List Number, Hyperlink. Pictures
// are named by their words for who does not see them.
func DOCX(title string, t copy.Text) ([]byte, error) {
	var body strings.Builder
	var links []string
	body.WriteString(`<?xml version="1.0" encoding="UTF-8" standalone="yes"?><w:document xmlns:w="` + wordNS + `" xmlns:r="` + relNS + `"><w:body>`)
	body.WriteString(`<w:p><w:pPr><w:pStyle w:val="Title"/></w:pPr><w:r>` + wordText(title) + `</w:r></w:p>`)
	for _, l := range t.Lines() {
		if len(l.Spans) == 0 {
			continue
		}
		body.WriteString("<w:p>" + paragraphProps(l))
		for _, s := range l.Spans {
			links = run(&body, s, links)
		}
		body.WriteString("</w:p>")
	}
	body.WriteString("<w:sectPr/></w:body></w:document>")
	var rels strings.Builder
	for i, l := range links {
		fmt.Fprintf(&rels, `<Relationship Id="link%d" Type="%s/hyperlink" Target="%s" TargetMode="External"/>`, i+1, relNS, xmlText(l))
	}
	var out bytes.Buffer
	z := zip.NewWriter(&out)
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

func run(b *strings.Builder, s copy.Op, links []string) []string {
	text := s.Insert
	if copy.Picture(s) != 0 {
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

func wordText(s string) string { return `<w:t xml:space="preserve">` + xmlText(s) + `</w:t>` }

func xmlText(s string) string {
	var b bytes.Buffer
	if err := xml.EscapeText(&b, []byte(s)); err != nil { // into memory it always goes
		return ""
	}
	return b.String()
}

const (
	contentTypes = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/><Override PartName="/word/styles.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.styles+xml"/><Override PartName="/word/numbering.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.numbering+xml"/></Types>`
	packageRels  = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="` + relNS + `/officeDocument" Target="word/document.xml"/></Relationships>`
	documentRels = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="styles" Type="` + relNS + `/styles" Target="styles.xml"/><Relationship Id="lists" Type="` + relNS + `/numbering" Target="numbering.xml"/>%s</Relationships>`
	docxLists    = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><w:numbering xmlns:w="` + wordNS + `"><w:abstractNum w:abstractNumId="0"><w:lvl w:ilvl="0"><w:start w:val="1"/><w:numFmt w:val="bullet"/><w:lvlText w:val="•"/><w:pPr><w:ind w:left="720" w:hanging="360"/></w:pPr></w:lvl></w:abstractNum><w:abstractNum w:abstractNumId="1"><w:lvl w:ilvl="0"><w:start w:val="1"/><w:numFmt w:val="decimal"/><w:lvlText w:val="%1."/><w:pPr><w:ind w:left="720" w:hanging="360"/></w:pPr></w:lvl></w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num><w:num w:numId="2"><w:abstractNumId w:val="1"/></w:num></w:numbering>`
	docxStyles   = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><w:styles xmlns:w="` + wordNS + `"><w:style w:type="paragraph" w:default="1" w:styleId="Normal"><w:name w:val="Normal"/></w:style><w:style w:type="paragraph" w:styleId="Title"><w:name w:val="Title"/><w:basedOn w:val="Normal"/><w:rPr><w:b/><w:sz w:val="48"/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="Heading2"><w:name w:val="heading 2"/><w:basedOn w:val="Normal"/><w:pPr><w:outlineLvl w:val="1"/></w:pPr><w:rPr><w:b/><w:sz w:val="32"/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="Heading3"><w:name w:val="heading 3"/><w:basedOn w:val="Normal"/><w:pPr><w:outlineLvl w:val="2"/></w:pPr><w:rPr><w:b/><w:sz w:val="28"/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="Heading4"><w:name w:val="heading 4"/><w:basedOn w:val="Normal"/><w:pPr><w:outlineLvl w:val="3"/></w:pPr><w:rPr><w:b/><w:sz w:val="24"/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="Quote"><w:name w:val="Quote"/><w:basedOn w:val="Normal"/><w:rPr><w:i/></w:rPr></w:style><w:style w:type="paragraph" w:styleId="ListBullet"><w:name w:val="List Bullet"/><w:basedOn w:val="Normal"/><w:pPr><w:numPr><w:numId w:val="1"/></w:numPr></w:pPr></w:style><w:style w:type="paragraph" w:styleId="ListNumber"><w:name w:val="List Number"/><w:basedOn w:val="Normal"/><w:pPr><w:numPr><w:numId w:val="2"/></w:numPr></w:pPr></w:style><w:style w:type="character" w:styleId="Hyperlink"><w:name w:val="Hyperlink"/><w:rPr><w:u w:val="single"/></w:rPr></w:style></w:styles>`
)
