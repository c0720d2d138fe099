package format

import (
	"fmt"
	"html"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
)

// Reading writes a copy as HTML to be read and asked about: each stretch of words says
// where it is (data-at, in UTF-16 units), and those a query of asked is about are marked
// with its number. Everything typed is escaped.
func Reading(t copy.Text, picture func(file ref.File) string, asked map[ref.Query]bool) string {
	var b strings.Builder
	open, at := "", 0
	for _, l := range t.Lines() {
		if w := wrap(l); w != open {
			closeTag(&b, open)
			if open = w; w != "" {
				b.WriteString("<" + w + ">\n")
			}
		}
		tag := "p"
		switch {
		case l.Has("list"):
			tag = "li"
		case l.Header() != 0:
			tag = fmt.Sprintf("h%d", l.Header())
		}
		if len(l.Spans) > 0 && !figures(&b, l, picture) {
			here := at
			b.WriteString("<" + tag + ">")
			for _, s := range l.Spans {
				readingSpan(&b, s, here, asked)
				here += s.Len()
			}
			b.WriteString("</" + tag + ">\n")
		}
		for _, s := range l.Spans {
			at += s.Len()
		}
		at++ // the end of the line
	}
	closeTag(&b, open)
	return b.String()
}

func readingSpan(b *strings.Builder, s copy.Op, at int, asked map[ref.Query]bool) {
	if s.Embed != "" {
		return
	}
	class := ""
	for _, m := range s.Attributes.Marks() {
		if m.Kind == copy.Query && asked[m.ID] {
			class = fmt.Sprintf(` class="is-asked" data-query="%d"`, m.ID)
		}
	}
	text := html.EscapeString(s.Insert)
	text = fmt.Sprintf(`<span data-at="%d"%s>%s</span>`, at, class, text)
	if s.Attributes.Italic() {
		text = "<em>" + text + "</em>"
	}
	if s.Attributes.Bold() {
		text = "<strong>" + text + "</strong>"
	}
	if link := s.Attributes.Text("link"); link != "" {
		text = `<a href="` + html.EscapeString(link) + `" rel="nofollow noopener noreferrer">` + text + "</a>"
	}
	b.WriteString(text)
}
