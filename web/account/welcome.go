package account

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom/setup"
	"greenbaton/web/kit"
)

type welcomeView struct {
	Form           url.Values
	Countries      []day.Country
	Zones          []string
	Weekdays       []kit.Weekday
	Legs           []legField
	Problem, Field string
}

type legField struct{ Name, Days string }

// welcomePage walks the first lead of an empty house through setting it up.
func (s *Section) welcomePage(c *echo.Context) error {
	form := url.Values{"zone": {"Europe/London"}, "country": {"gb"}, "channel": {"Web"}, "at": {"08:00"}, "format": {"Feature"}, "weekday": {"1", "2", "3", "4", "5"}}
	for i, l := range setup.FirstRoute() {
		form.Set(fmt.Sprintf("leg-%d", i), l.Name)
		form.Set(fmt.Sprintf("days-%d", i), strconv.Itoa(l.Allowance))
	}
	return s.showWelcome(c, http.StatusOK, form, nil)
}

func (s *Section) showWelcome(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	empty, err := s.Settings.Empty(c.Request().Context())
	if err != nil {
		return err
	}
	if !empty {
		return c.Redirect(http.StatusSeeOther, "/signin")
	}
	v := welcomeView{Form: form, Countries: day.Countries(), Zones: kit.Zones, Weekdays: kit.Weekdays(form["weekday"])}
	for i := range maxFirstLegs {
		v.Legs = append(v.Legs, legField{form.Get(fmt.Sprintf("leg-%d", i)), form.Get(fmt.Sprintf("days-%d", i))})
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "welcome", "Set up your newsroom", v)
}

// maxFirstLegs is how many legs the first format can be given at once.
const maxFirstLegs = 7

func (s *Section) welcome(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	f, err := firstHouse(form)
	if err == nil {
		_, err = s.Settings.SetUp(c.Request().Context(), f)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.showWelcome(c, kit.StatusOf(refusal), form, refusal)
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
	for _, w := range kit.Weekdays(form["weekday"]) {
		f.Weekdays[w.Index] = w.Works
	}
	before := ""
	for i := range maxFirstLegs {
		name := strings.TrimSpace(form.Get(fmt.Sprintf("leg-%d", i)))
		if name == "" {
			continue
		}
		days, err := kit.Whole(form, fmt.Sprintf("days-%d", i), "legs", "the days for "+name, 1)
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
