package format

import (
	"bytes"
	"fmt"
	"time"

	"go.yaml.in/yaml/v3"

	"greenbaton/core/release"
)

// FrontMatter is what stands before the Markdown of a page, as YAML (1.2.2) between two lines of
// hyphens.
type FrontMatter struct {
	Title       string
	Description string
	Slug        string
	Number      int
	Author      string
	Date        time.Time // since when it is out
	Updated     time.Time // since when it is as it is; zero if that is the same
	Correction  string    // what was corrected
	MovedFrom   string    // the slug that it had before
	Tags        []string
	Image       string // the file of the lead picture
	ImageAlt    string
	Recording   string // the file of the recording
	Seconds     int
	Chapters    []release.Chapter
	Related     []FrontLink
	Next        []FrontLink
	Fields      []FrontField
}

// FrontLink is a page that another leads to.
type FrontLink struct{ Title, Address string }

// FrontField is something that a channel asks besides.
type FrontField struct{ Name, Text string }

// Page writes it before the Markdown of a page. What is not said is left out.
func (f FrontMatter) Page(markdown string) ([]byte, error) {
	node := &yaml.Node{Kind: yaml.MappingNode}
	var failed error
	put := func(key string, value any, said bool) {
		var v yaml.Node
		if !said || failed != nil {
			return
		}
		if failed = v.Encode(value); failed == nil {
			node.Content = append(node.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: key}, &v)
		}
	}
	put("title", f.Title, true)
	put("description", f.Description, f.Description != "")
	put("slug", f.Slug, true)
	put("number", f.Number, f.Number != 0)
	put("author", f.Author, f.Author != "")
	put("date", f.Date, !f.Date.IsZero())
	put("updated", f.Updated, !f.Updated.IsZero())
	put("correction", f.Correction, f.Correction != "")
	put("moved_from", f.MovedFrom, f.MovedFrom != "")
	put("tags", f.Tags, len(f.Tags) > 0)
	put("image", f.Image, f.Image != "")
	put("image_alt", f.ImageAlt, f.Image != "" && f.ImageAlt != "")
	put("recording", f.Recording, f.Recording != "")
	put("seconds", f.Seconds, f.Seconds != 0)
	put("chapters", linesOf(f.Chapters, func(c release.Chapter) map[string]any {
		return map[string]any{"at": release.SayTime(c.Seconds), "title": c.Title}
	}), len(f.Chapters) > 0)
	link := func(l FrontLink) map[string]any { return map[string]any{"title": l.Title, "address": l.Address} }
	put("related", linesOf(f.Related, link), len(f.Related) > 0)
	put("next", linesOf(f.Next, link), len(f.Next) > 0)
	put("also", linesOf(f.Fields, func(x FrontField) map[string]any { return map[string]any{"name": x.Name, "text": x.Text} }), len(f.Fields) > 0)
	if failed != nil {
		return nil, fmt.Errorf("write the front matter: %w", failed)
	}
	var b bytes.Buffer
	b.WriteString("---\n")
	e := yaml.NewEncoder(&b)
	e.SetIndent(2)
	if err := e.Encode(node); err != nil {
		return nil, fmt.Errorf("write the front matter: %w", err)
	}
	b.WriteString("---\n\n" + markdown)
	return b.Bytes(), nil
}

func linesOf[T any](all []T, line func(T) map[string]any) []map[string]any {
	var out []map[string]any
	for _, x := range all {
		out = append(out, line(x))
	}
	return out
}
