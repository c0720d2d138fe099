package release

import (
	"context"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/digest"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

// Drafted is what the text writer drafted that nobody has to keep: other titles, and tags.
type Drafted struct{ Titles, Tags []string }

// mostDrafted is how many other titles and tags are taken.
const mostDrafted = 8

// Draft has the texts that go with a piece drafted from its copy: its description, where it has
// none, and what is said when it is out. What is drafted is marked so until somebody keeps it,
// and what somebody wrote is left alone.
func (h Room) Draft(ctx context.Context, by ref.Person, piece ref.Piece, version int) (Drafted, error) {
	s, err := h.SheetFor(ctx, by, piece)
	if err != nil {
		return Drafted{}, err
	}
	if !s.MaySave {
		return Drafted{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "The sheet is filled in by those who may change the copy, until the piece is out."}
	}
	if h.Texts == nil {
		return Drafted{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "No text writer is set up. Start the program with --text-writer and its address."}
	}
	ask, err := h.askOf(ctx, &s)
	if err != nil {
		return Drafted{}, err
	}
	if len(ask.Paragraphs) == 0 {
		return Drafted{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "There is no copy yet to draft from."}
	}
	d, err := h.Texts.WriteTexts(ctx, ask)
	if err != nil {
		h.Log.Warn("text writer", "problem", err)
		return Drafted{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "The text writer does not answer just now. Try again in a minute, or write the texts yourself."}
	}
	out := Drafted{Titles: few(d.Titles, s.Asks.Title), Tags: few(d.Tags, 40)}
	return out, h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActWrite, Piece: piece, Version: version})
		if err != nil {
			return err
		}
		now, err := sheetOf(a.Setup, a, a.Tx, was)
		if err != nil {
			return err
		}
		is := was.Piece
		for key, text := range d.Texts {
			most, asked := ask.Limits[key]
			if text = strings.Join(strings.Fields(text), " "); !asked || text == "" || len([]rune(text)) > most {
				continue
			}
			if key == description {
				if is.Summary == "" || now.Drafted[key] {
					is.Summary, now.Drafted[key] = text, true
				}
			} else if now.Fields[key] == "" || now.Drafted[key] {
				if now.Fields == nil {
					now.Fields = map[string]string{}
				}
				now.Fields[key], now.Drafted[key] = text, true
			}
		}
		if key := release.Chapters; len(ask.Parts) > 0 && (now.Fields[key] == "" || now.Drafted[key]) {
			if text := chaptersText(d.Chapters, ask.Seconds); text != "" {
				if now.Fields == nil {
					now.Fields = map[string]string{}
				}
				now.Fields[key], now.Drafted[key] = text, true
			}
		}
		row := now.stored
		row.Fields, row.Drafted = encoded(now.Fields, "{}"), encoded(keys(now.Drafted), "[]")
		if err := a.Tx.SaveSheet(a, row); err != nil {
			return err
		}
		return planning.SaveFacts(a, was.Piece, is, "the release sheet")
	})
}

// description is the key of the description among drafted texts.
const description = "description"

// usualDescription is how long a description is drafted where its channel has no limit.
const usualDescription = 155

// usualComment is how long a first comment is drafted where its channel has no limit.
const usualComment = 280

func (h Room) askOf(ctx context.Context, s *Sheet) (newsroom.TextAsk, error) {
	ask := newsroom.TextAsk{Title: s.Title, TitleLimit: s.Asks.Title, Tags: s.Tags, Limits: map[string]int{description: usualDescription}}
	if s.Asks.Description > 0 {
		ask.Limits[description] = s.Asks.Description
	}
	for _, f := range release.Announcements {
		ask.Limits[f.Key] = f.Limit
	}
	ask.Headings, ask.Paragraphs = parted(s.Text)
	for _, f := range s.Asks.Fields {
		switch f.Kind {
		case release.Comment:
			if ask.Limits[f.Key] = f.Limit; f.Limit == 0 {
				ask.Limits[f.Key] = usualComment
			}
		case release.Chapters:
			ask.Parts = partsOf(s.Text)
		}
	}
	sound, err := soundOf(ctx, h.DB.View(), s)
	ask.Seconds = sound.Seconds
	return ask, err
}

// partsOf gives the parts of a copy, each with its heading and how many words it has.
func partsOf(t copy.Text) []digest.Part {
	out := []digest.Part{{}}
	for _, l := range t.Lines() {
		text := strings.TrimSpace(copy.Text(l.Spans).Plain())
		if l.Has("header") && text != "" {
			out = append(out, digest.Part{Heading: text})
		}
		out[len(out)-1].Words += len(strings.Fields(text))
	}
	return out
}

// chaptersText writes the chapters of a draft as they are typed; none of those that are not in
// order, have no title, or begin after the end of a recording.
func chaptersText(all []release.Chapter, seconds int) string {
	var b strings.Builder
	last := -1
	for _, c := range all {
		title := strings.Join(strings.Fields(c.Title), " ")
		if c.Seconds <= last || title == "" || len([]rune(title)) > 100 || seconds > 0 && c.Seconds >= seconds {
			continue
		}
		last = c.Seconds
		b.WriteString(release.SayTime(c.Seconds) + " " + title + "\n")
	}
	if _, err := release.ReadChapters(b.String()); err != nil { // too many, or longer than a day
		return ""
	}
	return strings.TrimSpace(b.String())
}

// parted gives the headings and the paragraphs of a copy.
func parted(t copy.Text) (headings, paragraphs []string) {
	for _, l := range t.Lines() {
		var b strings.Builder
		for _, s := range l.Spans {
			b.WriteString(s.Insert)
		}
		text := strings.TrimSpace(b.String())
		switch {
		case text == "":
		case l.Has("header"):
			headings = append(headings, text)
		default:
			paragraphs = append(paragraphs, text)
		}
	}
	return headings, paragraphs
}

// few gives the first texts of a draft that are short enough; 0 is any length up to 200 characters.
func few(texts []string, most int) []string {
	if most == 0 {
		most = 200
	}
	var out []string
	for _, t := range texts {
		if t = strings.Join(strings.Fields(t), " "); t != "" && len([]rune(t)) <= most && len(out) < mostDrafted {
			out = append(out, t)
		}
	}
	return out
}

func keys(m map[string]bool) []string {
	var out []string
	for k, on := range m {
		if on {
			out = append(out, k)
		}
	}
	slices.Sort(out)
	return out
}
