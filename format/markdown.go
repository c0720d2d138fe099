package format

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/yuin/goldmark"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
)

// FromMarkdown reads Markdown as CommonMark has it; HTML in it is not read.
func FromMarkdown(b []byte) (copy.Text, error) { return fromMarkdown(b, nil) }

func fromMarkdown(b []byte, stored Stored) (copy.Text, error) {
	if err := readable(b); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := goldmark.Convert(b, &out); err != nil {
		return nil, fmt.Errorf("read the Markdown: %w", err)
	}
	return fromHTML(out.Bytes(), stored)
}

// The bounds of what is read as Markdown. The time it takes to find what its signs mean
// grows with the square of how many there are in one paragraph, and of how deep quotations
// and lists are nested; with these bounds, which no text comes near, it grows with the length.
const (
	mostMarkdown = copy.MaxBytes
	mostSigns    = 2000 // in a paragraph
	mostNested   = 60
)

// readable refuses Markdown beyond the bounds.
func readable(b []byte) error {
	if len(b) > mostMarkdown {
		return fmt.Errorf("it is larger than %d MB; split it in two", mostMarkdown>>20)
	}
	signs := 0
	for line := range bytes.Lines(b) {
		text := bytes.TrimLeft(line, " \t>-+*0123456789.)")
		before := line[:len(line)-len(text)]
		if nested := bytes.Count(before, []byte(">")) + bytes.Count(before, []byte("- ")) + bytes.Count(before, []byte("* ")) + bytes.Count(before, []byte("+ ")) + bytes.Count(before, []byte(". ")) + bytes.Count(before, []byte(") ")); nested > mostNested {
			return fmt.Errorf("its lists or quotations are nested more than %d deep", mostNested)
		}
		if len(bytes.TrimSpace(line)) == 0 || len(bytes.TrimSpace(before)) > 0 { // another block begins
			signs = 0
		}
		for _, c := range line {
			if bytes.IndexByte([]byte("*_[]!`<&"), c) >= 0 {
				signs++
			}
		}
		if signs > mostSigns {
			return fmt.Errorf("a paragraph in it has more than %d signs of Markdown", mostSigns)
		}
	}
	return nil
}

// Markdown writes a copy as CommonMark, with pictures where picture gives their addresses.
func Markdown(t copy.Text, picture func(file ref.File) string) string {
	var b strings.Builder
	number, before := 0, ""
	for _, l := range t.Lines() {
		kind := l.Text("list")
		if kind == "" && l.Quote() {
			kind = "quote"
		}
		text := inline(l, picture)
		if text == "" {
			continue
		}
		if b.Len() > 0 {
			b.WriteString("\n")
			if kind == "" || kind != before {
				b.WriteString("\n")
			} else if kind == "quote" {
				b.WriteString(">\n")
			}
		}
		if number++; kind != before || kind != "ordered" {
			number = 1
		}
		switch {
		case l.Header() != 0:
			if strings.HasSuffix(text, "#") {
				text = text[:len(text)-1] + `\#`
			}
			b.WriteString(strings.Repeat("#", l.Header()) + " " + text)
		case kind == "bullet":
			b.WriteString("- " + text)
		case kind == "ordered":
			fmt.Fprintf(&b, "%d. %s", number, text)
		case kind == "quote":
			b.WriteString("> " + begun(text))
		default:
			b.WriteString(begun(text))
		}
		before = kind
	}
	if b.Len() > 0 {
		b.WriteString("\n")
	}
	return b.String()
}

// inline writes the words of a line with their marks. Marks open before a word and close
// behind one, never beside a space, and stay open over what has them in common.
func inline(l copy.Line, picture func(ref.File) string) string {
	m := marked{}
	for _, x := range l.Spans {
		if file := copy.Picture(x); file != 0 {
			m.to(copy.Op{})
			if picture != nil {
				fmt.Fprintf(&m.b, "%s![%s](%s)", m.space, escape(x.Attributes.Text("alt")), picture(file))
				m.space = ""
			}
			continue
		}
		text := strings.Trim(x.Insert, " ")
		if text == "" {
			m.space += x.Insert
			continue
		}
		lead, tail, _ := strings.Cut(x.Insert, text)
		m.space += lead
		m.to(x)
		m.b.WriteString(escape(text))
		m.space = tail
	}
	m.to(copy.Op{})
	return strings.TrimSpace(m.b.String())
}

// marked is a line of Markdown with what is open on it.
type marked struct {
	b            strings.Builder
	bold, italic bool
	link         string
	space        string // due before what comes next
}

// to closes and opens marks until they are those of some words.
func (m *marked) to(x copy.Op) {
	bold, italic, link := x.Attributes.Bold(), x.Attributes.Italic(), x.Attributes.Text("link")
	leave := link != m.link
	if m.italic && (leave || !italic || bold != m.bold) {
		m.b.WriteString("*")
		m.italic = false
	}
	if m.bold && (leave || !bold) {
		m.b.WriteString("**")
		m.bold = false
	}
	if leave && m.link != "" {
		m.b.WriteString("](<" + strings.NewReplacer("<", "%3C", ">", "%3E", "\\", "%5C").Replace(m.link) + ">)")
	}
	m.b.WriteString(m.space)
	m.space = ""
	if leave && link != "" {
		m.b.WriteString("[")
	}
	m.link = link
	if bold && !m.bold {
		m.b.WriteString("**")
		m.bold = true
	}
	if italic && !m.italic {
		m.b.WriteString("*")
		m.italic = true
	}
}

// escape writes the signs that mean something in Markdown as themselves.
var escaper = strings.NewReplacer(`\`, `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "<", `\<`, ">", `\>`, "&", `\&`, "!", `\!`, "~", `\~`)

func escape(s string) string { return escaper.Replace(s) }

// begun escapes what at the beginning of a line would make it something else.
func begun(s string) string {
	switch {
	case strings.HasPrefix(s, "#"), strings.HasPrefix(s, "+"), strings.HasPrefix(s, "-"), strings.HasPrefix(s, "="), strings.HasPrefix(s, "|"):
		return `\` + s
	}
	i := 0
	for i < len(s) && s[i] >= '0' && s[i] <= '9' {
		i++
	}
	if i > 0 && i < 10 && i < len(s) && (s[i] == '.' || s[i] == ')') {
		return s[:i] + `\` + s[i:]
	}
	return s
}
