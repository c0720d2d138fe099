package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/setup"
	"greenbaton/store"
)

type personView struct {
	Person   store.Person
	New      bool
	Form     url.Values
	Desks    []choiceOfDesk
	Hours    []hoursField
	Access   []option
	Roles    []string
	Away     []absenceView
	Problem  string
	Field    string
	Password string    // told once
	Left     []leftLeg // legs of somebody whose access is ended
	Others   []store.Person
	Answer   string
}

type choiceOfDesk struct {
	store.Desk
	Is bool
}

type hoursField struct{ Name, Day, Value string }

type absenceView struct {
	store.Absence
	Says string
	Past bool
	For  string // who stands in
}

// leftLeg is an unfinished leg of somebody.
type leftLeg struct {
	Piece            int64
	Key, Title, Says string
}

var accesses = []option{
	{string(relay.Lead), "Lead: plans, sets up, sees everything"}, {string(relay.Staff), "Staff: sees everything, moves their own legs and pieces"},
	{string(relay.Freelance), "Freelance: sees open legs and their own work"}, {string(relay.Outside), "Outside: sees only what was sent to them"},
}

// personOf finds the person of an address on the desk that is looked at; "new" is nobody.
func (s *Server) personOf(c *echo.Context, b *newsroom.Setup) (store.Person, error) {
	if c.Param("id") == "new" {
		return store.Person{Access: relay.Staff, Desks: []int64{here(c)}, Hours: setup.HoursText([7]int{0, 420, 420, 420, 420, 420, 0})}, nil
	}
	id, err := pieceID(c)
	p := b.Person(id)
	if err != nil || p.ID == 0 || !slices.Contains(p.Desks, here(c)) {
		return p, newsroom.ErrNotFound
	}
	return p, nil
}

func (s *Server) personPage(c *echo.Context) error { return s.showPerson(c, http.StatusOK, nil, nil) }

