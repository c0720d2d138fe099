package format

import (
	"time"

	"github.com/gorilla/feeds"
)

// FeedPage is one page in a feed.
type FeedPage struct {
	Title, Summary, Author, Address, HTML string
	Published, Updated                    time.Time
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
