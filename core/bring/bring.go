// Package bring knows how a list from elsewhere becomes ideas, search phrases or pieces:
// which column is what, how its dates are to be read, and what each row says.
package bring

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/figure"
	"greenbaton/core/find"
)

// Kind is what a list holds.
type Kind string

// The kinds of lists.
const (
	Ideas   Kind = "ideas"
	Phrases Kind = "phrases"
	Lineup  Kind = "lineup"
	Figures Kind = "figures"
	History Kind = "history" // what went out before it was kept here
)

// Kinds lists the kinds with what each is called, and what one row of it is.
var Kinds = []struct {
	Kind      Kind
	Name, Row string
}{{Ideas, "Ideas", "idea"}, {Phrases, "Search phrases", "search phrase"}, {Lineup, "A lineup", "piece"}, {History, "What went out before", "published piece"}, {Figures, "What pieces did", "row of figures"}}

// Table is a sheet read from a file: its first row as the header, and the rows under it,
// all as wide as the widest.
type Table struct {
	Header []string
	Rows   [][]string
	Lines  []int             // where each row begins in the file: a line of a CSV, a row of a sheet, counted from 1
	Notes  []string          // what was assumed while reading, in sentences
	Files  map[string][]byte `json:",omitempty"` // pictures that came with it, by their places
}

// Field is something that a row can say.
type Field struct {
	Key, Name string
	Needed    bool
	Names     []string // that columns have elsewhere, in small letters
}

// fields are what the rows of each kind can say. The names of columns are common
// practice in spreadsheets, no source.
var fields = map[Kind][]Field{
	Ideas: {
		{"title", "Title", true, []string{"idea", "headline", "topic", "name", "subject", "what", "working title"}},
		{"notes", "Notes", false, []string{"note", "description", "details", "comment", "comments", "about"}},
		{"links", "Links", false, []string{"link", "url", "urls", "address", "reference"}},
		{"source", "Source", false, []string{"where from", "came from"}},
		{"origin", "Who or what it came from", false, []string{"who", "origin", "from", "person", "contact"}},
		{"tags", "Tags", false, []string{"tag", "labels", "label", "category", "categories", "theme"}},
		{"phrase", "Search phrase", false, []string{"phrase", "query", "search term", "search phrases", "search"}},
		{"volume", "Looked for a month", false, []string{"volume", "search volume", "searches", "monthly searches", "avg monthly searches", "sv"}},
		{"difficulty", "Difficulty", false, []string{"competition", "hard", "kd"}},
		{"reach", "Reach", false, []string{"impact", "audience"}},
		{"fit", "Fit", false, []string{"relevance", "relevant"}},
		{"effort", "Effort", false, []string{"work", "cost"}},
	},
	Phrases: {
		{"phrase", "Search phrase", true, []string{"phrase", "query", "search term", "search phrases", "search", "term", "terms"}},
		{"volume", "Looked for a month", false, []string{"volume", "search volume", "searches", "monthly searches", "avg monthly searches", "sv"}},
		{"difficulty", "Difficulty", false, []string{"competition", "hard", "kd"}},
		{"title", "Title", false, []string{"idea", "headline", "working title"}},
		{"notes", "Notes", false, []string{"note", "comment", "comments", "intent"}},
		{"tags", "Tags", false, []string{"tag", "labels", "label", "category", "group", "cluster", "topic"}},
	},
	Lineup: {
		{"title", "Title", true, []string{"piece", "headline", "name", "subject", "what", "working title", "article", "story"}},
		{"format", "Format", false, []string{"type", "kind", "content type"}},
		{"channel", "Channel", false, []string{"where", "site", "outlet", "publication"}},
		{"day", "Day it goes out", false, []string{"date", "day", "publication date", "publish date", "publication", "publish", "goes out", "due", "when", "go live", "live"}},
		{"time", "Time", false, []string{"hour", "at", "clock"}},
		{"owner", "Owner", false, []string{"lead", "responsible", "editor", "commissioned by"}},
		{"topic", "Topic", false, []string{"theme", "subject area"}},
		{"campaign", "Campaign", false, []string{"project", "programme"}},
		{"tags", "Tags", false, []string{"tag", "labels", "label", "category", "categories"}},
		{"about", "What it is about", false, []string{"notes", "note", "description", "details", "brief", "comment", "comments"}},
		{"from", "Words at least", false, []string{"min words", "words from", "words"}},
		{"to", "Words at most", false, []string{"max words", "words to"}},
	},
	History: {
		{"title", "Title", true, []string{"piece", "headline", "name", "subject", "article", "story", "post title"}},
		{"day", "Day it went out", false, []string{"date", "day", "published", "publication date", "publish date", "published at", "pubdate", "went out", "when", "live"}},
		{"time", "Time", false, []string{"hour", "at", "clock"}},
		{"address", "Address", false, []string{"url", "permalink", "link", "final url", "address", "guid"}},
		{"writer", "Who wrote it", false, []string{"author", "writer", "by", "byline", "creator", "written by"}},
		{"format", "Format", false, []string{"type", "kind", "content type"}},
		{"channel", "Channel", false, []string{"where", "site", "outlet", "publication"}},
		{"owner", "Owner", false, []string{"lead", "responsible", "editor"}},
		{"topic", "Topic", false, []string{"theme", "subject area", "section", "category"}},
		{"campaign", "Campaign", false, []string{"project", "programme"}},
		{"tags", "Tags", false, []string{"tag", "labels", "label", "categories", "keywords"}},
		{"summary", "Description", false, []string{"description", "excerpt", "standfirst", "abstract", "meta description", "summary"}},
		{"state", "State", false, []string{"status", "state", "post status", "publish status", "stage"}},
		{"copy", "Copy: Markdown or HTML", false, []string{"body", "text", "content", "copy", "markdown", "html", "article body"}},
	},
	Figures: {
		{"piece", "Piece: its number, address or title", true, []string{"piece", "no", "number", "address", "url", "page", "page path", "link", "landing page", "path", "title", "headline", "article", "story", "page title"}},
		{"day", "Day", true, []string{"date", "on", "when", "day"}},
		{"measure", "Measure", false, []string{"metric", "what", "measured"}},
		{"value", "Figure", false, []string{"value", "count", "total", "amount"}},
	},
}

