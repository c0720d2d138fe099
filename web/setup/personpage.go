package setup

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/setup"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type personView struct {
	Person   store.Person
	New      bool
	Form     url.Values
	Desks    []choiceOfDesk
	Hours    []hoursField
	Duties   []dutyView
	Access   []kit.Option
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

type dutyView struct {
	Key, Says string
	Is        bool
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
	Piece            ref.Piece
	Key, Title, Says string
}

var accesses = []kit.Option{
	{Value: string(relay.Lead), Name: "Lead: plans, sets up, sees everything"}, {Value: string(relay.Staff), Name: "Staff: sees everything, moves their own legs and pieces"},
	{Value: string(relay.Freelance), Name: "Freelance: sees open legs and their own work"}, {Value: string(relay.Outside), Name: "Outside: sees only what was sent to them"},
}

// personOf finds the person of an address on the desk that is looked at; "new" is nobody.
func (s *Section) personOf(c *echo.Context, b *newsroom.Setup) (store.Person, error) {
	if c.Param("id") == "new" {
		return store.Person{Access: relay.Staff, Desks: []ref.Desk{kit.Here(c)}, Hours: setup.HoursText([7]int{0, 420, 420, 420, 420, 420, 0})}, nil
	}
	id, err := kit.ID[ref.Person](c)
	p := b.Person(id)
	if err != nil || p.ID == 0 || !slices.Contains(p.Desks, kit.Here(c)) {
		return p, newsroom.ErrNotFound
	}
	return p, nil
}

func (s *Section) personPage(c *echo.Context) error { return s.showPerson(c, http.StatusOK, nil, nil) }

