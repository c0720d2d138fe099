package web

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// releaseView is what would be public if a piece was sent out now.
type releaseView struct {
	Row     store.Row
	Again   bool // it was out before
	Answer  sentence
	Channel string
	Address string
	HTML    template.HTML
	Words   int
	Lead    store.Attachment
	Stops   []string
	Open    []string
	Seal    string
	Problem string
	Since   []string
}

func (s *Server) releasePage(c *echo.Context) error {
	return s.showRelease(c, http.StatusOK, nil)
}

func (s *Server) showRelease(c *echo.Context, status int, refusal *relay.Refusal) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, err := s.Newsroom.Review.Release(ctx, me(c).ID, id)
	if no := refusalIn(err); no != nil && no.Reason != relay.ErrNotYours { // there is nothing to send out
		if refusal != nil {
			no = refusal
		}
		return s.showPiece(c, statusOf(no), id, no, url.Values{})
	} else if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	picture := func(file int64) string { return fmt.Sprintf("/pieces/%d/pictures/%d?small=yes", id, file) }
	v := releaseView{Row: r.Row, Again: r.Row.Stage == relay.Withdrawn, Answer: whenDue(b, &r.Row, s.Newsroom.Now()), Channel: b.Channel(r.Row.ChannelID).Name, Address: s.Newsroom.Base + r.Address, HTML: template.HTML(format.Reading(r.Text, picture, nil)), Words: r.Words, Lead: r.Lead, Stops: r.Stops, Open: r.Open, Seal: r.Seal}
	if refusal != nil {
		v.Problem, v.Since = refusal.Text, refusal.Unmet
	}
	return s.show(c, status, "release", "Send out “"+r.Row.Title+"”", v)
}

// whenDue says when a piece that is sent out by hand was to go out.
func whenDue(b *newsroom.Setup, r *store.Row, now day.Moment) sentence {
	zone := b.Zones[r.DeskID]
	days := int(r.GoesOut.Date(zone) - now.Date(zone))
	at := b.At(r.GoesOut, r.DeskID)
	switch {
	case r.Stage == relay.Withdrawn:
		return sentence{"It was out from " + b.At(r.OutAt, r.DeskID) + ", and withdrawn. It would be at its address again.", "noroom"}
	case r.GoesOut == 0:
		return sentence{"It has no day; sent out now, it goes out today.", "plain"}
	case r.GoesOut > now && days > 0:
		return sentence{fmt.Sprintf("It goes out by itself %s, %s from now. Sent out now, it is early.", at, newsroom.Plural(days, "day")), "noroom"}
	case r.GoesOut > now:
		return sentence{"It goes out by itself today, " + at + ". Sent out now, it is early.", "plain"}
	case days == 0:
		return sentence{"It was to go out today, " + at + ".", "short"}
	}
	return sentence{fmt.Sprintf("It was to go out %s, %s ago.", at, newsroom.Plural(-days, "day")), "short"}
}

// sendOut sends a piece out that was shown as it would be; one that was not is shown first.
func (s *Server) sendOut(c *echo.Context) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	seal := form.Get("seal")
	if seal == "" {
		return s.showRelease(c, http.StatusOK, nil)
	}
	ctx := c.Request().Context()
	if err = s.Newsroom.Review.SendOut(ctx, me(c).ID, id, version(form), seal); err == nil {
		s.bringUp(ctx)
	}
	return s.answered(c, err, "It is out.", fmt.Sprintf("/pieces/%d", id), func(status int, r *relay.Refusal) error { return s.showRelease(c, status, r) })
}

func (s *Server) withdraw(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		ctx := c.Request().Context()
		if err := s.Newsroom.Review.Withdraw(ctx, me(c).ID, id, version(form), strings.TrimSpace(form.Get("why"))); err != nil {
			return "", err
		}
		s.bringUp(ctx)
		return "It is withdrawn.", nil
	})
}

// bringUp tells the channels at once what went out or was withdrawn; if that fails, the
// house's round does it a moment later.
func (s *Server) bringUp(ctx context.Context) {
	if err := s.Newsroom.Notify.DeliverPages(ctx); err != nil {
		s.Log.Error("tell a channel", "problem", err)
	}
}