func (s *Server) showPerson(c *echo.Context, status int, refusal *relay.Refusal, form url.Values) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	p, err := s.personOf(c, b)
	if err != nil {
		return err
	}
	today := s.Newsroom.Now().Date(b.Zones[here(c)])
	v := personView{Person: p, New: p.ID == 0, Access: accesses, Roles: b.RolesOf(here(c))}
	if form == nil || !form.Has("access") { // what was typed into the form of days off stands beside what is stored
		stored := formOfPerson(p)
		for k, x := range form {
			stored[k] = x
		}
		form = stored
	}
	v.Form = form
	for _, d := range b.DesksOf(me(c).ID) {
		v.Desks = append(v.Desks, choiceOfDesk{d, slices.Contains(form["desk"], fmt.Sprint(d.ID))})
	}
	for k := range 7 {
		i := (k + 1) % 7
		name := fmt.Sprintf("hours-%d", i)
		v.Hours = append(v.Hours, hoursField{name, [...]string{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"}[i], form.Get(name)})
	}
	for _, a := range b.Absences {
		if a.PersonID == p.ID && p.ID != 0 {
			x := absenceView{a, away(a), a.ToDay < today, ""}
			if a.StandIn != 0 {
				x.For = b.Name(a.StandIn)
			}
			v.Away = append(v.Away, x)
		}
	}
	slices.Reverse(v.Away)
	v.Others = slices.DeleteFunc(b.OnDesk(here(c)), func(x store.Person) bool { return x.ID == p.ID })
	if p.BarredAt != 0 {
		held, err := s.Newsroom.Account.LeftWith(c.Request().Context(), me(c).ID, here(c), p.ID)
		if err != nil {
			return err
		}
		for _, x := range held {
			says := x.Leg.Name + ", comes to them later"
			if x.Leg.State == relay.Running {
				says = x.Leg.Name + ", with them now"
			}
			if x.Leg.Due != 0 {
				says += ", due " + newsroom.Short(x.Leg.Due)
			}
			v.Left = append(v.Left, leftLeg{x.Piece.ID, x.Leg.Key, x.Piece.Title, says})
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	if v.Answer, err = s.sayPerson(c, b, p); err != nil {
		return err
	}
	v.Password = s.sessions.PopString(c.Request().Context(), "password")
	title := "New person"
	if !v.New {
		title = p.Name
	}
	return s.show(c, status, "person", title, v)
}

// sayPerson says in a sentence what somebody works, and what they have to do.
func (s *Server) sayPerson(c *echo.Context, b *newsroom.Setup, p store.Person) (string, error) {
	if p.ID == 0 {
		return "They can be given legs of the roles they run, within the hours they work.", nil
	}
	_, board, err := s.Newsroom.Board(c.Request().Context())
	if err != nil {
		return "", err
	}
	legs, minutes := 0, 0
	for _, w := range board.Works(map[int64]bool{p.ID: true}) {
		if w.Person == p.ID {
			legs, minutes = legs+1, minutes+w.Minutes
		}
	}
	if p.Retired {
		return "Retired: kept for the past, and no longer offered.", nil
	}
	if legs == 0 {
		return fmt.Sprintf("Works %s, and has nothing to do just now.", hoursOfWeek(p.Minutes())), nil
	}
	return fmt.Sprintf("Works %s, and has %s of work in %s.", hoursOfWeek(p.Minutes()), newsroom.Hours(minutes), newsroom.Plural(legs, "leg")), nil
}

func formOfPerson(p store.Person) url.Values {
	form := url.Values{
		"name": {p.Name}, "initials": {p.Initials}, "mail": {p.Mail}, "does": {p.Does}, "access": {string(p.Access)}, "roles": {strings.Join(p.Roles, ", ")},
	}
	for i, m := range p.Minutes() {
		form.Set(fmt.Sprintf("hours-%d", i), hoursText(m))
	}
	for _, d := range p.Desks {
		form.Add("desk", fmt.Sprint(d))
	}
	if p.Retired {
		form.Set("retired", "yes")
	}
	return form
}

// readPerson reads somebody from their form; desks of others stay as they are.
func readPerson(form url.Values, p store.Person, mine []int64) (store.Person, error) {
	p.Name, p.Initials, p.Mail, p.Does = form.Get("name"), form.Get("initials"), form.Get("mail"), form.Get("does")
	p.Access, p.Retired = relay.Access(form.Get("access")), form.Get("retired") == "yes"
	p.Roles = strings.Split(form.Get("roles"), ",")
	p.Desks = slices.DeleteFunc(slices.Clone(p.Desks), func(d int64) bool { return slices.Contains(mine, d) })
	for _, d := range form["desk"] {
		if id := int64At(url.Values{"d": {d}}, "d"); slices.Contains(mine, id) {
			p.Desks = append(p.Desks, id)
		}
	}
	slices.Sort(p.Desks)
	var minutes [7]int
	for i := range minutes {
		m, err := hoursTyped(form.Get(fmt.Sprintf("hours-%d", i)))
		if err != nil {
			return p, noFigure(err, "hours", "Write the hours of each day like 6 or 7.5; a day that is not worked is 0.")
		}
		minutes[i] = m
	}
	p.Hours = setup.HoursText(minutes)
	return p, nil
}

// savePerson stores somebody, retires them, or adds them.
func (s *Server) savePerson(c *echo.Context) error {
	ctx := c.Request().Context()
	return setUp(s, c, s.personOf, func(_ *newsroom.Setup, was store.Person, form url.Values) (string, error) {
		p, err := readPerson(form, was, me(c).Desks)
		if err != nil {
			return "", err
		}
		id, password, err := s.Newsroom.Settings.SavePerson(ctx, me(c).ID, here(c), p)
		if err != nil {
			return "", err
		}
		s.say(c, "Saved.")
		if password != "" {
			s.sessions.Put(ctx, "password", password)
			s.say(c, "%s is added.", strings.TrimSpace(p.Name))
		}
		if !slices.Contains(p.Desks, here(c)) {
			return "/desk", nil
		}
		return fmt.Sprintf("/people/%d", id), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showPerson(c, status, r, typed) })
}

// newPassword gives somebody another password, which is shown once.
func (s *Server) newPassword(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	password, err := s.Newsroom.Settings.NewPassword(ctx, me(c).ID, here(c), id)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason == relay.ErrInput {
		return s.showPerson(c, statusOf(refusal), refusal, nil)
	} else if err != nil {
		return err
	}
	if id == me(c).ID { // their own sessions ended with it; this one goes on
		b, err := s.Newsroom.Setup(ctx)
		if err != nil {
			return err
		}
		s.sessions.Put(ctx, "sessions", b.Person(id).Sessions)
	}
	s.sessions.Put(ctx, "password", password)
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/people/%d", id))
}

// dropAbsence takes days off back.
func (s *Server) dropAbsence(c *echo.Context) error {
	return setUp(s, c, s.personOf, func(_ *newsroom.Setup, p store.Person, form url.Values) (string, error) {
		if err := s.Newsroom.Settings.DropAbsence(c.Request().Context(), me(c).ID, here(c), int64At(form, "absence")); err != nil {
			return "", err
		}
		s.say(c, "The days off are taken back; how every piece stands is worked out anew.")
		return fmt.Sprintf("/people/%d", p.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showPerson(c, status, r, typed) })
}
