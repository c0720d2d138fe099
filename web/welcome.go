package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom/setup"
)

type welcomeView struct {
	Form           url.Values
	Countries      []day.Country
	Zones          []string
	Weekdays       []weekday
	Legs           []legField
	Problem, Field string
}

type weekday struct {
	Name, Value string
	Works       bool
	index       int
}

// weekdays gives the days of the week, Monday first, with those that are ticked.
func weekdays(ticked []string) []weekday {
	var out []weekday
	for k := range 7 {
		i := (k + 1) % 7
		v := strconv.Itoa(i)
		out = append(out, weekday{[...]string{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"}[i], v, slices.Contains(ticked, v), i})
	}
	return out
}

type legField struct{ Name, Days string }

// zones are offered for the time zone; any other can be typed.
var zones = []string{
	"Europe/London", "Europe/Dublin", "Europe/Amsterdam", "Europe/Berlin", "Europe/Lisbon", "Europe/Madrid", "Europe/Paris", "Europe/Rome", "Europe/Vienna", "Europe/Zurich",
	"America/Chicago", "America/Denver", "America/Los_Angeles", "America/New_York", "America/Toronto", "Asia/Kolkata", "Asia/Singapore", "Asia/Tokyo", "Australia/Sydney", "Pacific/Auckland", "UTC",
}

// welcomePage walks the first lead of an empty house through setting it up.
func (s *Server) welcomePage(c *echo.Context) error {
	form := url.Values{"zone": {"Europe/London"}, "country": {"gb"}, "channel": {"Web"}, "at": {"08:00"}, "format": {"Feature"}, "weekday": {"1", "2", "3", "4", "5"}}
	for i, l := range setup.FirstRoute() {
		form.Set(fmt.Sprintf("leg-%d", i), l.Name)
		form.Set(fmt.Sprintf("days-%d", i), strconv.Itoa(l.Allowance))
	}
	return s.showWelcome(c, http.StatusOK, form, nil)
}

func (s *Server) showWelcome(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	empty, err := s.Newsroom.Settings.Empty(c.Request().Context())
	if err != nil {
		return err
	}
	if !empty {
		return c.Redirect(http.StatusSeeOther, "/signin")
	}
	v := welcomeView{Form: form, Countries: day.Countries(), Zones: zones, Weekdays: weekdays(form["weekday"])}
	for i := range maxFirstLegs {
		v.Legs = append(v.Legs, legField{form.Get(fmt.Sprintf("leg-%d", i)), form.Get(fmt.Sprintf("days-%d", i))})
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.show(c, status, "welcome", "Set up your newsroom", v)
}

// maxFirstLegs is how many legs the first format can be given at once.
const maxFirstLegs = 7

func (s *Server) welcome(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	f, err := firstHouse(form)
	if err == nil {
		_, err = s.Newsroom.Settings.SetUp(c.Request().Context(), f)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.showWelcome(c, statusOf(refusal), form, refusal)
	} else if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	for _, p := range b.People {
		if p.Mail == strings.ToLower(f.Mail) {
			return s.enter(c, p)
		}
	}
	return c.Redirect(http.StatusSeeOther, "/signin")
}

func firstHouse(form url.Values) (setup.FirstHouse, error) {
	f := setup.FirstHouse{
		Name: form.Get("name"), Mail: strings.TrimSpace(form.Get("mail")), Password: form.Get("password"), Desk: form.Get("desk"),
		Zone: strings.TrimSpace(form.Get("zone")), Country: form.Get("country"), Channel: form.Get("channel"), Format: form.Get("format"),
	}
	var err error
	if f.At, err = day.Minutes(form.Get("at")); err != nil {
		return f, &relay.Refusal{Reason: relay.ErrInput, Field: "at", Text: "Write the time like 08:00."}
	}
	for _, w := range weekdays(form["weekday"]) {
		f.Weekdays[w.index] = w.Works
	}
	before := ""
	for i := range maxFirstLegs {
		name := strings.TrimSpace(form.Get(fmt.Sprintf("leg-%d", i)))
		if name == "" {
			continue
		}
		days, err := whole(form, fmt.Sprintf("days-%d", i), "legs", "the days for "+name, 1)
		if err != nil {
			return f, err
		}
		l := route.Leg{Key: fmt.Sprintf("leg%d", i+1), Name: name, Role: setup.FirstLead, Allowance: days, Least: min(1, max(days, 0)), Effort: 60 * min(max(days, 1), 100)}
		if before != "" {
			l.After = []string{before}
		}
		before = l.Key
		f.Legs = append(f.Legs, l)
	}
	return f, nil
}
