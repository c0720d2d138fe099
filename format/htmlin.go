package format

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
)

// The bounds of what is read as a page; with them time and memory grow with its length. A
// page of a house has a few thousand elements.
const (
	mostHTML     = 4 << 20 // bytes
	mostElements = 200_000
)

// FromHTML reads the structure of a page or a part of one: headings, paragraphs, lists,
// quotations, links, strong and emphasised words. Everything else of it is dropped, the
// words are kept; scripts and styles are not words.
func FromHTML(b []byte) (copy.Text, error) { return fromHTML(b, nil) }

// fromHTML reads it with those of its pictures that are stored, by their addresses.
func fromHTML(b []byte, stored Stored) (copy.Text, error) {
	if len(b) > mostHTML {
		return nil, fmt.Errorf("it is larger than %d MB; split it in two", mostHTML>>20)
	}
	if bytes.Count(b, []byte("<")) > mostElements {
		return nil, errors.New("it has too many elements for a text")
	}
	doc, err := html.Parse(bytes.NewReader(bytes.ToValidUTF8(b, []byte("\uFFFD"))))
	if err != nil { // there is one other than of reading: elements are nested very deep
		return nil, errors.New("what is in it is nested too deep")
	}
	w := writer{stored: stored}
	w.walk(doc, copy.Attributes(nil), copy.Attributes(nil))
	return w.text()
}

// writer puts a copy together line by line.
type writer struct {
	out   copy.Builder
	open  bool            // words are on the line
	space bool            // a space is due before the next word
	of    copy.Attributes // how that is set

	stored Stored
}

// Stored gives the file of a picture by the address that a page has for it; false where it is none.
type Stored func(address string) (ref.File, bool)

// picture puts a picture on a line of its own.
func (w *writer) picture(n *html.Node, line copy.Attributes) {
	if w.stored == nil || w.full() {
		return
	}
	if file, ok := w.stored(attribute(n, "src")); ok {
		w.end(line)
		w.out.PutPicture(file, cut(oneLine(attribute(n, "alt")), 900))
		w.open = true
		w.end(nil)
	}
}

// full reports whether there is more than a copy may hold, so that reading can end.
func (w *writer) full() bool { return w.out.Size() > copy.MaxBytes }

func (w *writer) words(s string, a copy.Attributes) {
	if w.full() {
		return
	}
	due := func() { // of spaces in a row the first is kept
		if !w.space {
			w.space, w.of = true, a
		}
	}
	if s != "" && strings.ContainsAny(s[:1], " \t\n\r\f") {
		due()
	}
	for i, f := range strings.Fields(s) {
		if i > 0 {
			due()
		}
		if w.space && w.open {
			w.out.Put(" ", w.of)
		}
		w.out.Put(f, a)
		w.open, w.space = true, false
	}
	if s != "" && strings.ContainsAny(s[len(s)-1:], " \t\n\r\f") {
		due()
	}
}

// end ends the line if there are words on it.
func (w *writer) end(line copy.Attributes) {
	if w.open {
		w.out.Put("\n", line)
	}
	w.open, w.space = false, false
}

// text gives what was put together, in its one form.
func (w *writer) text() (copy.Text, error) {
	w.end(nil)
	if w.full() {
		return nil, fmt.Errorf("it holds more than %d MB of text; split it in two", copy.MaxBytes>>20)
	}
	return w.out.Text(), nil
}

// skipped are elements whose words are not text.
var skipped = map[atom.Atom]bool{atom.Script: true, atom.Style: true, atom.Head: true, atom.Noscript: true, atom.Template: true, atom.Iframe: true, atom.Object: true, atom.Svg: true, atom.Title: true, atom.Textarea: true, atom.Select: true}

// blocks are elements that begin a line of their own.
var blocks = map[atom.Atom]bool{
	atom.P: true, atom.Div: true, atom.H1: true, atom.H2: true, atom.H3: true, atom.H4: true, atom.H5: true, atom.H6: true, atom.Li: true, atom.Blockquote: true,
	atom.Ul: true, atom.Ol: true, atom.Tr: true, atom.Td: true, atom.Th: true, atom.Pre: true, atom.Section: true, atom.Article: true, atom.Header: true, atom.Footer: true,
	atom.Figure: true, atom.Figcaption: true, atom.Dt: true, atom.Dd: true, atom.Main: true, atom.Aside: true, atom.Nav: true, atom.Table: true, atom.Hr: true, atom.Br: true, atom.Address: true,
}

func (w *writer) walk(n *html.Node, span, line copy.Attributes) {
	if n.Type == html.TextNode {
		w.words(n.Data, span)
		return
	}
	if n.Type == html.ElementNode {
		if skipped[n.DataAtom] {
			return
		}
		if n.DataAtom == atom.Img {
			w.picture(n, line)
			return
		}
		span, line = entered(n, span, line)
	}
	block := n.Type == html.ElementNode && blocks[n.DataAtom]
	if block {
		w.end(outer(n, line))
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		w.walk(c, span, line)
	}
	if block {
		w.end(line)
	}
}

// outer is how the line is set that an element breaks off.
func outer(n *html.Node, line copy.Attributes) copy.Attributes {
	if n.DataAtom == atom.Br {
		return line
	}
	for p := n.Parent; p != nil; p = p.Parent {
		if p.DataAtom == atom.Li || p.DataAtom == atom.Blockquote {
			_, l := entered(p, nil, nil)
			return l
		}
	}
	return nil
}

func entered(n *html.Node, span, line copy.Attributes) (copy.Attributes, copy.Attributes) {
	switch n.DataAtom {
	case atom.B, atom.Strong:
		span = span.With("bold", true)
	case atom.I, atom.Em, atom.Cite:
		span = span.With("italic", true)
	case atom.A:
		for _, a := range n.Attr {
			if a.Key == "href" && copy.SafeLink(a.Val) {
				span = span.With("link", a.Val)
			}
		}
	case atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6:
		line = copy.Set("header", min(4, max(2, int(n.Data[1]-'0'))))
	case atom.Blockquote:
		line = copy.Set("blockquote", true)
	case atom.Li:
		kind := "bullet"
		if n.Parent != nil && n.Parent.DataAtom == atom.Ol {
			kind = "ordered"
		}
		line = copy.Set("list", kind)
	case atom.P, atom.Div:
		if n.Parent == nil || n.Parent.DataAtom != atom.Li && n.Parent.DataAtom != atom.Blockquote {
			line = nil
		}
	}
	return span, line
}
