package release

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// outletView is how a channel's pieces get there, as it is set up.
type outletView struct {
	Channel store.Channel
	Kind    string
	Outlet  release.Outlet
	Kept    bool // a token or secret is stored
	Tried   []string
	Problem string
	Field   string
	Readers []readerView
	Reading int // readers that get letters
	Typed   string
	Failing []failingView
}

type readerView struct {
	ID      ref.Subscriber
	Mail    string
	Since   string
	Stopped string
}

// failingView is something that does not get where it is to go.
type failingView struct {
	ID      ref.Delivery
	Piece   ref.Piece
	Title   string
	Channel string
	To      ref.Channel
	Problem string
	Next    string // when it is tried again; none if it was given up
}

// outlet shows how a channel's pieces get there.
func (s *Section) outlet(c *echo.Context) error {
	return s.showOutlet(c, http.StatusOK, nil, nil, nil)
}

func (s *Section) showOutlet(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values, tried []string) error {
	ctx, me := c.Request().Context(), kit.Me(c).ID
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	ch, err := s.channelOf(c, b)
	if err != nil {
		return err
	}
	v := outletView{Channel: ch, Outlet: b.Outlets[ch.ID], Tried: tried}
	v.Kept = v.Outlet.Secret != ""
	if typed != nil && typed.Get("do") != "readers" {
		v.Outlet = outletTyped(typed)
	}
	v.Outlet.Secret, v.Kind, v.Typed = "", string(v.Outlet.Kind), typed.Get("readers")
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	readers, err := s.Release.Readers(ctx, me, ch.ID)
	if err != nil {
		return err
	}
	for _, r := range readers {
		x := readerView{ID: r.ID, Mail: r.Mail, Since: b.At(r.Since, ch.DeskID)}
		if r.StoppedAt != 0 {
			x.Stopped = b.At(r.StoppedAt, ch.DeskID)
		} else {
			v.Reading++
		}
		v.Readers = append(v.Readers, x)
	}
	failing, err := s.failing(c, b)
	if err != nil {
		return err
	}
	for _, f := range failing {
		if f.To == ch.ID {
			v.Failing = append(v.Failing, f)
		}
	}
	return s.Show(c, status, "outlet", "How pieces get to "+ch.Name, v)
}

// failing gives what of the desk does not get where it is to go.
func (s *Section) failing(c *echo.Context, b *newsroom.Setup) ([]failingView, error) {
	all, err := s.Release.Failing(c.Request().Context(), kit.Me(c).ID, kit.Here(c))
	var out []failingView
	for _, d := range all {
		out = append(out, newFailingView(b, d))
	}
	return out, err
}

func newFailingView(b *newsroom.Setup, d store.FailedDelivery) failingView {
	ch := b.Channel(d.ChannelID)
	v := failingView{ID: d.ID, Piece: d.PieceID, Title: d.Title, Channel: ch.Name, To: ch.ID, Problem: english.UpperFirst(d.Problem) + "."}
	if !d.GivenUp() {
		v.Next = b.At(d.NextAt, ch.DeskID)
	}
	return v
}

// outletTyped reads an outlet from its form. What is asked for each kind stands under names of its own.
func outletTyped(form url.Values) release.Outlet {
	kind := form.Get("kind")
	of := func(name string) string { return form.Get(kind + "-" + name) }
	return release.Outlet{Kind: release.Kind(kind), Address: of("address"), Secret: of("secret"), Folder: of("folder"), Pages: of("pages"), To: of("to"), From: of("from")}
}

// saveOutlet stores how a channel's pieces get there, tries it, or changes who reads its letters.
func (s *Section) saveOutlet(c *echo.Context) error {
	me, typed := kit.Me(c).ID, url.Values(nil)
	return kit.SetUp(s.Server, c, s.channelOf, func(_ *newsroom.Setup, ch store.Channel, form url.Values) (string, error) {
		ctx, back := c.Request().Context(), fmt.Sprintf("/channels/%d/outlet", ch.ID)
		typed = form
		switch form.Get("do") {
		case "try":
			says, err := s.Release.TryOutlet(ctx, me, ch.ID, outletTyped(form))
			if err != nil {
				return "", err
			}
			return "", s.showOutlet(c, http.StatusOK, nil, form, says)
		case "readers":
			n, err := s.Release.AddReaders(ctx, me, ch.ID, form.Get("readers"))
			if err != nil {
				return "", err
			}
			s.Say(c, "%s", english.UpperFirst(english.Count(n, "reader"))+" came new.")
			return back + "#readers", nil
		case "stop":
			if err := s.Release.StopReader(ctx, me, ch.ID, kit.Int[ref.Subscriber](form, "reader")); err != nil {
				return "", err
			}
			s.Say(c, "They get no more of these letters.")
			return back + "#readers", nil
		}
		if err := s.Release.SaveOutlet(ctx, me, ch.ID, outletTyped(form)); err != nil {
			return "", err
		}
		s.Say(c, "Saved. What goes out from now on gets there in this way.")
		return back, nil
	}, func(status int, r *relay.Refusal, _ url.Values) error { return s.showOutlet(c, status, r, typed, nil) })
}
