package piece

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// releaseView is what would be public if a piece was sent out now.
type releaseView struct {
	Row     store.Row
	Again   bool // it was out before
	Answer  kit.Sentence
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

func (s *Section) releasePage(c *echo.Context) error {
	return s.showRelease(c, http.StatusOK, nil)
}

func (s *Section) showRelease(c *echo.Context, status int, refusal *relay.Refusal) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, err := s.Review.Release(ctx, kit.Me(c).ID, id)
	if no := kit.RefusalIn(err); no != nil && no.Reason != relay.ErrNotYours { // there is nothing to send out
		if refusal != nil {
			no = refusal
		}
		return s.showPiece(c, kit.StatusOf(no), id, no, url.Values{})
	} else if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	picture := func(file ref.File) string { return fmt.Sprintf("/pieces/%d/pictures/%d?small=yes", id, file) }
	v := releaseView{Row: r.Row, Again: r.Row.Stage == relay.Withdrawn, Answer: whenDue(b, &r.Row, s.Newsroom.Now()), Channel: b.Channel(r.Row.ChannelID).Name, Address: r.Address, HTML: template.HTML(format.Reading(r.Text, picture, nil)), Words: r.Words, Lead: r.Lead, Stops: r.Stops, Open: r.Open, Seal: r.Seal}
	if refusal != nil {
		v.Problem, v.Since = refusal.Text, refusal.Unmet
	}
	return s.Show(c, status, "release", "Send out “"+r.Row.Title+"”", v)
}

// whenDue says when a piece that is sent out by hand was to go out.
func whenDue(b *newsroom.Setup, r *store.Row, now day.Moment) kit.Sentence {
	zone := b.Zones[r.DeskID]
	days := int(r.GoesOut.Date(zone) - now.Date(zone))
	at, by := b.At(r.GoesOut, r.DeskID), "It goes out by itself"
	if !r.Scheduled() {
		by = "It is not scheduled; its place is"
	}
	switch {
	case r.Stage == relay.Withdrawn:
		return kit.Sentence{Text: "It was out from " + b.At(r.OutAt, r.DeskID) + ", and withdrawn. It would be at its address again.", Tone: "noroom"}
	case r.GoesOut == 0:
		return kit.Sentence{Text: "It has no day; sent out now, it goes out today.", Tone: "plain"}
	case r.GoesOut > now && days > 0:
		return kit.Sentence{Text: fmt.Sprintf("%s %s, %s from now. Sent out now, it is early.", by, at, english.Plural(days, "day")), Tone: "noroom"}
	case r.GoesOut > now:
		return kit.Sentence{Text: by + " today, " + at + ". Sent out now, it is early.", Tone: "plain"}
	case days == 0:
		return kit.Sentence{Text: "It was to go out today, " + at + ".", Tone: "short"}
	}
	return kit.Sentence{Text: fmt.Sprintf("It was to go out %s, %s ago.", at, english.Plural(-days, "day")), Tone: "short"}
}

// sendOut sends a piece out that was shown as it would be; one that was not is shown first.
func (s *Section) sendOut(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Piece](c)
	if err != nil {
		return err
	}
	seal := form.Get("seal")
	if seal == "" {
		return s.showRelease(c, http.StatusOK, nil)
	}
	ctx := c.Request().Context()
	if err = s.Review.SendOut(ctx, kit.Me(c).ID, id, kit.Version(form), seal); err == nil {
		s.bringUp(ctx)
	}
	return s.Answered(c, err, "It is out.", fmt.Sprintf("/pieces/%d", id), func(status int, r *relay.Refusal) error { return s.showRelease(c, status, r) })
}

func (s *Section) withdraw(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		ctx := c.Request().Context()
		if err := s.Review.Withdraw(ctx, kit.Me(c).ID, id, kit.Version(form), strings.TrimSpace(form.Get("why"))); err != nil {
			return "", err
		}
		s.bringUp(ctx)
		return "It is withdrawn.", nil
	})
}

// notUsed takes a piece off its way that will not be used.
func (s *Section) notUsed(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		return "It is taken off, and who worked on it is told.", s.Planning.NotUsed(c.Request().Context(), kit.Me(c).ID, id, kit.Version(form), form.Get("why"))
	})
}

// bringUp tells the channels at once what went out or was withdrawn; if that fails, the
// house's round does it a moment later.
func (s *Section) bringUp(ctx context.Context) {
	if err := s.Sheets.DeliverHere(ctx); err != nil {
		s.Log.Error("tell a channel", "problem", err)
	}
}
