package campaigns

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// on does something with a campaign, and shows it again with what was typed where that is refused.
func (s *Section) on(c *echo.Context, said string, do func(id ref.Campaign, form url.Values) error) error {
	id, form, err := kit.Sent[ref.Campaign](c)
	if err != nil {
		return err
	}
	err = do(id, form)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return s.show(c, kit.StatusOf(refusal), form, refusal)
	} else if err != nil {
		return err
	}
	s.Say(c, "%s", said)
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/campaigns/%d", id))
}

// dates gives a campaign other days.
func (s *Section) dates(c *echo.Context) error {
	return s.on(c, "Its days are changed.", func(id ref.Campaign, form url.Values) error {
		b, err := s.Newsroom.Setup(c.Request().Context())
		if err != nil {
			return err
		}
		x := b.Campaign(id)
		if x.FromDay, err = kit.DateOf(form, "from", "the first day"); err != nil {
			return err
		}
		if x.ToDay, err = kit.DateOf(form, "to", "the last day"); err != nil {
			return err
		}
		return s.Settings.SaveCampaign(c.Request().Context(), kit.Me(c).ID, x)
	})
}

func (s *Section) addStep(c *echo.Context) error {
	return s.on(c, "The step is written down.", func(id ref.Campaign, form url.Values) error {
		x, err := kit.StepTyped(form)
		if err != nil {
			return err
		}
		x.CampaignID = id
		_, err = s.Planning.SaveOwnStep(c.Request().Context(), kit.Me(c).ID, x)
		return err
	})
}

func (s *Section) setAim(c *echo.Context) error {
	return s.on(c, "Its targets are changed.", func(id ref.Campaign, form url.Values) error {
		if a := kit.Int[ref.Aim](form, "aim"); a != 0 {
			return s.Figures.DropAim(c.Request().Context(), kit.Me(c).ID, a)
		}
		x := store.Aim{CampaignID: id, MeasureID: kit.Int[ref.Measure](form, "measure")}
		var err error
		if x.Value, err = kit.FigureOf(form, "value", "the target"); err != nil {
			return err
		}
		if x.ByDay, err = kit.DateOf(form, "by", "the day"); err != nil {
			return err
		}
		return s.Figures.SaveAim(c.Request().Context(), kit.Me(c).ID, x)
	})
}

func (s *Section) sayDid(c *echo.Context) error {
	return s.on(c, "Noted.", func(id ref.Campaign, form url.Values) error {
		x := kit.OutcomeTyped(form)
		x.CampaignID = id
		return s.Figures.SaveOutcome(c.Request().Context(), kit.Me(c).ID, x)
	})
}
