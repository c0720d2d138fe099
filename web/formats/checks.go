package formats

import (
	"fmt"
	"net/url"

	"github.com/labstack/echo/v5"

	checking "greenbaton/core/check"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// ruleRow is a check on the page of a format.
type ruleRow struct {
	Key, Name, Help, Value string
}

func ruleRows(rules checking.Rules) []ruleRow {
	var out []ruleRow
	for _, k := range checking.Kinds {
		x := ruleRow{Key: string(k.Kind), Name: k.Name, Help: k.Help, Value: "advise"}
		switch r := rules[k.Kind]; {
		case r.Off:
			x.Value = "off"
		case r.Leg != "":
			x.Value = "leg:" + r.Leg
		}
		out = append(out, x)
	}
	return out
}

// legChoices are the legs of a route before which a check can have to hold.
func legChoices(way route.Route) []kit.Choice {
	var out []kit.Choice
	for _, l := range way.Legs {
		out = append(out, kit.Choice{Key: "leg:" + l.Key, Name: l.Name})
	}
	return out
}

// saveChecks stores what a format makes of the checks.
func (s *Section) saveChecks(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.oldFormat, func(_ *newsroom.Setup, f store.Format, form url.Values) (string, error) {
		rules := checking.Rules{}
		for _, k := range checking.Kinds {
			switch v := form.Get("check-" + string(k.Kind)); {
			case v == "off":
				rules[k.Kind] = checking.Rule{Off: true}
			case len(v) > 4 && v[:4] == "leg:":
				rules[k.Kind] = checking.Rule{Leg: v[4:]}
			}
		}
		if err := s.Copyroom.SaveFormatChecks(c.Request().Context(), kit.Me(c).ID, f.ID, rules); err != nil {
			return "", err
		}
		s.Say(c, "Saved. Pieces under way are held to it from now on.")
		return fmt.Sprintf("/formats/%d#checks", f.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		return s.showFormat(c, status, r, typed, nil)
	})
}
