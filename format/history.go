package format

import (
	"archive/zip"
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/mmcdole/gofeed"
	"go.yaml.in/yaml/v3"
	"golang.org/x/net/html"

	"greenbaton/core/bring"
	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/ref"
)

// What of a folder or feed of pages is read at most.
const (
	maxPages   = 20_000
	maxPage    = 2 << 20 // bytes of one page
	maxFront   = 64 << 10
	maxAliases = 50
)

// historyHeader is how the columns of pages are called, as package bring knows them.
var historyHeader = []string{"Title", "Day it went out", "Address", "Who wrote it", "Channel", "Topic", "Tags", "Description", "Copy", "State"}

// FromText reads a copy that is HTML or, where it has no marks of that, Markdown, with those of its
// pictures that are stored.
func FromText(text string, stored func(address string) (ref.File, bool)) (copy.Text, error) {
	if t := strings.TrimSpace(text); strings.HasPrefix(t, "<") && strings.Contains(t, "</") {
		return fromHTML([]byte(text), stored)
	}
	return fromMarkdown([]byte(text), stored)
}

// ReadHistory reads what went out before: a ZIP of Markdown with front matter or of HTML, a feed in
// Atom or RSS, or otherwise a table as ReadTable does. A page is a row; the error is a sentence that
// says what to do.
func ReadHistory(name string, data []byte) (bring.Table, error) {
	switch {
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		if err == nil && slices.ContainsFunc(z.File, func(f *zip.File) bool { return pageKind(f.Name) != "" }) && !slices.ContainsFunc(z.File, func(f *zip.File) bool { return f.Name == "[Content_Types].xml" }) {
			return readPages(name, z)
		}
	case isFeed(data):
		return readFeed(name, data)
	}
	return ReadTable(name, data)
}

// pageKind gives what kind of page a file of a folder is, "" for none.
func pageKind(name string) string {
	if base := path.Base(name); strings.HasPrefix(base, ".") || strings.Contains(name, "__MACOSX") {
		return ""
	}
	switch strings.ToLower(path.Ext(name)) {
	case ".md", ".markdown":
		return "markdown"
	case ".html", ".htm":
		return "html"
	}
	return ""
}

func readPages(name string, z *zip.Reader) (bring.Table, error) {
	t := bring.Table{Header: historyHeader}
	var total int64
	left, found := 0, picturesOf(z)
	t.Files = map[string][]byte{}
	for i, f := range z.File {
		kind := pageKind(f.Name)
		if kind == "" {
			continue
		}
		if len(t.Rows) >= maxPages {
			return t, fmt.Errorf("“%s” has more than %d pages. Split it, and import one part after the other.", name, maxPages)
		}
		b, err := unpacked(f, maxPage)
		if total += int64(len(b)); total > maxOpened {
			return t, fmt.Errorf("“%s” is larger than %d MB when it is unpacked. Split it, and import one part after the other.", name, maxOpened>>20)
		}
		if err != nil {
			left++
			continue
		}
		row, err := pageRow(f.Name, kind, b)
		if err != nil {
			left++
			continue
		}
		var kept int64
		if row[8], kept = found.in(row[8], f.Name, t.Files, maxOpened-total); kept > 0 {
			total += kept
		}
		t.Rows, t.Lines = append(t.Rows, row), append(t.Lines, i+1)
	}
	if left > 0 {
		t.Notes = append(t.Notes, fmt.Sprintf("%s could not be read and %s left out: damaged, larger than %d MB, or with something before it that is no YAML.", english.UpperFirst(english.Counted(left, "page")), english.Verb(left, "was", "were"), maxPage>>20))
	}
	if n := len(found) - len(t.Files); n > 0 {
		t.Notes = append(t.Notes, fmt.Sprintf("%s left out: no page shows %s, or %s.", english.UpperFirst(english.Counted(n, "picture"))+english.Verb(n, " is", " are"), english.Verb(n, "it", "them"), english.Verb(n, "it is larger than 10 MB or no picture at all", "they are larger than 10 MB or no pictures at all")))
	}
	if len(t.Rows) == 0 {
		return t, fmt.Errorf("No page in “%s” can be read. It takes Markdown with front matter, and HTML.", name)
	}
	return t, nil
}

// folder is the pictures of a ZIP by their places in it.
type folder map[string]*zip.File

func picturesOf(z *zip.Reader) folder {
	out := folder{}
	for _, f := range z.File {
		switch strings.ToLower(path.Ext(f.Name)) {
		case ".png", ".jpg", ".jpeg", ".gif", ".webp":
			if base := path.Base(f.Name); !strings.HasPrefix(base, ".") && !strings.Contains(f.Name, "__MACOSX") {
				out[path.Clean(f.Name)] = f
			}
		}
	}
	return out
}

// InArchive begins the addresses of pictures that came with a page.
const InArchive = "archive:"

// mdPicture is a picture in Markdown, and htmlPicture one in HTML: up to its address, and that.
var (
	mdPicture   = regexp.MustCompile(`(!\[[^\]\n]*\]\()<?([^)\s>]+)>?`)
	htmlPicture = regexp.MustCompile(`(<img[^>]*\ssrc=")([^"]*)`)
)

