package format

import (
	"strings"
	"testing"
	"time"

	"github.com/goccy/go-yaml"

	"greenbaton/core/release"
)

// Whatever stands in a title, the front matter says it: read back by another YAML parser than the
// one it is written with.
func TestFrontMatterIsReadByAnotherParser(t *testing.T) {
	at := time.Date(2026, 11, 24, 8, 0, 0, 0, time.FixedZone("", 3600))
	for _, title := range []string{
		"Plain", "With: a colon", "# a comment?", "- a list?", "'single' and \"double\"", "yes", "null", "0x1F", "12:30:45", "2026-11-24", "{a: b}", "[a, b]", "& anchor", "* alias", "! tag", "% directive",
		"a\nline\nbreak", "trailing ", " leading", "tab\there", "---", "...", "水車", "📻 radio", "back\\slash", "| block", "> folded", "@at `tick`", "~", "1e3", ".inf", strings.Repeat("long ", 60),
	} {
		f := FrontMatter{
			Title: title, Description: title, Slug: "a", Number: 7, Author: title, Date: at, Updated: at.Add(time.Hour), Tags: []string{title, "b"}, Image: "a/1.png", ImageAlt: title,
			Recording: "a/2.mp3", Seconds: 60, Chapters: []release.Chapter{{Seconds: 65, Title: title}}, Related: []FrontLink{{title, "http://x.example/?a=b&c"}}, Fields: []FrontField{{title, title}}, Correction: title,
		}
		page, err := f.Page("# Body\n\n---\nmore\n")
		if err != nil {
			t.Fatal(err)
		}
		head, body, ok := strings.Cut(strings.TrimPrefix(string(page), "---\n"), "\n---\n")
		if !ok || body != "\n# Body\n\n---\nmore\n" {
			t.Fatalf("%q: the page is\n%s", title, page)
		}
		var is struct {
			Title, Description, Slug, Author, Image, Recording, Correction string
			ImageAlt                                                       string `yaml:"image_alt"`
			Number, Seconds                                                int
			Date, Updated                                                  time.Time
			Tags                                                           []string
			Chapters                                                       []struct{ At, Title string }
			Related                                                        []struct{ Title, Address string }
			Also                                                           []struct{ Name, Text string }
		}
		if err := yaml.Unmarshal([]byte(head), &is); err != nil {
			t.Errorf("%q: %v in\n%s", title, err, head)
			continue
		}
		if is.Title != title || is.Description != title || is.Author != title || is.ImageAlt != title || is.Correction != title || len(is.Tags) != 2 || is.Tags[0] != title || is.Number != 7 {
			t.Errorf("%q is read as %+v from\n%s", title, is, head)
		}
		if !is.Date.Equal(at) || !is.Updated.Equal(at.Add(time.Hour)) || len(is.Chapters) != 1 || is.Chapters[0].At != "1:05" || is.Chapters[0].Title != title {
			t.Errorf("%q is read as %+v from\n%s", title, is, head)
		}
		if len(is.Related) != 1 || is.Related[0].Title != title || is.Related[0].Address != "http://x.example/?a=b&c" || len(is.Also) != 1 || is.Also[0].Text != title {
			t.Errorf("%q is read as %+v from\n%s", title, is, head)
		}
	}
	page, err := FrontMatter{Title: "Bare", Slug: "bare", Date: at}.Page("x")
	if err != nil || strings.Contains(string(page), "null") || strings.Count(string(page), "\n") > 6 {
		t.Errorf("what is not said stands in it: %v\n%s", err, page)
	}
}
