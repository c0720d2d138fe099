package release

import (
	"net/mail"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode"
)

// Kind says by what a channel's pieces get to its readers.
type Kind string

// The kinds of outlets.
const (
	Site     Kind = "site"     // the site that ships with the program
	Folder   Kind = "folder"   // Markdown with front matter and pictures, for a static site
	Micropub Kind = "micropub" // an endpoint that follows the W3C recommendation
	Request  Kind = "request"  // a signed JSON request
	Letter   Kind = "letter"   // by mail
)

// Outlet is by what, and to where, a channel's pieces get.
type Outlet struct {
	Kind    Kind   `json:"kind"`
	Address string `json:"address,omitempty"` // of the endpoint, or of whom the request is for
	Secret  string `json:"secret,omitempty"`  // the token, or what requests are signed with
	Folder  string `json:"folder,omitempty"`  // below the folder that the program may write to
	Pages   string `json:"pages,omitempty"`   // the pattern of addresses of pages; none is not known before they come back
	To      string `json:"to,omitempty"`      // the address of a list; none is the readers that the desk keeps itself
	From    string `json:"from,omitempty"`    // the name that a letter comes from; none is that of the desk
}

// Check puts an outlet into form, or says in a *relay.Refusal what is wrong. An empty kind is
// the shipped site.
func (o Outlet) Check() (Outlet, error) {
	for _, s := range []*string{&o.Address, &o.Secret, &o.Folder, &o.Pages, &o.To, &o.From} {
		if *s = strings.TrimSpace(*s); len(*s) > MaxLimit {
			return o, bad("kind", "One of the entries is longer than %d characters. Write a shorter one.", MaxLimit)
		}
	}
	is := Outlet{Kind: o.Kind, Pages: o.Pages}
	if err := checkPages(o.Pages); err != nil {
		return o, err
	}
	switch o.Kind {
	case "", Site:
		return Outlet{Kind: Site}, nil
	case Folder:
		is.Folder = strings.Trim(strings.ReplaceAll(o.Folder, "\\", "/"), "/")
		for _, part := range strings.Split(is.Folder, "/") {
			if part == "" || strings.HasPrefix(part, ".") || strings.ContainsFunc(part, func(r rune) bool { return unicode.IsControl(r) || strings.ContainsRune(`<>:"|?*`, r) }) {
				return o, bad("folder", "Name a folder like site/posts: below the folder that the program may write to, and no part of it begins with a full stop.")
			}
		}
		return is, nil
	case Micropub, Request:
		u, err := url.Parse(o.Address)
		switch {
		case err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.User != nil:
			return o, bad("address", "Write the whole address of the endpoint, with https:// before it and no name or password in it.")
		case o.Kind == Micropub && o.Secret == "":
			return o, bad("secret", "Write the token with which the endpoint lets the program in; it is made where the site is set up.")
		case o.Kind == Request && len(o.Secret) < 16:
			return o, bad("secret", "The secret that requests are signed with has 16 characters or more.")
		}
		is.Address, is.Secret = o.Address, o.Secret
		return is, nil
	case Letter:
		is.Pages = ""
		if o.To != "" {
			a, err := mail.ParseAddress(o.To)
			if err != nil || a.Name != "" {
				return o, bad("to", "Write the address of the list alone, like letter@lists.example.")
			}
			is.To = a.Address
		}
		if strings.ContainsFunc(o.From, unicode.IsControl) || len([]rune(o.From)) > 80 {
			return o, bad("from", "The name that letters come from has up to 80 characters, in one line.")
		}
		is.From = o.From
		return is, nil
	}
	return o, bad("kind", "Choose how pieces get there.")
}

// checkPages says what is wrong with the pattern of addresses of pages.
func checkPages(pattern string) error {
	if pattern == "" {
		return nil
	}
	page := Outlet{Pages: pattern}.Page("slug", 1, time.Unix(0, 0))
	u, err := url.Parse(page)
	switch {
	case err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || strings.ContainsAny(page, "{}"):
		return bad("pages", "Write the whole address of a page, like https://www.example.org/{year}/{slug}; there are {slug}, {number}, {year}, {month} and {day}.")
	case !strings.Contains(pattern, "{slug}") && !strings.Contains(pattern, "{number}"):
		return bad("pages", "Put {slug} or {number} into it, so that each piece has an address of its own.")
	}
	return nil
}

// Page gives the address of a page by the pattern, none where there is no pattern: its slug,
// escaped as a part of a path (RFC 3986), its number and the day on which it went out.
func (o Outlet) Page(slug string, number int, out time.Time) string {
	return strings.NewReplacer("{slug}", url.PathEscape(slug), "{number}", strconv.Itoa(number), "{year}", out.Format("2006"), "{month}", out.Format("01"), "{day}", out.Format("02")).Replace(o.Pages)
}

// Here reports whether its pages are in the program itself.
func (o Outlet) Here() bool { return o.Kind == "" || o.Kind == Site || o.Kind == Letter }
