package day

import (
	"fmt"
	"sort"

	"github.com/rickar/cal/v2"
	"github.com/rickar/cal/v2/au"
	"github.com/rickar/cal/v2/ca"
	"github.com/rickar/cal/v2/de"
	"github.com/rickar/cal/v2/es"
	"github.com/rickar/cal/v2/fr"
	"github.com/rickar/cal/v2/gb"
	"github.com/rickar/cal/v2/ie"
	"github.com/rickar/cal/v2/it"
	"github.com/rickar/cal/v2/nl"
	"github.com/rickar/cal/v2/nz"
	"github.com/rickar/cal/v2/us"
)

// Holiday is one public holiday as it is observed.
type Holiday struct {
	Date Date
	Name string
}

// Country is a country whose public holidays are known.
type Country struct{ Code, Name string }

var countries = map[string]struct {
	name string
	days []*cal.Holiday
}{
	"au": {"Australia", au.HolidaysNSW},
	"ca": {"Canada", ca.Holidays},
	"de": {"Germany", de.Holidays},
	"es": {"Spain", es.Holidays},
	"fr": {"France", fr.Holidays},
	"gb": {"England and Wales", gb.Holidays},
	"ie": {"Ireland", ie.Holidays},
	"it": {"Italy", it.Holidays},
	"nl": {"Netherlands", nl.Holidays},
	"nz": {"New Zealand", nz.Holidays},
	"us": {"United States", us.Holidays},
}

// Countries lists the countries whose holidays are known, by name.
func Countries() []Country {
	var out []Country
	for code, c := range countries {
		out = append(out, Country{code, c.name})
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}

// Holidays gives the public holidays of a country (ISO 3166 code in lower case)
// from one year to another, both included, on the days they are observed, in
// order. An empty code has none. The rules are those of the cal library.
func Holidays(code string, from, to int) ([]Holiday, error) {
	if code == "" {
		return nil, nil
	}
	c, ok := countries[code]
	if !ok {
		return nil, fmt.Errorf("the holidays of %q are not known; choose another country or none and list the days by hand", code)
	}
	var out []Holiday
	for year := from; year <= to; year++ {
		for _, h := range c.days {
			if _, observed := h.Calc(year); !observed.IsZero() {
				out = append(out, Holiday{NewDate(observed.Date()), h.Name})
			}
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Date < out[j].Date })
	return out, nil
}
