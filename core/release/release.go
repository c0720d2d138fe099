// Package release is what goes with a piece when it goes out: its sheet, what a channel asks of
// that, and the addresses of pages.
package release

import (
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Asks is what a channel asks of the sheet of each piece that goes out on it.
type Asks struct {
	Title       int      `json:"title,omitempty"`       // characters at most; 0 is any number, so are the next two
	Description int      `json:"description,omitempty"` // characters at most
	Tags        int      `json:"tags,omitempty"`        // tags at most
	Related     int      `json:"related,omitempty"`     // related pieces that the channel shows
	Must        []string `json:"must,omitempty"`        // the keys of the parts that it cannot do without
	Fields      []Field  `json:"fields,omitempty"`      // what it asks besides
	Widths      []int    `json:"widths,omitempty"`      // of pictures, in points, that it takes besides the whole ones
	ByHand      bool     `json:"by_hand,omitempty"`     // a person schedules; otherwise the program, as soon as nothing is missing
	Corrections bool     `json:"corrections,omitempty"` // small corrections leave what is scheduled scheduled
}

// Field is something that a channel asks besides: the number in a series, a legal line.
type Field struct {
	Key   string `json:"key"`
	Name  string `json:"name"`
	Must  bool   `json:"must,omitempty"`
	Limit int    `json:"limit,omitempty"` // characters at most; 0 is any number
	Kind  string `json:"kind,omitempty"`  // what stands in it: one of the kinds below; none is text
}

// The kinds of fields that are more than text. A channel has one of each at most.
const (
	Recording = "recording" // a file of the piece that is heard: which
	Chapters  = "chapters"  // where its parts begin
	Comment   = "comment"   // what the house says first under the page, which is no part of it
)

// Part is a part of a sheet that a channel may not do without.
type Part struct{ Key, Name, Lacks string }

// Announcements are the texts with which it is said that a piece is out, each for as much room
// as there is.
var Announcements = []Field{{Key: "say-short", Name: "In a line", Limit: 90}, {Key: "say-middle", Name: "In two or three sentences", Limit: 240}, {Key: "say-long", Name: "In a paragraph", Limit: 480}}

// Parts are those parts, in the order of the sheet.
var Parts = []Part{
	{"description", "Description", "it is not described"},
	{"lead", "Lead picture", "it has no lead picture"},
	{"alt", "Words for the lead picture", "the lead picture needs words for who cannot see it"},
	{"tags", "Tags", "it has no tags"},
	{"related", "Related pieces", "no related pieces are chosen"},
	{"next", "Where readers go next", "it is not said where readers go next"},
}

// The most that channels ask.
const (
	MaxLimit  = 2_000
	MaxFields = 20
	MaxText   = 4_000 // characters in a field
	MaxWidths = 4
	MaxPieces = 12 // related pieces, and those where readers go next
)

// Check puts what a channel asks into form, or says in a *relay.Refusal what is wrong.
func (a Asks) Check() (Asks, error) {
	for _, n := range []struct {
		what string
		is   int
	}{{"title", a.Title}, {"description", a.Description}} {
		if n.is < 0 || n.is > MaxLimit {
			return a, bad(n.what, "The limit of the %s lies between 0, for none, and %d characters.", n.what, MaxLimit)
		}
	}
	switch {
	case a.Tags < 0 || a.Tags > 50:
		return a, bad("tags", "Between 0, for any number, and 50 tags.")
	case a.Related < 0 || a.Related > MaxPieces:
		return a, bad("related", "A channel shows up to %d related pieces.", MaxPieces)
	case len(a.Fields) > MaxFields:
		return a, bad("fields", "A channel asks for up to %d things besides.", MaxFields)
	}
	a.Widths = slices.Clone(a.Widths)
	slices.Sort(a.Widths)
	if a.Widths = slices.Compact(a.Widths); len(a.Widths) > MaxWidths || len(a.Widths) > 0 && (a.Widths[0] < 100 || a.Widths[len(a.Widths)-1] > 4000) {
		return a, bad("widths", "Up to %d widths of pictures, of 100 to 4,000 points each, with commas.", MaxWidths)
	}
	seen := map[string]bool{}
	for i := range a.Fields {
		f := &a.Fields[i]
		f.Name = strings.TrimSpace(f.Name)
		switch low := strings.ToLower(f.Name); {
		case f.Name == "" || len([]rune(f.Name)) > 40:
			return a, bad("fields", "Give what it asks besides a name of up to 40 characters.")
		case seen[low]:
			return a, bad("fields", "“%s” is asked for twice.", f.Name)
		case f.Limit < 0 || f.Limit > MaxText:
			return a, bad("fields", "The limit of “%s” lies between 0, for none, and %d characters.", f.Name, MaxText)
		default:
			seen[low] = true
		}
		switch f.Kind {
		case "":
		case Recording, Chapters, Comment:
			if slices.ContainsFunc(a.Fields[:i], func(x Field) bool { return x.Kind == f.Kind }) {
				return a, bad("fields", "There is room for one field of the kind of “%s”.", f.Name)
			}
			f.Key = f.Kind
		default:
			return a, bad("fields", "Choose what stands in “%s”.", f.Name)
		}
		if f.Key == "" {
			f.Key = keyOf(f.Name, a.Fields[:i])
		}
	}
	return a, nil
}

// keyOf makes the key of a field from its name.
func keyOf(name string, others []Field) string {
	base := strings.ReplaceAll(Slug(name), "-", "")
	if base == "" {
		base = "field"
	}
	key := base
	for n := 2; ; n++ {
		taken := false
		for _, f := range others {
			taken = taken || f.Key == key
		}
		if !taken {
			return key
		}
		key = fmt.Sprintf("%s%d", base, n)
	}
}

// Needs reports whether a channel cannot do without a part.
func (a Asks) Needs(part string) bool {
	for _, k := range a.Must {
		if k == part {
			return true
		}
	}
	return false
}

// Sheet is what goes with one piece.
type Sheet struct {
	Title       string
	Description string
	Slug        string // its address on the channel; none is made from its number and title
	Tags        []string
	Lead        bool   // it has a lead picture
	Alt         string // which in words says
	Related     []ref.Piece
	Next        []ref.Piece
	Fields      map[string]string // by key
	Drafted     map[string]bool   // parts that the text writer drafted and nobody has kept
}

// Lack is something that is missing on a sheet, or too long.
type Lack struct{ Part, Text string }

// Lacks says what a channel still wants of a sheet before it goes out.
func (a Asks) Lacks(s Sheet) []Lack {
	var out []Lack
	say := func(part, text string) { out = append(out, Lack{part, text}) }
	long := func(part, what, text string, most int) {
		if n := len([]rune(text)); most > 0 && n > most {
			say(part, fmt.Sprintf("%s has %d characters, %d more than there is room for", what, n, n-most))
		}
	}
	long("title", "the title", s.Title, a.Title)
	long("description", "the description", s.Description, a.Description)
	if n := len(s.Tags); a.Tags > 0 && n > a.Tags {
		say("tags", fmt.Sprintf("it has %s, the channel takes %d", english.Plural(n, "tag"), a.Tags))
	}
	if n := len(s.Related); a.Related > 0 && n > a.Related {
		say("related", fmt.Sprintf("%s are chosen, the channel shows %d", english.Plural(n, "related piece"), a.Related))
	}
	has := map[string]bool{
		"description": strings.TrimSpace(s.Description) != "", "lead": s.Lead, "alt": !s.Lead || strings.TrimSpace(s.Alt) != "", "tags": len(s.Tags) > 0,
		"related": len(s.Related) > 0, "next": len(s.Next) > 0,
	}
	for _, p := range Parts {
		if a.Needs(p.Key) && !has[p.Key] {
			say(p.Key, p.Lacks)
		}
	}
	for _, f := range a.Fields {
		v := strings.TrimSpace(s.Fields[f.Key])
		if f.Must && v == "" {
			say(f.Key, "“"+f.Name+"” is not filled in")
		}
		long(f.Key, "“"+f.Name+"”", v, f.Limit)
	}
	if s.Drafted["description"] {
		say("description", "the description was drafted by a machine, and nobody has kept it")
	}
	if s.Drafted[Chapters] && s.Fields[Chapters] != "" {
		say(Chapters, "the chapters were drafted by a machine, and nobody has kept them")
	}
	return out
}

// Texts gives what lacks say.
func Texts(lacks []Lack) []string {
	out := make([]string, len(lacks))
	for i, l := range lacks {
		out[i] = l.Text
	}
	return out
}

// MaxSlug is how long the address of a page may be.
const MaxSlug = 80

// Slug makes an address of words: small letters, figures and hyphens, as RFC 3986 calls them
// unreserved, nothing else.
func Slug(words string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(words) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		if b.Len() >= MaxSlug {
			break
		}
	}
	return strings.Trim(b.String(), "-")
}

// ReadSlug reads an address that somebody typed, with or without a slash before it; none is
// none. A *relay.Refusal says what an address is made of.
func ReadSlug(typed string) (string, error) {
	s := strings.ToLower(strings.Trim(strings.TrimSpace(typed), "/"))
	for _, r := range s {
		if (r < 'a' || r > 'z') && (r < '0' || r > '9') && r != '-' {
			hint := ""
			if x := Slug(s); x != "" {
				hint = fmt.Sprintf(" “%s” would do.", x)
			}
			return s, bad("slug", "An address is made of the letters a to z, figures and hyphens; “%s” is none of them.%s", string(r), hint)
		}
	}
	switch {
	case len(s) > MaxSlug:
		return s, bad("slug", "The address has %d characters; keep it under %d.", len(s), MaxSlug)
	case s != "" && strings.Trim(s, "-") != s:
		return s, bad("slug", "An address begins and ends with a letter or a figure.")
	}
	return s, nil
}

func bad(field, text string, args ...any) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: fmt.Sprintf(text, args...)}
}
