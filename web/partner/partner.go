package partner

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/review"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

type partnerView struct {
	Base    string
	Signed  bool
	Lead    bool // a lead looks at what they see
	Name    string
	House   string
	Answer  kit.Sentence
	Asked   []partnerAsked
	Pitches []store.Pitch
	Months  []partnerMonth
	Problem string
}

type partnerAsked struct {
	Title, Says, To string
}

type partnerMonth struct {
	Name   string
	Pieces []partnerPiece
}

type partnerPiece struct {
	Title  string
	To     string
	Kind   string
	When   string
	Stands string
	Tone   string
	Yours  string
	Strip  draw.Strip
}

// partner shows a partner their pieces: to who has the private link, or is one of theirs.
func (s *Section) partner(c *echo.Context) error {
	return s.showPartner(c, http.StatusOK, "")
}

func partnerKey(c *echo.Context) (review.Key, string) {
	if t := c.Param("token"); t != "" {
		return review.Key{Token: t}, "/partner/" + t
	}
	return review.Key{Who: kit.Me(c).ID}, "/partner"
}

func (s *Section) showPartner(c *echo.Context, status int, problem string) error {
	ctx := c.Request().Context()
	k, base := partnerKey(c)
	sheet, err := s.Review.PartnerPage(ctx, k)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := viewOfPartner(b, sheet)
	v.Base, v.Signed, v.Problem = base, k.Token == "", problem
	if c.Request().Header.Get("X-Part") != "" {
		return s.Render(c, status, "partner", "partner-now", v)
	}
	if v.Signed {
		return s.Show(c, status, "partner", v.Name, v)
	}
	return s.ShowPlain(c, status, "partner", v.Name, v.House, v)
}

func viewOfPartner(b *newsroom.Setup, x review.PartnerSheet) partnerView {
	d := x.Desk.ID
	v := partnerView{Name: x.Partner.Name, House: x.Desk.Name, Pitches: x.Pitches}
	for _, a := range x.Asked {
		y := partnerAsked{Title: a.Title, Says: b.Person(a.Person).Name + " is asked for a verdict"}
		if a.Mine {
			y.Says, y.To = "Your verdict is asked for", fmt.Sprintf("/pieces/%d/review", a.Piece)
		}
		if a.Due != 0 {
			y.Says += ", by " + english.Date(a.Due)
		}
		v.Asked = append(v.Asked, y)
	}
	running := 0
	for _, m := range x.Months {
		y := partnerMonth{Name: "Without a day yet"}
		if m.First != 0 {
			y.Name = m.First.Format("January 2006")
		}
		for _, p := range m.Pieces {
			if !p.Out {
				running++
			}
			y.Pieces = append(y.Pieces, pieceOfPartner(b, d, p))
		}
		v.Months = append(v.Months, y)
	}
	switch n := len(v.Asked) + len(v.Pitches); {
	case n == 1:
		v.Answer = kit.Sentence{Text: "One thing waits for you.", Tone: "noroom"}
	case n > 1:
		v.Answer = kit.Sentence{Text: english.UpperFirst(english.Number(n)) + " things wait for you.", Tone: "noroom"}
	case running > 0:
		v.Answer = kit.Sentence{Text: "Nothing waits for you. " + english.UpperFirst(english.Counted(running, "piece")) + english.Verb(running, " is", " are") + " under way.", Tone: "good"}
	default:
		v.Answer = kit.Sentence{Text: "Nothing waits for you, and nothing is under way.", Tone: "plain"}
	}
	return v
}

func pieceOfPartner(b *newsroom.Setup, d ref.Desk, p review.PartnerPiece) partnerPiece {
	y := partnerPiece{Title: p.Title, Kind: p.Kind, Tone: "plain", When: "no day yet"}
	if p.GoesOut != 0 {
		y.When = b.At(p.GoesOut, d)
	}
	switch {
	case p.Out:
		y.Stands, y.Tone, y.To = "It is out", "good", p.Address
	case len(p.Now) > 0:
		y.Stands = "Now: " + english.And(p.Now) + fmt.Sprintf(" · %d of %d steps done", p.Done, p.Of)
	case p.Done == p.Of:
		y.Stands, y.Tone = "Ready", "good"
	}
	switch {
	case p.Out || p.Yours == "":
	case p.Comes == 0:
		y.Yours, y.Tone = p.Yours+" is with you now", "noroom"
	default:
		y.Yours = p.Yours + " comes to you about " + english.Date(p.Comes)
	}
	if p.Piece != 0 && !p.Out && p.Comes == 0 && p.Yours != "" {
		y.To = fmt.Sprintf("/pieces/%d/review", p.Piece)
	}
	y.Strip = partnerStrip(b, p)
	return y
}

// partnerStrip draws how far a piece is, without who has it or whether it is late.
func partnerStrip(b *newsroom.Setup, p review.PartnerPiece) draw.Strip {
	r := store.Row{Piece: relay.Piece{Legs: slices.Clone(p.Legs), GoesOut: p.GoesOut}}
	for i := range r.Legs {
		r.Legs[i].Holder = 0
	}
	s := draw.NewStrip(b, r, draw.NarrowStrip)
	s.Badges = nil
	s.Label = fmt.Sprintf("%d of %d steps done", p.Done, p.Of)
	return s
}