// FieldsOf gives what the rows of a kind can say, with what a desk asks besides.
func FieldsOf(k Kind, besides ...Field) []Field {
	return slices.Concat(fields[k], besides)
}

// Map says which column each field is read from, by the key of the field, counted from 0.
type Map map[string]int

// Guess says which columns of a table are which fields, by what they are called; a
// column that is called nothing known is left out, and no column is taken twice. Where
// nothing is called the needed field, it is the first column with text.
func Guess(k Kind, header []string, besides ...Field) Map {
	fields := FieldsOf(k, besides...)
	m, taken := Map{}, map[int]bool{}
	names := make([]string, len(header))
	for i, h := range header {
		names[i] = strings.Join(find.Words(h), " ")
	}
	claim := func(f Field, is func(name string) bool) {
		if _, ok := m[f.Key]; ok {
			return
		}
		for i, n := range names {
			if !taken[i] && n != "" && is(n) {
				m[f.Key], taken[i] = i, true
				return
			}
		}
	}
	for _, sure := range []bool{true, false} {
		for _, f := range fields {
			own := strings.Join(find.Words(f.Name), " ")
			claim(f, func(n string) bool { return n == own || n == f.Key })
			claim(f, func(n string) bool {
				return slices.Contains(f.Names, n) || !sure && slices.ContainsFunc(append([]string{own}, f.Names...), func(x string) bool { return len(x) > 3 && hasWord(n, x) })
			})
		}
	}
	for _, f := range fields {
		if _, ok := m[f.Key]; f.Needed && !ok {
			claim(f, func(string) bool { return true })
		}
	}
	return m
}

func hasWord(n, x string) bool {
	return strings.Contains(" "+n+" ", " "+x+" ")
}

