package format

import (
	"encoding/xml"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gorilla/feeds"

	"greenbaton/core/release"
)

// FeedPage is one page in a feed.
type FeedPage struct {
	Title, Summary, Author, Address, HTML string
	Published, Updated                    time.Time
	Sound                                 *FeedSound // nil for none
	Chapters                              []release.Chapter
}

// FeedSound is the recording of a page.
type FeedSound struct {
	Address, Type string
	Length        int // bytes
	Seconds       int // 0 where that is not known
}

// Atom writes a feed of pages as RFC 4287 has it. Address is that of the site
// the feed belongs to; updated is used when there is no page.
func Atom(title, address string, updated time.Time, pages []FeedPage) (string, error) {
	f := &feeds.Feed{Title: title, Link: &feeds.Link{Href: address}, Id: address, Updated: updated, Author: &feeds.Author{Name: title}}
	for i, p := range pages {
		if i == 0 || p.Updated.After(f.Updated) {
			f.Updated = p.Updated
		}
		f.Items = append(f.Items, &feeds.Item{
			Title: p.Title, Id: p.Address, Link: &feeds.Link{Href: p.Address}, Description: p.Summary, Content: p.HTML,
			Author: &feeds.Author{Name: p.Author}, Created: p.Published, Updated: p.Updated,
		})
	}
	return f.ToAtom()
}

// The namespaces of what RSS itself has no element for: whole texts, the address of the feed, who
// wrote, how long a recording lasts, and where its chapters begin (Podlove Simple Chapters 1.2).
const (
	contentNS = "http://purl.org/rss/1.0/modules/content/"
	atomNS    = "http://www.w3.org/2005/Atom"
	dcNS      = "http://purl.org/dc/elements/1.1/"
	itunesNS  = "http://www.itunes.com/dtds/podcast-1.0.dtd"
	pscNS     = "http://podlove.org/simple-chapters"
)

type rssFeed struct {
	XMLName xml.Name   `xml:"rss"`
	Version string     `xml:"version,attr"`
	NS      []xml.Attr `xml:",any,attr"`
	Channel rssChannel `xml:"channel"`
}

type rssChannel struct {
	Title         string `xml:"title"`
	Link          string `xml:"link"`
	Description   string `xml:"description"`
	LastBuildDate string `xml:"lastBuildDate"`
	Self          struct {
		Href string `xml:"href,attr"`
		Rel  string `xml:"rel,attr"`
		Type string `xml:"type,attr"`
	} `xml:"atom:link"`
	Items []rssItem `xml:"item"`
}

type rssItem struct {
	Title       string        `xml:"title"`
	Link        string        `xml:"link"`
	Description string        `xml:"description,omitempty"`
	Content     *rssText      `xml:"content:encoded"`
	Creator     string        `xml:"dc:creator,omitempty"`
	GUID        rssGUID       `xml:"guid"`
	PubDate     string        `xml:"pubDate"`
	Enclosure   *rssEnclosure `xml:"enclosure"`
	Duration    string        `xml:"itunes:duration,omitempty"`
	Chapters    *pscChapters  `xml:"psc:chapters"`
}

type rssText struct {
	Text string `xml:",cdata"`
}

type rssGUID struct {
	IsPermaLink bool   `xml:"isPermaLink,attr"`
	Text        string `xml:",chardata"`
}

type rssEnclosure struct {
	URL    string `xml:"url,attr"`
	Length int    `xml:"length,attr"`
	Type   string `xml:"type,attr"`
}

type pscChapters struct {
	Version string       `xml:"version,attr"`
	All     []pscChapter `xml:"psc:chapter"`
}

type pscChapter struct {
	Start string `xml:"start,attr"` // normal play time of RFC 2326
	Title string `xml:"title,attr"`
}

// RSS writes a feed of pages as RSS 2.0 has it (www.rssboard.org/rss-specification), with the
// recordings of pages as enclosures. Self is the address of the feed, and address that of the site.
func RSS(title, about, self, address string, updated time.Time, pages []FeedPage) (string, error) {
	f := rssFeed{Version: "2.0", Channel: rssChannel{Title: title, Link: address, Description: about}}
	for prefix, at := range map[string]string{"content": contentNS, "atom": atomNS, "dc": dcNS, "itunes": itunesNS, "psc": pscNS} {
		f.NS = append(f.NS, xml.Attr{Name: xml.Name{Local: "xmlns:" + prefix}, Value: at})
	}
	slices.SortFunc(f.NS, func(x, y xml.Attr) int { return strings.Compare(x.Name.Local, y.Name.Local) })
	f.Channel.Self.Href, f.Channel.Self.Rel, f.Channel.Self.Type = self, "self", "application/rss+xml"
	for _, p := range pages {
		if p.Updated.After(updated) {
			updated = p.Updated
		}
		x := rssItem{
			Title: p.Title, Link: p.Address, Description: p.Summary, Content: &rssText{p.HTML}, Creator: p.Author, GUID: rssGUID{true, p.Address}, PubDate: p.Published.Format(time.RFC1123Z),
		}
		if s := p.Sound; s != nil {
			x.Enclosure = &rssEnclosure{s.Address, s.Length, s.Type}
			if s.Seconds > 0 {
				x.Duration = clock(s.Seconds)
			}
			if len(p.Chapters) > 0 {
				x.Chapters = &pscChapters{Version: "1.2"}
				for _, c := range p.Chapters {
					x.Chapters.All = append(x.Chapters.All, pscChapter{clock(c.Seconds), c.Title})
				}
			}
		}
		f.Channel.Items = append(f.Channel.Items, x)
	}
	f.Channel.LastBuildDate = updated.Format(time.RFC1123Z)
	out, err := xml.MarshalIndent(f, "", "  ")
	if err != nil {
		return "", fmt.Errorf("write a feed: %w", err)
	}
	return xml.Header + string(out) + "\n", nil
}

func clock(seconds int) string {
	return fmt.Sprintf("%02d:%02d:%02d", seconds/3600, seconds/60%60, seconds%60)
}
