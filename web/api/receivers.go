package api

import (
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
	"greenbaton/newsroom/programs"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type receiversView struct {
	Answer         string
	Rows           []receiverRow
	Problem, Field string
	Open           ref.Receiver // the one whose form is open; -1 for none
}

type receiverRow struct {
	store.Receiver
	Kinds []kindRow
	Says  string
}

type kindRow struct {
	Type, Says string
	Is         bool
}

func (s *Section) receivers(c *echo.Context) error {
	return s.showReceivers(c, http.StatusOK, url.Values{}, nil, -1)
}

// showReceivers shows to which programs events are posted, with what was typed where it was refused.
func (s *Section) showReceivers(c *echo.Context, status int, form url.Values, refusal *relay.Refusal, open ref.Receiver) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v := receiversView{Open: open}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	all := programs.ReceiversOf(b, kit.Here(c))
	v.Answer = "Nothing is posted to other programs yet."
	if len(all) > 0 {
		v.Answer = "What happens is posted to " + english.Counted(len(all), "program") + ", signed, as it happens."
	}
	for _, x := range append(all, store.Receiver{IsOn: true}) {
		if x.ID == open && form.Has("name") {
			x.Name, x.URL, x.Kinds, x.IsOn = form.Get("name"), form.Get("url"), strings.Join(form["kind"], ","), form.Get("on") != ""
		}
		kinds := strings.Split(x.Kinds, ",")
		r := receiverRow{Receiver: x, Says: "hears of " + english.Counted(len(kinds), "thing")}
		for _, k := range programs.Kinds {
			r.Kinds = append(r.Kinds, kindRow{k.Type, k.Says, slices.Contains(kinds, k.Type)})
		}
		v.Rows = append(v.Rows, r)
	}
	return s.Show(c, status, "receivers", "Events for programs", v)
}

func (s *Section) saveReceiver(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	x := store.Receiver{DeskID: kit.Here(c), Name: form.Get("name"), URL: form.Get("url"), IsOn: form.Get("on") != "", Retired: form.Get("do") == "drop"}
	if c.Param("id") != "new" {
		if x.ID, err = kit.ID[ref.Receiver](c); err != nil {
			return err
		}
	}
	var kinds []string
	for _, k := range programs.Kinds {
		if slices.Contains(form["kind"], k.Type) {
			kinds = append(kinds, k.Type)
		}
	}
	x.Kinds = strings.Join(kinds, ",")
	err = s.Programs.SaveReceiver(c.Request().Context(), kit.Me(c).ID, x)
	said := map[bool]string{false: "It is saved.", true: "Nothing is posted there any more."}[x.Retired]
	return s.Answered(c, err, said, "/receivers", func(status int, r *relay.Refusal) error { return s.showReceivers(c, status, form, r, x.ID) })
}

type postedView struct {
	ID                   ref.Receiver
	Name, Answer, Secret string
	Rows                 []postedRow
}

type postedRow struct {
	ID                   ref.Message
	Kind, At, State, Why string
	Tone                 string
	Body                 string
}

// posted shows the last hundred events of a receiver, and what became of them.
func (s *Section) posted(c *echo.Context) error {
	id, err := kit.ID[ref.Receiver](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	all, err := s.Programs.Posted(ctx, kit.Me(c).ID, kit.Here(c), id)
	if err != nil {
		return err
	}
	v := postedView{ID: id}
	for _, r := range programs.ReceiversOf(b, kit.Here(c)) {
		if r.ID == id {
			v.Name, v.Secret = r.Name, r.Secret
		}
	}
	dead, waits := 0, 0
	for _, m := range all {
		r := postedRow{ID: m.ID, Kind: m.Subject, At: b.At(m.At, kit.Here(c)), Body: m.Body, Why: m.Problem, State: "taken " + b.At(m.SentAt, kit.Here(c)), Tone: "good"}
		switch {
		case m.Dead():
			r.State, r.Tone = "given up after "+english.Counted(m.Tries, "try"), "short"
			dead++
		case m.SentAt == 0 && m.Tries > 0:
			r.State, r.Tone = "tried "+english.Counted(m.Tries, "time")+", again "+b.At(m.NextAt, kit.Here(c)), "noroom"
			waits++
		case m.SentAt == 0:
			r.State, r.Tone = "waits", "plain"
			waits++
		}
		v.Rows = append(v.Rows, r)
	}
	switch {
	case len(all) == 0:
		v.Answer = "Nothing happened yet that it hears of."
	case dead > 0:
		v.Answer = english.UpperFirst(english.Counted(dead, "event")) + english.Verb(dead, " was", " were") + " given up. See why, then post again what is still wanted."
	case waits > 0:
		v.Answer = english.UpperFirst(english.Counted(waits, "event")) + english.Verb(waits, " waits", " wait") + " to be taken."
	case len(all) == 1:
		v.Answer = "The only event so far was taken."
	default:
		v.Answer = "All of the last " + english.Counted(len(all), "event") + " were taken."
	}
	return s.Show(c, http.StatusOK, "posted", "Events for "+v.Name, v)
}

func (s *Section) postAgain(c *echo.Context) error {
	id, err := kit.ID[ref.Receiver](c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	err = s.Programs.PostAgain(c.Request().Context(), kit.Me(c).ID, kit.Here(c), id, kit.Int[ref.Message](form, "event"))
	return s.Answered(c, err, "It is posted again.", fmt.Sprintf("/receivers/%d", id), func(int, *relay.Refusal) error { return newsroom.ErrNotFound })
}