// Row is what one row of a table says, by the key of the field; empty answers are left out.
type Row map[string]string

// Read gives what a row of a table says.
func (m Map) Read(cells []string) Row {
	r := Row{}
	for k, i := range m {
		if i >= 0 && i < len(cells) {
			if v := strings.TrimSpace(cells[i]); v != "" {
				r[k] = v
			}
		}
	}
	return r
}

// Whole reads a whole number as spreadsheets write it: as package figure reads it, and with
// a "k" for thousands or a "%" behind it. A number with a fraction is rounded.
func Whole(s string) (int, error) {
	s = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(strings.ToLower(s)), "%"))
	times := int64(1)
	if rest, ok := strings.CutSuffix(s, "k"); ok {
		s, times = rest, 1_000
	}
	n, _, err := figure.Times(s, times)
	return n, err
}

// Scale reads a judgement from 1 to 5: the figure, or low, medium and high.
func Scale(s string) (int, error) {
	switch strings.ToLower(s) {
	case "low", "small", "little":
		return 2, nil
	case "medium", "mid", "middle", "some":
		return 3, nil
	case "high", "big", "much", "large":
		return 4, nil
	}
	n, err := Whole(s)
	if err == nil && (n < 1 || n > 5) {
		err = figure.ErrNone
	}
	return n, err
}

// Same is the form in which two titles or phrases are the same: their words in small
// letters, whatever stands between them.
func Same(s string) string { return strings.Join(find.Words(s), " ") }

// Clock reads a time of day, in minutes after midnight: "8:00", "08.30", "8 am",
// "17:30:00", or the fraction of a day as spreadsheets store it.
func Clock(s string) (int, error) {
	t := strings.ToLower(strings.TrimSpace(s))
	if f, err := strconv.ParseFloat(t, 64); err == nil && f >= 0 && f < 1 {
		return int(f*24*60 + 0.5), nil
	}
	half := 0
	for suffix, add := range map[string]int{"am": -1, "pm": 12, "a.m.": -1, "p.m.": 12} {
		if rest, ok := strings.CutSuffix(t, suffix); ok {
			t, half = strings.TrimSpace(rest), add
		}
	}
	t = strings.ReplaceAll(t, ".", ":")
	if parts := strings.Split(t, ":"); len(parts) == 3 {
		t = parts[0] + ":" + parts[1]
	} else if len(parts) == 1 && half != 0 {
		t += ":00"
	}
	if len(t) == 4 {
		t = "0" + t
	}
	m, err := day.Minutes(t)
	if err != nil {
		return 0, fmt.Errorf("“%s” is not a time like 08:00", s)
	}
	switch {
	case half != 0 && (m < 60 || m >= 13*60):
		return 0, fmt.Errorf("“%s” is not a time like 08:00", s)
	case half == 12 && m < 12*60:
		m += 12 * 60
	case half == -1 && m >= 12*60:
		m -= 12 * 60
	}
	return m, nil
}

// What a state of elsewhere is called that means a piece went out, and one that means it did not. Common
// practice in spreadsheets and front matter, no source.
var (
	wentOut = []string{"published", "publish", "publicly", "public", "live", "out", "posted", "online", "released", "sent", "done"}
	notOut  = []string{"draft", "drafts", "pending", "pending review", "in review", "private", "trash", "deleted", "scheduled", "future", "unpublished", "auto draft", "idea", "planned", "writing", "editing", "in progress", "cancelled"}
)

// WentOut reports what a state of elsewhere says of whether a piece went out, and whether that is known.
func WentOut(state string) (out, known bool) {
	s := Same(state)
	switch {
	case s == "" || slices.Contains(wentOut, s):
		return true, true
	case slices.Contains(notOut, s):
		return false, true
	}
	return false, false
}

// ofFigures are the fields that are figures, of any kind.
var ofFigures = []string{"volume", "difficulty", "reach", "fit", "effort", "from", "to", "value"}

// IsFigure reports whether a field is a figure.
func IsFigure(key string) bool { return slices.Contains(ofFigures, key) }
