package change

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type daysOffView struct {
	ID             ref.Person
	Own            bool
	Name           string
	Answer         string
	Read           bool // a calendar was read
	Spans          []spanRow
	Left           string // what of it was left out
	Address        string
	Problem, Field string
}

type spanRow struct {
	Value, Says, Title, Why string
	On, Known               bool
}

// whoseDays finds somebody whose days off whoever asks may enter.
func (s *Section) whoseDays(c *echo.Context) (*newsroom.Setup, store.Person, error) {
	id, err := kit.ID[ref.Person](c)
	if err != nil {
		return nil, store.Person{}, err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return nil, store.Person{}, err
	}
	p := b.Person(id)
	if p.ID == 0 || p.Retired || p.Guest {
		return nil, p, newsroom.ErrNotFound
	}
	return b, p, planning.MayTakeOff(b, kit.Me(c).ID, id)
}

func (s *Section) daysOff(c *echo.Context) error {
	_, p, err := s.whoseDays(c)
	if err != nil {
		return err
	}
	return s.Show(c, http.StatusOK, "daysoff", "Days off from a calendar", newDaysOff(c, p))
}

func newDaysOff(c *echo.Context, p store.Person) daysOffView {
	v := daysOffView{ID: p.ID, Own: p.ID == kit.Me(c).ID, Name: newsroom.First(p.Name)}
	v.Answer = "Take a file from the calendar, or give its address. Nothing is entered before you have seen what it comes to."
	return v
}

// mostCalendar is how large a calendar is at most, in bytes.
const mostCalendar = 4 << 20

// readDaysOff reads a calendar and shows what of it would be days off.
func (s *Section) readDaysOff(c *echo.Context) error {
	b, p, err := s.whoseDays(c)
	if err != nil {
		return err
	}
	v := newDaysOff(c, p)
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	v.Address = strings.TrimSpace(form.Get("address"))
	refuse := func(field, problem string) error {
		v.Problem, v.Field = problem, field
		return s.Show(c, http.StatusUnprocessableEntity, "daysoff", "Days off from a calendar", v)
	}
	_, data, err := kit.SentFile(c, "file", mostCalendar+1)
	if err != nil {
		return err
	}
	field := "file"
	if data == nil {
		if v.Address == "" {
			return refuse("file", "Choose a file that a calendar program exported (.ics), or give the address of a calendar.")
		}
		field = "address"
		if data, err = s.fetched(c.Request().Context(), v.Address); err != nil {
			return refuse(field, "The calendar could not be fetched: "+err.Error()+". Look at the address, or take a file.")
		}
	}
	ctx, stop := context.WithTimeout(c.Request().Context(), 5*time.Second)
	defer stop()
	zone := time.UTC
	if len(p.Desks) > 0 {
		zone = b.Zones[p.Desks[0]]
	}
	today := s.Newsroom.Now().Date(zone)
	all, left, err := format.ReadDaysOff(ctx, data, zone, today, today+366)
	if err != nil {
		return refuse(field, err.Error())
	}
	v.Read = true
	for _, x := range all {
		v.Spans = append(v.Spans, newSpan(b, p.ID, x, today))
	}
	on := 0
	for _, x := range v.Spans {
		on += newsroom.Count(x.On)
	}
	v.Answer = english.UpperFirst(english.Counted(len(all), "absence")) + english.Verb(len(all), " lies", " lie") + " in the coming year."
	if on < len(all) {
		v.Answer += " " + english.UpperFirst(english.CountOf(on)) + english.Verb(on, " is", " are") + " ticked: the others are entered already, or leave the calendar free."
	}
	if left > 0 {
		v.Left = english.UpperFirst(english.Counted(left, "event")) + english.Verb(left, " does", " do") + " not last a whole day, and " + english.Verb(left, "was", "were") + " left out."
	}
	return s.Show(c, http.StatusOK, "daysoff", "Days off from a calendar", v)
}

// fetched gets a calendar from an address; webcal is what programs write for one to subscribe to.
func (s *Section) fetched(ctx context.Context, address string) ([]byte, error) {
	if rest, ok := strings.CutPrefix(address, "webcal://"); ok {
		address = "https://" + rest
	}
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || len(address) > 2000 {
		return nil, errors.New("it is no address, which begins with https://")
	}
	if s.Web == nil {
		return nil, errors.New("nothing can be reached from here")
	}
	ctx, stop := context.WithTimeout(ctx, 15*time.Second)
	defer stop()
	return s.Web.Fetch(ctx, address, mostCalendar)
}

func newSpan(b *newsroom.Setup, who ref.Person, x format.DaysOff, today day.Date) spanRow {
	from := max(x.From, today)
	r := spanRow{Value: from.String() + " " + x.To.String() + " " + x.Title, Title: x.Title, Says: english.Date(from), On: !x.Free}
	if x.To > from {
		r.Says += " to " + english.Date(x.To)
	}
	if x.Free {
		r.Why = "leaves the calendar free"
	}
	if slices.ContainsFunc(b.Absences, func(a store.Absence) bool { return a.PersonID == who && a.FromDay <= from && a.ToDay >= x.To }) {
		r.On, r.Known, r.Why = false, true, "entered already"
	}
	return r
}

// spansOf reads the days off that were ticked.
func spansOf(form url.Values) ([]plan.Change, error) {
	var out []plan.Change
	for _, v := range form["span"] {
		from, rest, _ := strings.Cut(v, " ")
		to, note, _ := strings.Cut(rest, " ")
		one, err := awayOf(url.Values{"person": {form.Get("person")}, "from": {from}, "to": {to}, "note": {note}})
		if err != nil {
			return nil, err
		}
		out = append(out, one...)
	}
	if len(out) == 0 {
		return nil, &relay.Refusal{Reason: relay.ErrInput, Text: "Tick at least one absence. Go back and choose."}
	}
	return out, nil
}
