package notify

import (
	"bytes"
	"fmt"
	"html/template"
	"strings"

	"greenbaton/newsroom"
)

// mailPage is the HTML part of a mail: what its text says, in paragraphs, addresses as links.
var mailPage = template.Must(template.New("mail").Parse(`<!doctype html>
<html><head><meta charset="utf-8"><title>{{.Subject}}</title></head>
<body style="margin:0;background:#F7F5EE;color:#1A231D;font:16px/1.5 Georgia,serif"><div style="max-width:560px;margin:auto;padding:24px">
{{range .Parts}}<p style="margin:0 0 14px">{{range $i, $l := .}}{{if $i}}<br>{{end}}{{range $l}}{{if .Link}}<a href="{{.Link}}" style="color:#1B6240">{{.Text}}</a>{{else}}{{.Text}}{{end}}{{end}}{{end}}</p>
{{end}}</div></body></html>
`))

type mailWord struct{ Text, Link string }

// mailHTML writes a mail as HTML. Everything in it is escaped; only addresses of the web
// become links.
func mailHTML(m newsroom.Mail) (string, error) {
	var parts [][][]mailWord
	for _, p := range strings.Split(strings.TrimSpace(m.Text), "\n\n") {
		var lines [][]mailWord
		for _, l := range strings.Split(p, "\n") {
			var words []mailWord
			for i, w := range strings.Split(l, " ") {
				if i > 0 {
					words = append(words, mailWord{Text: " "})
				}
				x := mailWord{Text: w}
				if strings.HasPrefix(w, "http://") || strings.HasPrefix(w, "https://") {
					x.Link = w
				}
				words = append(words, x)
			}
			lines = append(lines, words)
		}
		parts = append(parts, lines)
	}
	var b bytes.Buffer
	if err := mailPage.Execute(&b, struct {
		Subject string
		Parts   [][][]mailWord
	}{m.Subject, parts}); err != nil {
		return "", fmt.Errorf("write a mail as HTML: %w", err)
	}
	return b.String(), nil
}
