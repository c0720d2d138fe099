package bring

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"greenbaton/core/day"
)

// Order is in which order day, month and year stand in dates of figures.
type Order string

// The orders.
const (
	DayFirst   Order = "dmy"
	MonthFirst Order = "mdy"
	YearFirst  Order = "ymd"
)

// Orders lists the orders with an example of each.
var Orders = []struct {
	Order Order
	Name  string
}{{DayFirst, "day, month, year"}, {MonthFirst, "month, day, year"}, {YearFirst, "year, month, day"}}

var (
	figures  = regexp.MustCompile(`^(\d{1,4})\s?[./\-]\s?(\d{1,2})\s?[./\-]\s?(\d{1,4})\.?(?:[T ,]+\d{1,2}:\d{2}.*)?$`)
	basic    = regexp.MustCompile(`^(\d{4})(\d{2})(\d{2})$`)
	named    = regexp.MustCompile(`^(?:[A-Za-z]{2,9}\.?,?\s+)?(\d{1,2})(?:st|nd|rd|th)?\.?[\s\-/]+(?:of\s+)?([A-Za-z]{3,9})\.?,?[\s\-/]+(\d{4}|\d{2})$`)
	american = regexp.MustCompile(`^(?:[A-Za-z]{2,9}\.?,?\s+)?([A-Za-z]{3,9})\.?\s+(\d{1,2})(?:st|nd|rd|th)?,?\s+(\d{4}|\d{2})$`)
	week     = regexp.MustCompile(`^(\d{4})-?W(\d{2})-?([1-7])$`)
	ordinal  = regexp.MustCompile(`^(\d{4})-(\d{3})$`)
)

var months = []string{"jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"}

// Date reads a date: the forms of ISO 8601 for a calendar date, a week date and an
// ordinal date, basic and extended; dates with a named month in English; dates of
// figures in the order given; and the serial numbers in which spreadsheets store them.
// A year of two figures is of this century. Years before 1970 and after 2199 are none.
func Date(s string, o Order) (day.Date, error) {
	s = strings.Join(strings.Fields(s), " ")
	d, err := date(s, o)
	if err == nil && (d.Year() < 1970 || d.Year() > 2199 || d == 0) {
		err = notADate(s)
	}
	if err != nil {
		return 0, err
	}
	return d, nil
}

func date(s string, o Order) (day.Date, error) {
	if m := figures.FindStringSubmatch(s); m != nil {
		x, y, z := m[1], m[2], m[3]
		switch {
		case len(x) == 4:
			return calendar(x, y, z, s)
		case len(x) == 3 || len(z) == 3:
		case o == MonthFirst:
			return calendar(z, x, y, s)
		case o == YearFirst && len(z) == 4:
		case o == YearFirst:
			return calendar(x, y, z, s)
		default:
			return calendar(z, y, x, s)
		}
	}
	if m := basic.FindStringSubmatch(s); m != nil {
		return calendar(m[1], m[2], m[3], s)
	}
	if m := named.FindStringSubmatch(s); m != nil {
		return calendar(m[3], monthOf(m[2]), m[1], s)
	}
	if m := american.FindStringSubmatch(s); m != nil {
		return calendar(m[3], monthOf(m[1]), m[2], s)
	}
	if m := week.FindStringSubmatch(s); m != nil {
		return weekDate(atoi(m[1]), atoi(m[2]), atoi(m[3]), s)
	}
	if m := ordinal.FindStringSubmatch(s); m != nil {
		d := day.NewDate(atoi(m[1]), time.January, 1) + day.Date(atoi(m[2])-1)
		if atoi(m[2]) > 0 && d.Year() == atoi(m[1]) {
			return d, nil
		}
		return 0, notADate(s)
	}
	if f, err := strconv.ParseFloat(s, 64); err == nil && f >= firstSerial && f < lastSerial {
		return Serial(f), nil
	}
	return 0, notADate(s)
}

// Serial numbers from 1 January 1970 to the end of 2199 are taken for dates.
const firstSerial, lastSerial = 25569, 109575

// Serial gives the date of a serial number of a spreadsheet, which counts days from
// 30 December 1899 (ECMA-376 part 1, 18.17.4.1, from 1 March 1900 on).
func Serial(f float64) day.Date { return day.Date(int(f) - firstSerial) }

func notADate(s string) error { return fmt.Errorf("“%s” is not a date", s) }

func atoi(s string) int { n, _ := strconv.Atoi(s); return n } // only of figures that matched

func monthOf(name string) string {
	if len(name) < 3 {
		return ""
	}
	i := slices.Index(months, strings.ToLower(name[:3]))
	if i < 0 || !strings.HasPrefix(strings.ToLower(time.Month(i+1).String()), strings.ToLower(name)) && strings.ToLower(name) != "sept" {
		return ""
	}
	return strconv.Itoa(i + 1)
}

func calendar(y, m, d, s string) (day.Date, error) {
	year, month, dom := atoi(y), atoi(m), atoi(d)
	if len(y) <= 2 {
		year += 2000
	}
	out := day.NewDate(year, time.Month(month), dom)
	if yy, mm, dd := out.Year(), out.Format("1"), out.Format("2"); yy != year || mm != strconv.Itoa(month) || dd != strconv.Itoa(dom) {
		return 0, notADate(s)
	}
	return out, nil
}

// weekDate gives a date by ISO 8601's weeks, of which the first has the year's 4 January.
func weekDate(year, week, weekday int, s string) (day.Date, error) {
	d := day.NewDate(year, time.January, 4).Monday() + day.Date(7*(week-1)+weekday-1)
	if y, w := d.Week(); y != year || w != week {
		return 0, notADate(s)
	}
	return d, nil
}

// Reads gives the orders in which the most of some dates can be read, and whether they
// differ on one of them: then somebody has to say which is meant. It gives none when
// nothing of it is a date.
func Reads(dates []string) (orders []Order, differ bool) {
	read := map[Order]int{}
	got := map[Order]map[int]day.Date{}
	most := 0
	for _, o := range Orders {
		got[o.Order] = map[int]day.Date{}
		for i, s := range dates {
			if d, err := Date(s, o.Order); err == nil && s != "" {
				got[o.Order][i] = d
				read[o.Order]++
			}
		}
		most = max(most, read[o.Order])
	}
	if most == 0 {
		return nil, false
	}
	for _, o := range Orders {
		if read[o.Order] == most {
			orders = append(orders, o.Order)
		}
	}
	for _, o := range orders[1:] {
		for i, d := range got[o] {
			differ = differ || got[orders[0]][i] != d
		}
	}
	return orders, differ
}

// Moment reads a time that says its offset from UTC, as RFC 3339 has it.
func Moment(s string) (day.Moment, bool) {
	t, err := time.Parse(time.RFC3339, strings.TrimSpace(s))
	return day.MomentOf(t), err == nil
}
