package web

import (
	"errors"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/desk"
	"greenbaton/store"
)

type deskView struct {
	Desk     store.Desk
	Week     string
	Holidays []day.Holiday
	People   []deskPerson
	Formats  []deskFormat
	Lead     bool
	Problem  string
}

type deskPerson struct {
	store.Person
	RolesText string
	Away      []string
}

type deskFormat struct {
	store.Format
	Channel string
	Legs    []route.Leg
	Days    int
}

// desk shows how the desk works; leads say there who may pass.
func (s *Server) desk(c *echo.Context) error { return s.showDesk(c, http.StatusOK, "") }

func (s *Server) showDesk(c *echo.Context, status int, problem string) error {
	p := me(c)
	if len(p.Desks) == 0 || !p.Access.OnStaff() {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "How the desk works is for its staff."}
	}
	b, err := s.House.Books(c.Request().Context())
	if err != nil {
		return err
	}
	d := b.Desk(p.Desks[0])
	today := s.House.Now().Date(b.Zones[d.ID])
	v := deskView{Desk: d, Lead: p.Access == relay.Lead, Problem: problem}
	var week []string
	for i, works := range d.Week() {
		if works {
			week = append(week, [...]string{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"}[i])
		}
	}
	v.Week = strings.Join(week, ", ")
	if v.Holidays, err = s.House.ComingHolidays(c.Request().Context(), d.ID, 8); err != nil {
		return err
	}
	for _, x := range b.OnDesk(d.ID) {
		dp := deskPerson{Person: x, RolesText: strings.Join(x.Roles, ", ")}
		for _, a := range b.Absences {
			if a.PersonID == x.ID && a.ToDay >= today {
				dp.Away = append(dp.Away, away(a))
			}
		}
		v.People = append(v.People, dp)
	}
	for _, f := range b.Formats {
		if f.DeskID == d.ID {
			way := b.Latest(f.ID).Way
			v.Formats = append(v.Formats, deskFormat{f, b.Channel(f.ChannelID).Name, way.Legs, way.Longest()})
		}
	}
	return s.show(c, status, "desk", d.Name, v)
}

func away(a store.Absence) string {
	if a.FromDay == a.ToDay {
		return desk.Short(a.FromDay)
	}
	return desk.Short(a.FromDay) + " to " + desk.Short(a.ToDay)
}

func (s *Server) passing(c *echo.Context) error {
	p := me(c)
	if len(p.Desks) == 0 {
		return desk.ErrNotFound
	}
	err := s.House.SetPassBy(c.Request().Context(), p.ID, p.Desks[0], relay.PassBy(c.FormValue("pass_by")))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason == relay.ErrInput {
		return s.showDesk(c, statusOf(refusal), refusal.Text)
	} else if err != nil {
		return err
	}
	s.say(c, "Saved.")
	return c.Redirect(http.StatusSeeOther, "/desk")
}
