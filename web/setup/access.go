package setup

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/relay"
	"greenbaton/web/kit"
)

type accessView struct {
	Rights []accessRow
	House  []accessRow
	Mine   string
}

type accessRow struct {
	Act   string
	Cells []string
}

// access shows the table of who may do what, as it is asked.
func (s *Section) access(c *echo.Context) error {
	if !kit.Me(c).Access.May(relay.SeeAll) {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Who may do what is shown to leads and staff."}
	}
	v := accessView{Mine: string(kit.Me(c).Access)}
	for _, r := range relay.Rights {
		v.Rights = append(v.Rights, accessRow{english.UpperFirst(r.Says) + " a piece", []string{relay.SayConds(r.Lead), relay.SayConds(r.Staff), relay.SayConds(r.Freelance), relay.SayConds(r.Outside), relay.SayConds(r.Reviewer)}})
	}
	for _, r := range relay.HouseRights {
		row := accessRow{Act: english.UpperFirst(r.Says)}
		for _, a := range []relay.Access{relay.Lead, relay.Staff, relay.Freelance, relay.Outside} {
			row.Cells = append(row.Cells, r.For(a))
		}
		v.House = append(v.House, row)
	}
	return s.Show(c, http.StatusOK, "access", "Who may do what", v)
}
