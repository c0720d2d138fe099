package release

import (
	"net/url"
	"slices"
	"strings"
)

// Announce is where a desk says that pieces are out, and what the links there carry.
type Announce struct {
	Pattern string  `json:"pattern"` // of the parameters, with {place}, {medium}, {campaign} and {piece}
	Places  []Place `json:"places"`
	Again   int     `json:"again,omitempty"` // after how many days pieces are looked at again; 0 is UsualAge
}

// Place is a place where it is said that a piece is out.
type Place struct {
	Name   string `json:"name"`
	Medium string `json:"medium"`
}

// UsualPattern is the pattern of desks that say nothing else: the parameters that programs which
// count visits read.
const UsualPattern = "utm_source={place}&utm_medium={medium}&utm_campaign={campaign}&utm_content={piece}"

// MaxPlaces is how many places a desk announces at.
const MaxPlaces = 20

// Check puts what is said of announcing into form, or says in a *relay.Refusal what is wrong.
func (a Announce) Check() (Announce, error) {
	if a.Pattern = strings.Trim(strings.TrimSpace(a.Pattern), "?&"); a.Pattern == "" {
		a.Pattern = UsualPattern
	}
	if len(a.Pattern) > 500 {
		return a, bad("pattern", "Keep the pattern under 500 characters.")
	}
	for pair := range strings.SplitSeq(a.Pattern, "&") {
		name, value, ok := strings.Cut(pair, "=")
		if !ok || strings.TrimSpace(name) == "" || strings.ContainsAny(name, "{}") {
			return a, bad("pattern", "Write the pattern as name=value, with & between: “%s” is not that.", pair)
		}
		if rest := fill(value, map[string]string{"place": "", "medium": "", "campaign": "", "piece": ""}); strings.ContainsAny(rest, "{}") {
			return a, bad("pattern", "“%s” has something in braces that is not known. There are {place}, {medium}, {campaign} and {piece}.", pair)
		}
	}
	if a.Again < 0 || a.Again > 3650 {
		return a, bad("again", "Between 30 and 3,650 days, or 0 for %d.", UsualAge)
	}
	if a.Again != 0 && a.Again < 30 {
		return a, bad("again", "Pieces are looked at again after 30 days at the earliest.")
	}
	a.Places = slices.Clone(a.Places)
	seen := map[string]bool{}
	for i := range a.Places {
		p := &a.Places[i]
		p.Name, p.Medium = strings.TrimSpace(p.Name), strings.TrimSpace(p.Medium)
		low := strings.ToLower(p.Name)
		switch {
		case p.Name == "" || len([]rune(p.Name)) > 40 || len([]rune(p.Medium)) > 40:
			return a, bad("places", "Give each place a name, and its medium, of up to 40 characters.")
		case seen[low]:
			return a, bad("places", "“%s” is there twice.", p.Name)
		}
		seen[low] = true
	}
	if len(a.Places) > MaxPlaces {
		return a, bad("places", "A desk announces at up to %d places.", MaxPlaces)
	}
	return a, nil
}

// Link gives the address of a page as it stands at a place: with the parameters of the pattern,
// escaped as the query of a URL is (RFC 3986, 3.4), behind what it has already. Names are
// written as addresses write words. An address that is none is given as it is.
func (a Announce) Link(address string, at Place, campaign, piece string) string {
	u, err := url.Parse(address)
	if err != nil {
		return address
	}
	pattern := a.Pattern
	if pattern == "" {
		pattern = UsualPattern
	}
	values := map[string]string{"place": wordsOf(at.Name), "medium": wordsOf(at.Medium), "campaign": wordsOf(campaign), "piece": wordsOf(piece)}
	var out []string
	if u.RawQuery != "" {
		out = append(out, u.RawQuery)
	}
	for pair := range strings.SplitSeq(pattern, "&") {
		name, value, _ := strings.Cut(pair, "=")
		if v := fill(value, values); v != "" { // what is not said is left out
			out = append(out, url.QueryEscape(name)+"="+url.QueryEscape(v))
		}
	}
	u.RawQuery = strings.Join(out, "&")
	return u.String()
}

// wordsOf writes a name as addresses write words; of another script it stays as it is.
func wordsOf(name string) string {
	if s := Slug(name); s != "" {
		return s
	}
	return strings.ToLower(strings.TrimSpace(name))
}

func fill(text string, values map[string]string) string {
	for k, v := range values {
		text = strings.ReplaceAll(text, "{"+k+"}", v)
	}
	return text
}
