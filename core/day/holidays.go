package day

import (
	"cmp"
	"fmt"
	"slices"

	"github.com/rickar/cal/v2"
	"github.com/rickar/cal/v2/ar"
	"github.com/rickar/cal/v2/at"
	"github.com/rickar/cal/v2/au"
	"github.com/rickar/cal/v2/be"
	"github.com/rickar/cal/v2/bg"
	"github.com/rickar/cal/v2/br"
	"github.com/rickar/cal/v2/ca"
	"github.com/rickar/cal/v2/ch"
	"github.com/rickar/cal/v2/cz"
	"github.com/rickar/cal/v2/de"
	"github.com/rickar/cal/v2/dk"
	"github.com/rickar/cal/v2/es"
	"github.com/rickar/cal/v2/fr"
	"github.com/rickar/cal/v2/gb"
	"github.com/rickar/cal/v2/gr"
	"github.com/rickar/cal/v2/hr"
	"github.com/rickar/cal/v2/ie"
	"github.com/rickar/cal/v2/it"
	"github.com/rickar/cal/v2/jp"
	"github.com/rickar/cal/v2/lt"
	"github.com/rickar/cal/v2/lv"
	"github.com/rickar/cal/v2/mw"
	"github.com/rickar/cal/v2/nl"
	"github.com/rickar/cal/v2/no"
	"github.com/rickar/cal/v2/nz"
	"github.com/rickar/cal/v2/pl"
	"github.com/rickar/cal/v2/ro"
	"github.com/rickar/cal/v2/se"
	"github.com/rickar/cal/v2/si"
	"github.com/rickar/cal/v2/sk"
	"github.com/rickar/cal/v2/ua"
	"github.com/rickar/cal/v2/us"
	"github.com/rickar/cal/v2/za"
)

// Holiday is one day off.
type Holiday struct {
	Date Date
	Name string
}

// Country is a country, or a part of one, whose public holidays are known.
type Country struct{ Code, Name string }

// Everywhere here the weekend is Saturday and Sunday; which days a desk works is its own.
var countries = map[string]struct {
	name string
	days []*cal.Holiday
}{
	"ar":     {"Argentina", ar.Holidays},
	"at":     {"Austria", at.Holidays},
	"au":     {"Australia: New South Wales", au.HolidaysNSW},
	"au-act": {"Australia: Australian Capital Territory", au.HolidaysACT},
	"au-nt":  {"Australia: Northern Territory", au.HolidaysNT},
	"au-qld": {"Australia: Queensland", au.HolidaysQLD},
	"au-sa":  {"Australia: South Australia", au.HolidaysSA},
	"au-tas": {"Australia: Tasmania", au.HolidaysTAS},
	"au-vic": {"Australia: Victoria", au.HolidaysVIC},
	"au-wa":  {"Australia: Western Australia", au.HolidaysWA},
	"be":     {"Belgium", be.Holidays},
	"bg":     {"Bulgaria", bg.Holidays},
	"br":     {"Brazil", br.Holidays},
	"ca":     {"Canada", ca.Holidays},
	"ch":     {"Switzerland", ch.Holidays},
	"cz":     {"Czechia", cz.Holidays},
	"de":     {"Germany, all of it", de.Holidays},
	"de-bb":  {"Germany: Brandenburg", de.HolidaysBB},
	"de-be":  {"Germany: Berlin", de.HolidaysBE},
	"de-bw":  {"Germany: Baden-Württemberg", de.HolidaysBW},
	"de-by":  {"Germany: Bavaria", de.HolidaysBY},
	"de-hb":  {"Germany: Bremen", de.HolidaysHB},
	"de-he":  {"Germany: Hesse", de.HolidaysHE},
	"de-hh":  {"Germany: Hamburg", de.HolidaysHH},
	"de-mv":  {"Germany: Mecklenburg-Vorpommern", de.HolidaysMV},
	"de-ni":  {"Germany: Lower Saxony", de.HolidaysNI},
	"de-nw":  {"Germany: North Rhine-Westphalia", de.HolidaysNW},
	"de-rp":  {"Germany: Rhineland-Palatinate", de.HolidaysRP},
	"de-sh":  {"Germany: Schleswig-Holstein", de.HolidaysSH},
	"de-sl":  {"Germany: Saarland", de.HolidaysSL},
	"de-sn":  {"Germany: Saxony", de.HolidaysSN},
	"de-st":  {"Germany: Saxony-Anhalt", de.HolidaysST},
	"de-th":  {"Germany: Thuringia", de.HolidaysTH},
	"dk":     {"Denmark", dk.Holidays},
	"es":     {"Spain", es.Holidays},
	"fr":     {"France", fr.Holidays},
	"gb":     {"England and Wales", gb.Holidays},
	"gr":     {"Greece", gr.Holidays},
	"hr":     {"Croatia", hr.Holidays},
	"ie":     {"Ireland", ie.Holidays},
	"it":     {"Italy", it.Holidays},
	"jp":     {"Japan", jp.Holidays},
	"lt":     {"Lithuania", lt.Holidays},
	"lv":     {"Latvia", lv.Holidays},
	"mw":     {"Malawi", mw.Holidays},
	"nl":     {"Netherlands", nl.Holidays},
	"no":     {"Norway", no.Holidays},
	"nz":     {"New Zealand", nz.Holidays},
	"pl":     {"Poland", pl.Holidays},
	"ro":     {"Romania", ro.Holidays},
	"se":     {"Sweden", se.Holidays},
	"si":     {"Slovenia", si.Holidays},
	"sk":     {"Slovakia", sk.Holidays},
	"ua":     {"Ukraine", ua.Holidays},
	"us":     {"United States", us.Holidays},
	"za":     {"South Africa", za.Holidays},
}

// Countries lists the countries whose holidays are known, by name.
func Countries() []Country {
	var out []Country
	for code, c := range countries {
		out = append(out, Country{code, c.name})
	}
	slices.SortFunc(out, func(a, b Country) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

// Holidays gives the days off of a country (ISO 3166 code in lower case, with that of a
// part behind a hyphen) from one year to another, both included, in order: each public
// holiday on its day and, where the law gives another for one on a weekend, on the day in
// lieu. Whoever works on weekends has both off. An empty code has none. The rules are
// those of the cal library.
func Holidays(code string, from, to int) ([]Holiday, error) {
	if code == "" {
		return nil, nil
	}
	c, ok := countries[code]
	if !ok {
		return nil, fmt.Errorf("the holidays of %q are not known; choose another country or none and list the days by hand", code)
	}
	first, last := NewDate(from, 1, 1), NewDate(to, 12, 31)
	var out []Holiday
	add := func(d Date, name string) {
		if first <= d && d <= last {
			out = append(out, Holiday{d, name})
		}
	}
	for year := from - 1; year <= to+1; year++ { // that of New Year may lie in the year before
		for _, h := range c.days {
			actual, observed := h.Calc(year)
			if actual.IsZero() {
				continue
			}
			on, lieu := NewDate(actual.Date()), NewDate(observed.Date())
			add(on, h.Name)
			if lieu != on {
				add(lieu, h.Name+", day in lieu")
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Holiday) int { return cmp.Compare(a.Date, b.Date) })
	return out, nil
}
