package setup

import (
	"fmt"
	"net/http"
	"net/url"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// keptView is what would only grow, and for how many days it is kept.
type keptView struct {
	Copied  string // how far the copy of the data goes
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
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	var v keptView
	if late, says := s.copied(b, kit.Here(c)); late != "" {
		v.Copied = late
	} else {
		v.Copied = says
	}
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

// behind is for how long the copy of the data may be behind it until that is said.
const behind = 10 * time.Minute

// copied says that the copy of the data has stayed behind, and otherwise how far it goes.
func (s *Section) copied(b *newsroom.Setup, desk ref.Desk) (late, says string) {
	last, ever, kept := s.Kernel.LastCopied()
	if !kept {
		return "", "No copy of the data is kept up. Start Green Baton with --copy and a folder on another disk, or take a backup each night."
	}
	switch {
	case time.Since(last) > behind:
		return fmt.Sprintf("The copy of the data has stayed behind since %s. Look whether where it is kept can be reached and has room; the log says what went wrong.", b.At(day.MomentOf(last), desk)), ""
	case !ever:
		return "", "A copy of the data is kept up; it is being made."
	}
	return "", fmt.Sprintf("A copy of the data is kept up, and was as the data is on %s. It goes back thirty days.", b.At(day.MomentOf(last), desk))
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
