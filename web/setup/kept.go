package setup

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// keptView is what would only grow, and for how many days it is kept.
type keptView struct {
	Rows    []keptRow
	Problem string
}

type keptRow struct {
	newsroom.Keep
	Value string // as it is set, or was typed
	Wrong bool
}

func (s *Section) kept(c *echo.Context) error { return s.showKept(c, http.StatusOK, nil, nil) }

func (s *Section) showKept(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values) error {
	keeps, err := s.Settings.Keeps(c.Request().Context())
	if err != nil {
		return err
	}
	var v keptView
	for _, k := range keeps {
		row := keptRow{Keep: k, Value: fmt.Sprint(k.Days)}
		if typed.Has(k.Key) {
			row.Value = typed.Get(k.Key)
		}
		row.Wrong = refusal != nil && refusal.Field == k.Key
		v.Rows = append(v.Rows, row)
	}
	if refusal != nil {
		v.Problem = refusal.Text
	}
	return s.Show(c, status, "kept", "What is kept", v)
}

func (s *Section) saveKept(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	days, err := s.keptTyped(c, form)
	if err == nil {
		err = s.Settings.SaveKeeps(c.Request().Context(), kit.Me(c).ID, kit.Here(c), days)
	}
	return s.Answered(c, err, "It is kept so from now on.", "/kept", func(status int, r *relay.Refusal) error { return s.showKept(c, status, r, form) })
}

// keptTyped reads for how many days what is kept; what was left empty stays as it is.
func (s *Section) keptTyped(c *echo.Context, form url.Values) (map[string]int, error) {
	keeps, err := s.Settings.Keeps(c.Request().Context())
	if err != nil {
		return nil, err
	}
	days := map[string]int{}
	for _, k := range keeps {
		if days[k.Key], err = kit.Whole(form, k.Key, k.Key, "the days for "+english.LowerFirst(k.Name), k.Days); err != nil {
			return nil, err
		}
	}
	return days, nil
}
