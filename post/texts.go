package post

import (
	"context"

	"greenbaton/core/digest"
	"greenbaton/core/release"
	"greenbaton/newsroom"
)

// Texts is the stand-in for a text writer: it takes whole sentences of the copy, always the
// same ones, and makes nothing up.
type Texts struct{}

// WriteTexts drafts what goes with a copy from the copy alone.
func (Texts) WriteTexts(_ context.Context, ask newsroom.TextAsk) (newsroom.TextDraft, error) {
	d := newsroom.TextDraft{Texts: map[string]string{}}
	for key, most := range ask.Limits {
		if key == release.Comment {
			d.Texts[key] = digest.Comment(ask.Paragraphs, most)
			continue
		}
		if text := digest.Shorten(ask.Paragraphs, most); text != "" {
			d.Texts[key] = text
		}
	}
	d.Titles = digest.Titles(ask.Title, ask.Headings, ask.Paragraphs, ask.TitleLimit, 4)
	d.Tags = digest.Tags(ask.Paragraphs, ask.Tags, 5)
	for i, at := range digest.Starts(ask.Parts, ask.Seconds) {
		if h := ask.Parts[i].Heading; h != "" {
			d.Chapters = append(d.Chapters, release.Chapter{Seconds: at, Title: h})
		}
	}
	return d, nil
}

// RemoteTexts is a text writer at an address: it is sent a newsroom.TextAsk as JSON by POST and
// answers with a newsroom.TextDraft as JSON.
type RemoteTexts struct{ URL string }

// WriteTexts asks the service, for twenty seconds at most.
func (r RemoteTexts) WriteTexts(ctx context.Context, ask newsroom.TextAsk) (d newsroom.TextDraft, err error) {
	return d, askWriter(ctx, "text writer", r.URL, ask, &d)
}
