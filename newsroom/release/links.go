package release

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// AnnounceOf gives where a desk says that pieces are out.
func AnnounceOf(b *newsroom.Setup, desk ref.Desk) release.Announce {
	var a release.Announce
	if json.Unmarshal([]byte(b.Desk(desk).Announce), &a) != nil { // nowhere
		return release.Announce{}
	}
	return a
}

// SaveAnnounce stores where a desk says that pieces are out, for a lead of it.
func (h Room) SaveAnnounce(ctx context.Context, by ref.Person, desk ref.Desk, announce release.Announce) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		announce, err := announce.Check()
		if err != nil {
			return err
		}
		d := a.Setup.Desk(desk)
		was := d.Announce
		if d.Announce = encoded(announce, "{}"); d.Announce == was {
			return nil
		}
		if err := a.Tx.SaveAnnounce(a, d); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "changed where it is said that pieces are out", Before: was, After: d.Announce})
	})
}

// Link is how a piece is linked to at a place.
type Link struct {
	Place   string
	Address string // with its parameters
	Short   string // below the base; none while there is none
	Clicks  int
}

// Links gives how a piece is linked to at each place of its desk.
func (h Room) Links(ctx context.Context, s *Sheet) ([]Link, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	short, err := store.ShortLinks(ctx, h.DB.View(), s.Row.ID)
	if err != nil {
		return nil, err
	}
	a := AnnounceOf(b, s.Row.DeskID)
	var out []Link
	for _, p := range a.Places {
		l := Link{Place: p.Name, Address: h.linkTo(b, &s.Row.Piece, a, p)}
		for _, x := range short {
			if x.Place == p.Name {
				l.Short, l.Clicks = "/to/"+x.Token, x.Clicks
			}
		}
		out = append(out, l)
	}
	return out, nil
}

func (h Room) linkTo(b *newsroom.Setup, p *relay.Piece, a release.Announce, at release.Place) string {
	campaign := b.Campaign(p.CampaignID).Name
	if campaign == "" {
		campaign = b.Topic(p.TopicID).Name
	}
	slug := newsroom.SlugOf(p)
	address := newsroom.AddressOf(b, h.Base, p)
	if address == "" { // which its channel gives it when it is there
		return ""
	}
	return a.Link(address, at, campaign, slug)
}

// Shorten makes a short link for each place of the desk at which a piece has none yet.
func (h Room) Shorten(ctx context.Context, by ref.Person, piece ref.Piece, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActWrite, Piece: piece, Version: version})
		if err != nil {
			return err
		}
		places := AnnounceOf(a.Setup, was.DeskID).Places
		if len(places) == 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "The desk has not said where pieces are announced. A lead says so under Desk, at Announcing."}
		}
		for _, p := range places {
			token := newsroom.NewSecret()
			if err := a.Tx.AddShortLink(a, store.ShortLink{Token: strings.ToLower(token[:min(8, len(token))]), PieceID: piece, Place: p.Name}); err != nil {
				return err
			}
		}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "edited", What: "made short links", Version: was.Version})
	})
}

// clicks are links that were followed and are not counted in the data yet, by their token.
type clicks struct{ newsroom.Gathered[string] }

// Follow gives where a short link leads, of a piece that is out, and counts that it was followed:
// how often, and by nobody in particular.
func (h Room) Follow(ctx context.Context, token string) (string, error) {
	l, err := store.ShortLinkAt(ctx, h.DB.View(), strings.ToLower(token))
	if errors.Is(err, store.ErrNone) {
		return "", newsroom.ErrNotFound
	} else if err != nil {
		return "", err
	}
	row, err := store.Piece(ctx, h.DB.View(), l.PieceID)
	if err != nil {
		return "", err
	}
	if row.Stage != relay.Out {
		return "", newsroom.ErrNotFound
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return "", err
	}
	newsroom.PartOf[clicks](h.Newsroom).Add(l.Token, 1)
	for _, clicked := range h.Hooks.Clicked {
		clicked(ctx, l.PieceID)
	}
	a := AnnounceOf(b, row.DeskID)
	i := slices.IndexFunc(a.Places, func(p release.Place) bool { return p.Name == l.Place })
	at := release.Place{Name: l.Place} // announced there once
	if i >= 0 {
		at = a.Places[i]
	}
	to := h.linkTo(b, &row.Piece, a, at)
	if to == "" {
		return "", newsroom.ErrNotFound
	}
	return to, nil
}

// count stores how often links were followed since the last round.
func (h Room) count(ctx context.Context) error {
	return newsroom.PartOf[clicks](h.Newsroom).Store(func(of map[string]int) error {
		return h.DB.Write(ctx, func(t *store.Tx) error {
			for token, n := range of {
				if err := t.CountClicks(ctx, token, n, h.Now()); err != nil {
					return err
				}
			}
			return nil
		})
	})
}