func (s *Section) showPerson(c *echo.Context, status int, refusal *relay.Refusal, form url.Values) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	p, err := s.personOf(c, b)
	if err != nil {
		return err
	}
	today := s.Newsroom.Now().Date(b.Zones[kit.Here(c)])
	v := personView{Person: p, New: p.ID == 0, Access: accesses, Roles: b.RolesOf(kit.Here(c))}
	if form == nil || !form.Has("access") { // what was typed into the form of days off stands beside what is stored
		stored := formOfPerson(p)
		for k, x := range form {
			stored[k] = x
		}
		form = stored
	}
	v.Form = form
	for _, d := range relay.Duties {
		v.Duties = append(v.Duties, dutyView{string(d.Duty), english.UpperFirst(d.Says), slices.Contains(form["duty"], string(d.Duty))})
	}
	for _, d := range b.DesksOf(kit.Me(c).ID) {
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
	v.Others = slices.DeleteFunc(b.OnDesk(kit.Here(c)), func(x store.Person) bool { return x.ID == p.ID })
	if p.BarredAt != 0 {
		held, err := s.Account.LeftWith(c.Request().Context(), kit.Me(c).ID, kit.Here(c), p.ID)
		if err != nil {
			return err
		}
		for _, x := range held {
			says := x.Leg.Name + ", comes to them later"
			if x.Leg.State == relay.Running {
				says = x.Leg.Name + ", with them now"
			}
			if x.Leg.Due != 0 {
				says += ", due " + english.Date(x.Leg.Due)
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
	v.Password = s.Sessions.PopString(c.Request().Context(), "password")
	title := "New person"
	if !v.New {
		title = p.Name
	}
	return s.Show(c, status, "person", title, v)
}

// sayPerson says in a sentence what somebody works, and what they have to do.
func (s *Section) sayPerson(c *echo.Context, b *newsroom.Setup, p store.Person) (string, error) {
	if p.ID == 0 {
		return "They can be given legs of the roles they run, within the hours they work.", nil
	}
	_, board, err := s.Kernel.Board(c.Request().Context())
	if err != nil {
		return "", err
	}
	legs, minutes := 0, 0
	for _, w := range board.Works(map[ref.Person]bool{p.ID: true}) {
		if w.Person == p.ID {
			legs, minutes = legs+1, minutes+w.Minutes
		}
	}
	if p.Retired {
		return "Retired: kept for the past, and no longer offered.", nil
	}
	if legs == 0 {
		return fmt.Sprintf("Works %s, and has nothing to do just now.", kit.HoursOfWeek(p.Minutes())), nil
	}
	return fmt.Sprintf("Works %s, and has %s of work in %s.", kit.HoursOfWeek(p.Minutes()), english.Hours(minutes), english.Plural(legs, "leg")), nil
}

func formOfPerson(p store.Person) url.Values {
	form := url.Values{
		"name": {p.Name}, "initials": {p.Initials}, "mail": {p.Mail}, "does": {p.Does}, "access": {string(p.Access)}, "roles": {strings.Join(p.Roles, ", ")},
	}
	for i, m := range p.Minutes() {
		form.Set(fmt.Sprintf("hours-%d", i), english.HoursTyped(m))
	}
	for _, d := range p.Named() {
		form.Add("duty", string(d))
	}
	if p.PayWithin > 0 {
		form.Set("pay_within", fmt.Sprint(p.PayWithin))
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
func readPerson(form url.Values, p store.Person, mine []ref.Desk) (store.Person, error) {
	p.Name, p.Initials, p.Mail, p.Does = form.Get("name"), form.Get("initials"), form.Get("mail"), form.Get("does")
	p.Access, p.Retired = relay.Access(form.Get("access")), form.Get("retired") == "yes"
	p.Roles = strings.Split(form.Get("roles"), ",")
	p.Desks = slices.DeleteFunc(slices.Clone(p.Desks), func(d ref.Desk) bool { return slices.Contains(mine, d) })
	for _, d := range form["desk"] {
		if id := kit.Int[ref.Desk](url.Values{"d": {d}}, "d"); slices.Contains(mine, id) {
			p.Desks = append(p.Desks, id)
		}
	}
	slices.Sort(p.Desks)
	var minutes [7]int
	for i := range minutes {
		m, err := kit.HoursTyped(form.Get(fmt.Sprintf("hours-%d", i)))
		if err != nil {
			return p, kit.NoFigure(err, "hours", "Write the hours of each day like 6 or 7.5; a day that is not worked is 0.")
		}
		minutes[i] = m
	}
	p.Hours = setup.HoursText(minutes)
	var duties []string
	for _, d := range relay.Duties {
		if slices.Contains(form["duty"], string(d.Duty)) {
			duties = append(duties, string(d.Duty))
		}
	}
	p.Duties = strings.Join(duties, ",")
	n, err := kit.Whole(form, "pay_within", "pay_within", "the days to their payment", 0)
	p.PayWithin = n
	return p, err
}

// savePerson stores somebody, retires them, or adds them.
func (s *Section) savePerson(c *echo.Context) error {
	ctx := c.Request().Context()
	return kit.SetUp(s.Server, c, s.personOf, func(_ *newsroom.Setup, was store.Person, form url.Values) (string, error) {
		p, err := readPerson(form, was, kit.Me(c).Desks)
		if err != nil {
			return "", err
		}
		id, password, err := s.Settings.SavePerson(ctx, kit.Me(c).ID, kit.Here(c), p)
		if err != nil {
			return "", err
		}
		s.Say(c, "Saved.")
		if password != "" {
			s.Sessions.Put(ctx, "password", password)
			s.Say(c, "%s is added.", strings.TrimSpace(p.Name))
		}
		if !slices.Contains(p.Desks, kit.Here(c)) {
			return "/desk", nil
		}
		return fmt.Sprintf("/people/%d", id), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showPerson(c, status, r, typed) })
}

// newPassword gives somebody another password, which is shown once.
func (s *Section) newPassword(c *echo.Context) error {
	id, err := kit.ID[ref.Person](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	password, err := s.Settings.NewPassword(ctx, kit.Me(c).ID, kit.Here(c), id)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason == relay.ErrInput {
		return s.showPerson(c, kit.StatusOf(refusal), refusal, nil)
	} else if err != nil {
		return err
	}
	if id == kit.Me(c).ID { // their own sessions ended with it; this one goes on
		b, err := s.Newsroom.Setup(ctx)
		if err != nil {
			return err
		}
		s.Sessions.Put(ctx, "sessions", b.Person(id).Sessions)
	}
	s.Sessions.Put(ctx, "password", password)
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/people/%d", id))
}

// dropAbsence takes days off back.
func (s *Section) dropAbsence(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.personOf, func(_ *newsroom.Setup, p store.Person, form url.Values) (string, error) {
		if err := s.Settings.DropAbsence(c.Request().Context(), kit.Me(c).ID, kit.Here(c), kit.Int[ref.Absence](form, "absence")); err != nil {
			return "", err
		}
		s.Say(c, "The days off are taken back; how every piece stands is worked out anew.")
		return fmt.Sprintf("/people/%d", p.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showPerson(c, status, r, typed) })
}
