package kit

import (
	"html/template"

	"greenbaton/core/copy"
	"greenbaton/format"
)

// SpanHTML renders words of a copy.
func SpanHTML(o copy.Op) template.HTML { return template.HTML(format.Span(o)) }

// ToHTML renders a copy; package format escapes everything typed.
func ToHTML(t copy.Text) template.HTML { return template.HTML(format.HTML(t)) }
