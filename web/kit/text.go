package kit

import (
	"fmt"
	"html/template"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/format"
)

// SpanHTML renders words of a copy.
func SpanHTML(o copy.Op) template.HTML { return template.HTML(format.Span(o)) }

// ToHTML renders a copy; package format escapes everything typed.
func ToHTML(t copy.Text) template.HTML { return template.HTML(format.HTML(t)) }

// CopyHTML makes the copy of a piece a part of its page, with its pictures.
func CopyHTML(t copy.Text, piece ref.Piece) template.HTML {
	return template.HTML(format.HTMLWith(t, func(file ref.File) string { return fmt.Sprintf("/pieces/%d/pictures/%d", piece, file) }))
}
