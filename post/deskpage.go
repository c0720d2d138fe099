package post

import (
	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom/moving"
)

// DeskPage writes a piece of a desk that moves out, as Markdown with what is known of it before the text.
// Pictures that are not in the folder are left out.
func DeskPage(p moving.Page) ([]byte, error) {
	head := format.FrontMatter{Title: p.Title, Description: p.Summary, Slug: p.Slug, Number: p.Number, Author: p.Author, Date: p.Out, Tags: p.Tags}
	for _, f := range []format.FrontField{{Name: "format", Text: p.Format}, {Name: "channel", Text: p.Channel}, {Name: "topic", Text: p.Topic}, {Name: "stands", Text: p.Stands}, {Name: "address", Text: p.Address}} {
		if f.Text != "" {
			head.Fields = append(head.Fields, f)
		}
	}
	text := p.Copy.WithPictures(func(f ref.File) bool { return p.Picture(f) != "" })
	return head.Page(format.Markdown(text, p.Picture))
}