// maxPicture is how large a picture of a page is at most, in bytes.
const maxPicture = 10 << 20

// in gives a text in which the pictures of the folder are named by their places in it, and keeps these
// among files while there is room for so many bytes; how many were kept.
func (d folder) in(text, page string, files map[string][]byte, room int64) (string, int64) {
	kept := int64(0)
	for _, r := range []*regexp.Regexp{mdPicture, htmlPicture} {
		text = r.ReplaceAllStringFunc(text, func(whole string) string {
			m := r.FindStringSubmatch(whole)
			address, err := url.PathUnescape(html.UnescapeString(m[2]))
			if err != nil {
				return whole
			}
			for _, at := range []string{path.Join(path.Dir(page), address), path.Clean(strings.TrimPrefix(address, "/"))} {
				f, ok := d[at]
				if !ok {
					continue
				}
				if _, ok := files[at]; !ok {
					b, err := unpacked(f, maxPicture)
					if err != nil || kept+int64(len(b)) > room || !strings.HasPrefix(http.DetectContentType(b), "image/") {
						return whole
					}
					files[at], kept = b, kept+int64(len(b))
				}
				return m[1] + InArchive + url.PathEscape(at)
			}
			return whole
		})
	}
	return text, kept
}

// unpacked reads a file of a ZIP, whatever size it says it has.
func unpacked(f *zip.File, most int64) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	b, err := io.ReadAll(io.LimitReader(r, most+1))
	if err == nil && int64(len(b)) > most {
		err = errors.New("too large")
	}
	return b, err
}

func pageRow(name, kind string, b []byte) ([]string, error) {
	text := strings.ToValidUTF8(strings.TrimPrefix(string(b), "\ufeff"), "�")
	if kind == "html" {
		return htmlRow(name, text), nil
	}
	front, body, err := splitFront(text)
	if err != nil {
		return nil, err
	}
	row := make([]string, len(historyHeader))
	for i, keys := range [][]string{
		{"title"}, {"date", "published", "published_at", "publishdate", "pubdate"}, {"address", "url", "permalink", "canonical", "canonical_url", "link"}, {"author", "writer", "byline", "authors"}, {"channel"},
		{"topic", "category", "section", "categories"}, {"tags", "keywords"}, {"description", "summary", "excerpt"},
	} {
		for _, k := range keys {
			if row[i] == "" {
				row[i] = front[k]
			}
		}
	}
	if row[0] == "" {
		if first, rest, ok := strings.Cut(strings.TrimLeft(body, "\n"), "\n"); ok && strings.HasPrefix(first, "# ") {
			row[0], body = strings.TrimSpace(first[2:]), rest
		}
	}
	row[0] = cmp.Or(row[0], titleOf(name))
	row[1] = cmp.Or(row[1], dateOf(name))
	row[9] = cmp.Or(front["status"], front["state"])
	if front["draft"] == "true" {
		row[9] = cmp.Or(row[9], "draft")
	}
	row[8] = strings.TrimSpace(body)
	return row, nil
}

// splitFront takes the front matter from a page: YAML between two lines of hyphens.
func splitFront(text string) (map[string]string, string, error) {
	out := map[string]string{}
	text = strings.ReplaceAll(text, "\r\n", "\n")
	rest, ok := strings.CutPrefix(text, "---\n")
	if !ok {
		return out, text, nil
	}
	front, body, ok := strings.Cut(rest, "\n---")
	if !ok || len(front) > maxFront || strings.Count(front, "*") > maxAliases {
		return nil, "", errors.New("no front matter")
	}
	_, body, _ = strings.Cut(body, "\n")
	var all map[string]yaml.Node
	if err := yaml.Unmarshal([]byte(front), &all); err != nil {
		return nil, "", err
	}
	for k, n := range all {
		out[strings.ToLower(k)] = plainOf(&n)
	}
	if p := out["published"]; p == "true" || p == "false" { // it says whether, and not when
		out["published"] = ""
		if p == "false" {
			out["draft"] = "true"
		}
	}
	return out, body, nil
}

// plainOf writes a value of front matter as a cell: of a list its parts with commas between.
func plainOf(n *yaml.Node) string {
	switch n.Kind {
	case yaml.ScalarNode:
		if n.Tag == "!!null" {
			return ""
		}
		return n.Value
	case yaml.SequenceNode:
		var out []string
		for _, c := range n.Content {
			if c.Kind == yaml.ScalarNode {
				out = append(out, c.Value)
			}
		}
		return strings.Join(out, ", ")
	case yaml.MappingNode: // as of an author with a name
		for i := 0; i+1 < len(n.Content); i += 2 {
			if n.Content[i].Value == "name" {
				return n.Content[i+1].Value
			}
		}
	}
	return ""
}

// titleOf makes a title of the name of a file.
func titleOf(name string) string {
	base := strings.TrimSuffix(path.Base(name), path.Ext(name))
	if strings.EqualFold(base, "index") {
		base = path.Base(path.Dir(name))
	}
	if d := dateOf(name); d != "" {
		base = strings.TrimPrefix(strings.TrimPrefix(base, d), "-")
	}
	return strings.TrimSpace(strings.NewReplacer("-", " ", "_", " ").Replace(base))
}

