// Package format turns what the house holds into open formats and back.
package format

import (
	"fmt"
	"html"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
)

// HTML writes a copy as plain HTML: paragraphs, headings, lists, quotations,
// links, strong and emphasised words. Everything typed is escaped.
func HTML(t copy.Text) string { return HTMLWith(t, nil) }

// HTMLWith writes a copy as HTML with its pictures, whose addresses picture gives; nil
// leaves them out.
func HTMLWith(t copy.Text, picture func(file ref.File) string) string {
	var b strings.Builder
	open := "" // the list or quotation that is open
	for _, l := range t.Lines() {
		if w := wrap(l); w != open {
			closeTag(&b, open)
			if open = w; w != "" {
				b.WriteString("<" + w + ">\n")
			}
		}
		if len(l.Spans) == 0 {
			continue
		}
		if figures(&b, l, picture) {
			continue
		}
		tag := "p"
		switch {
		case l.Has("list"):
			tag = "li"
		case l.Header() != 0:
			tag = fmt.Sprintf("h%d", l.Header())
		}
		b.WriteString("<" + tag + ">")
		for _, s := range l.Spans {
			span(&b, s)
		}
		b.WriteString("</" + tag + ">\n")
	}
	closeTag(&b, open)
	return b.String()
}

// HTMLPage writes a copy as a page of its own.
func HTMLPage(title string, t copy.Text, picture func(file ref.File) string) string {
	title = html.EscapeString(title)
	return "<!doctype html>\n<html>\n<head><meta charset=\"utf-8\"><title>" + title + "</title></head>\n<body>\n<h1>" + title + "</h1>\n" + HTMLWith(t, picture) + "</body>\n</html>\n"
}

// figures writes the pictures of a line that holds nothing else, and reports whether it
// is such a line.
func figures(b *strings.Builder, l copy.Line, picture func(ref.File) string) bool {
	for _, s := range l.Spans {
		if s.Embed == "" && strings.TrimSpace(s.Insert) != "" {
			return false
		}
	}
	for _, s := range l.Spans {
		file := copy.Picture(s)
		if file == 0 || picture == nil {
			continue
		}
		fmt.Fprintf(b, `<figure><img src="%s" alt="%s">`, html.EscapeString(picture(file)), html.EscapeString(s.Attributes.Text("alt")))
		if c := s.Attributes.Text("caption"); c != "" {
			b.WriteString("<figcaption>" + html.EscapeString(c) + "</figcaption>")
		}
		b.WriteString("</figure>\n")
	}
	return true
}

func wrap(l copy.Line) string {
	switch {
	case l.Text("list") == "bullet":
		return "ul"
	case l.Text("list") == "ordered":
		return "ol"
	case l.Quote():
		return "blockquote"
	}
	return ""
}

func closeTag(b *strings.Builder, tag string) {
	if tag != "" {
		b.WriteString("</" + tag + ">\n")
	}
}

// Span writes words of a copy as HTML.
func Span(o copy.Op) string {
	var b strings.Builder
	span(&b, o)
	return b.String()
}

func span(b *strings.Builder, s copy.Op) {
	text := html.EscapeString(s.Insert)
	if s.Attributes.Italic() {
		text = "<em>" + text + "</em>"
	}
	if s.Attributes.Bold() {
		text = "<strong>" + text + "</strong>"
	}
	if link := s.Attributes.Text("link"); link != "" {
		text = `<a href="` + html.EscapeString(link) + `" rel="nofollow noopener">` + text + "</a>"
	}
	b.WriteString(text)
}