// partnerPitch says yes or no to a pitch on the page of a partner.
func (s *Section) partnerPitch(c *echo.Context) error {
	k, base := partnerKey(c)
	id, err := kit.ID[ref.Pitch](c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	yes := form.Get("answer") == "yes"
	if !yes && form.Get("answer") != "no" {
		return s.showPartner(c, http.StatusUnprocessableEntity, "Say yes or no.")
	}
	if k.Token != "" {
		_, err = s.Intake.AnswerPitchByLink(c.Request().Context(), k, id, yes, form.Get("why"))
	} else {
		_, err = s.Intake.AnswerPitch(c.Request().Context(), k.Who, id, yes, form.Get("why"))
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return s.showPartner(c, kit.StatusOf(refusal), refusal.Text)
	} else if err != nil {
		return err
	}
	s.Say(c, "%s", map[bool]string{true: "Yes: it is begun.", false: "No: they are told."}[yes])
	return c.Redirect(http.StatusSeeOther, base)
}

// partnerLive tells a partner's page that something of its house has changed; what, the
// page asks for with its own key.
func (s *Section) partnerLive(c *echo.Context) error {
	ctx := c.Request().Context()
	k, _ := partnerKey(c)
	sheet, err := s.Review.PartnerPage(ctx, k)
	if err != nil {
		return err
	}
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("X-Accel-Buffering", "no")
	out := http.NewResponseController(w)
	if err := out.SetWriteDeadline(time.Time{}); err != nil {
		s.Log.Debug("no deadline to set", "problem", err)
	}
	mark := s.Events.Mark()
	w.WriteHeader(http.StatusOK)
	if _, err := io.WriteString(w, "retry: 2000\n\n"); err != nil || out.Flush() != nil {
		return nil
	}
	still := s.Review.StillPartner(k)
	if k.Token == "" {
		partner, visit := still, s.Newsroom.Still(s.Visitor(ctx))
		still = func() bool { return visit() && partner() }
	}
	ctx, done := s.Lines.Open(ctx, still)
	defer done()
	for {
		waiting, stop := context.WithTimeout(ctx, kit.Breath)
		news, next, gap, err := s.Events.After(waiting, mark)
		stop()
		if ctx.Err() != nil || err != nil && waiting.Err() == nil || !still() {
			return nil // the link or visit was ended
		}
		line := ": nothing new\n\n"
		if gap || slices.ContainsFunc(news, func(n newsroom.Event) bool {
			return n.Kind == newsroom.Changed && (len(n.Desks) == 0 || slices.Contains(n.Desks, sheet.Desk.ID))
		}) {
			line = "data: look\n\n"
		}
		if _, err := io.WriteString(w, line); err != nil || out.Flush() != nil {
			return nil
		}
		mark = next
	}
}

type partnersView struct {
	Partner  store.Partner
	New      bool
	Form     url.Values
	People   []kit.PartnerTick
	Channels []kit.PartnerTick
	Seen     *partnerView
	Links    int
	Link     string // shown once
	Problem  string
	Field    string
}

func (s *Section) partnerPage(c *echo.Context) error {
	return s.showPartnerForm(c, http.StatusOK, nil, nil, "")
}

func (s *Section) showPartnerForm(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values, link string) error {
	ctx, d := c.Request().Context(), kit.Here(c)
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := partnersView{New: c.Param("id") == "new", Link: link, Form: typed}
	if !v.New {
		id, err := kit.ID[ref.Partner](c)
		if err != nil {
			return err
		}
		if v.Partner = b.Partner(id); v.Partner.ID == 0 || v.Partner.DeskID != d {
			return newsroom.ErrNotFound
		}
		sheet, err := s.Review.PartnerAsSeen(ctx, kit.Me(c).ID, d, id)
		if err != nil {
			return err
		}
		seen := viewOfPartner(b, sheet)
		v.Seen, v.Links = &seen, sheet.Links
		v.Seen.Lead = true
	}
	if typed == nil {
		v.Form = url.Values{"name": {v.Partner.Name}}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	for _, p := range b.People {
		if p.Access.May(relay.AnswerAsked) && !p.Retired && (slices.Contains(p.Desks, d) || p.Guest) {
			v.People = append(v.People, kit.PartnerTick{ID: int64(p.ID), Name: p.Name, Is: v.Partner.ID != 0 && p.PartnerID == v.Partner.ID})
		}
	}
	for _, x := range b.ChannelsOf(d) {
		v.Channels = append(v.Channels, kit.PartnerTick{ID: int64(x.ID), Name: x.Name, Is: v.Partner.ID != 0 && x.PartnerID == v.Partner.ID})
	}
	return s.Show(c, status, "partners", "Partner", v)
}

// savePartner keeps a partner, or makes or ends private links of theirs.
func (s *Section) savePartner(c *echo.Context) error {
	ctx, d, by := c.Request().Context(), kit.Here(c), kit.Me(c).ID
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	p := store.Partner{DeskID: d, Name: form.Get("name"), Retired: form.Get("retired") != ""}
	if c.Param("id") != "new" {
		if p.ID, err = kit.ID[ref.Partner](c); err != nil {
			return err
		}
	}
	switch form.Get("do") {
	case "link":
		link, err := s.Review.PartnerLink(ctx, by, d, p.ID)
		if err != nil {
			return err
		}
		return s.showPartnerForm(c, http.StatusOK, nil, nil, link)
	case "revoke":
		err := s.Review.RevokePartner(ctx, by, d, p.ID)
		return s.Answered(c, err, "Their private links open nothing any more.", fmt.Sprintf("/partners/%d", p.ID), nil)
	}
	id, err := s.Review.SavePartner(ctx, by, p, kit.IdsTyped[ref.Person](form["person"]), kit.IdsTyped[ref.Channel](form["channel"]))
	return s.Answered(c, err, p.Name+" is saved.", fmt.Sprintf("/partners/%d", id), func(status int, r *relay.Refusal) error {
		return s.showPartnerForm(c, status, r, form, "")
	})
}