// dateOf reads the day with which the name of a file begins.
func dateOf(name string) string {
	base := path.Base(name)
	if len(base) < 10 {
		return ""
	}
	if _, err := time.Parse(time.DateOnly, base[:10]); err != nil {
		return ""
	}
	return base[:10]
}

// htmlRow reads a page of HTML by what stands in its head, and its main part.
func htmlRow(name, text string) []string {
	row := make([]string, len(historyHeader))
	doc, err := html.Parse(strings.NewReader(text))
	if err != nil {
		row[0] = titleOf(name)
		return row
	}
	metas := map[string]int{"article:published_time": 1, "date": 1, "author": 3, "article:author": 3, "article:section": 5, "keywords": 6, "description": 7, "og:title": 0}
	var body, main *html.Node
	for n := range doc.Descendants() {
		if n.Type != html.ElementNode {
			continue
		}
		switch n.Data {
		case "title":
			if row[0] == "" && n.FirstChild != nil {
				row[0] = strings.TrimSpace(n.FirstChild.Data)
			}
		case "meta":
			if i, ok := metas[cmp.Or(attribute(n, "name"), attribute(n, "property"))]; ok {
				row[i] = cmp.Or(row[i], strings.TrimSpace(attribute(n, "content")))
			}
		case "link":
			if attribute(n, "rel") == "canonical" {
				row[2] = attribute(n, "href")
			}
		case "time":
			row[1] = cmp.Or(row[1], attribute(n, "datetime"))
		case "article", "main":
			if main == nil || n.Data == "article" && main.Data == "main" {
				main = n
			}
		case "body":
			body = n
		}
	}
	row[0], row[1] = cmp.Or(row[0], titleOf(name)), cmp.Or(row[1], dateOf(name))
	if main == nil {
		main = body
	}
	var b strings.Builder
	if main != nil && html.Render(&b, main) == nil {
		row[8] = b.String()
	}
	return row
}

func attribute(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

// isFeed reports whether something begins as a feed does.
func isFeed(data []byte) bool {
	head := bytes.ToLower(bytes.TrimSpace(data[:min(len(data), 2000)]))
	return bytes.HasPrefix(head, []byte("<")) && (bytes.Contains(head, []byte("<rss")) || bytes.Contains(head, []byte("<feed")) || bytes.Contains(head, []byte("<rdf:rdf")))
}

// readFeed reads the entries of a feed.
func readFeed(name string, data []byte) (t bring.Table, err error) {
	switch {
	case len(data) > maxPacked:
		return t, fmt.Errorf("“%s” is larger than %d MB. Take a shorter feed.", name, maxPacked>>20)
	case bytes.Contains(bytes.ToUpper(data[:min(len(data), 64<<10)]), []byte("<!ENTITY")):
		return t, fmt.Errorf("“%s” declares entities of its own, which feeds do not need; it was not read.", name)
	}
	defer func() { // of the reader, over what others wrote
		if recover() != nil {
			err = fmt.Errorf("“%s” is no feed that can be read. It takes Atom and RSS.", name)
		}
	}()
	feed, err := gofeed.NewParser().Parse(bytes.NewReader(data))
	if err != nil {
		return t, fmt.Errorf("“%s” is no feed that can be read. It takes Atom and RSS.", name)
	}
	t.Header = historyHeader
	for i, e := range feed.Items[:min(len(feed.Items), maxPages)] {
		row := make([]string, len(historyHeader))
		row[0], row[2], row[6] = strings.TrimSpace(e.Title), e.Link, strings.Join(e.Categories, ", ")
		if at := e.PublishedParsed; at != nil {
			row[1] = at.Format(time.RFC3339)
		} else if at := e.UpdatedParsed; at != nil {
			row[1] = at.Format(time.RFC3339)
		}
		if len(e.Authors) > 0 {
			row[3] = cmp.Or(e.Authors[0].Name, e.Authors[0].Email)
		}
		row[8] = cmp.Or(e.Content, e.Description)
		if e.Content != "" && e.Description != e.Content {
			row[7] = inWords(e.Description)
		}
		t.Rows, t.Lines = append(t.Rows, row), append(t.Lines, i+1)
	}
	if len(t.Rows) == 0 {
		return t, fmt.Errorf("There is no entry in “%s”.", name)
	}
	return t, nil
}

// inWords gives what a piece of HTML says, without its marks.
func inWords(s string) string {
	doc, err := html.Parse(strings.NewReader(s))
	if err != nil {
		return ""
	}
	var b strings.Builder
	for n := range doc.Descendants() {
		switch {
		case n.Type == html.TextNode:
			b.WriteString(n.Data)
		case n.Type == html.ElementNode && slices.Contains([]string{"p", "br", "div", "li", "h1", "h2", "h3", "h4", "h5", "h6", "td", "th"}, n.Data):
			b.WriteString(" ")
		}
	}
	return cut(oneLine(b.String()), 500)
}
