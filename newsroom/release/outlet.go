package release

import (
	"context"
	"errors"
	"net/mail"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// SaveOutlet stores by what the pieces of a channel get there, for a lead of its desk. A token or
// secret that is left empty stays as it is, as long as the kind and the address do.
func (h Room) SaveOutlet(ctx context.Context, by ref.Person, channel ref.Channel, o release.Outlet) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	return h.SetUpAct(ctx, by, b.Channel(channel).DeskID, func(a *newsroom.Command) error {
		c := a.Setup.Channel(channel)
		if c.ID == 0 {
			return newsroom.ErrNotFound
		}
		was := a.Setup.Outlets[channel]
		if o, err = keepSecret(o, was).Check(); err != nil || o == was {
			return err
		}
		c.Outlet = encoded(o, "")
		if err := a.Tx.SaveOutlet(a, c); err != nil {
			return err
		}
		was.Secret, o.Secret = "", ""
		return a.Log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "changed how pieces get to " + c.Name, Before: encoded(was, ""), After: encoded(o, "")})
	})
}

func keepSecret(o, was release.Outlet) release.Outlet {
	if o.Secret == "" && o.Kind == was.Kind && strings.TrimSpace(o.Address) == was.Address {
		o.Secret = was.Secret
	}
	return o
}

// TryOutlet tries an outlet as it was typed with the last piece that went out on the channel, or
// another of the desk, and says in lines what would be; nothing is seen of it. A *relay.Refusal
// says what does not work.
func (h Room) TryOutlet(ctx context.Context, by ref.Person, channel ref.Channel, o release.Outlet) ([]string, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	c := b.Channel(channel)
	if c.ID == 0 {
		return nil, newsroom.ErrNotFound
	}
	if err := h.SetUpAct(ctx, by, c.DeskID, func(a *newsroom.Command) error { a.Hushed = true; return nil }); err != nil {
		return nil, err
	}
	if o, err = keepSecret(o, b.Outlets[channel]).Check(); err != nil {
		return nil, err
	}
	id, err := store.PieceToTry(ctx, h.DB.View(), c.DeskID, channel)
	if errors.Is(err, store.ErrNone) {
		return nil, &relay.Refusal{Reason: relay.ErrNotNow, Text: "The desk has no piece yet to try it with. Begin one, then try."}
	} else if err != nil {
		return nil, err
	}
	row, err := store.Piece(ctx, h.DB.View(), id)
	if err != nil {
		return nil, err
	}
	p := h.newParcel(b, channel, id)
	p.Outlet, p.Key = o, "try"
	if p.Page, err = h.pageOf(ctx, b, row, store.Printing{PieceID: id, At: p.Now}); err != nil {
		return nil, err
	}
	p.Page.First = p.Page.At
	carrier := h.Carriers[o.Kind]
	if carrier == nil {
		return nil, &relay.Refusal{Reason: relay.ErrNotNow, Text: "This program was started without what brings pieces there."}
	}
	says, err := carrier.Try(ctx, p)
	if err != nil {
		h.Log.Info("tried a channel", "channel", channel, "problem", err)
		return nil, &relay.Refusal{Reason: relay.ErrInput, Field: "kind", Text: english.UpperFirst(err.Error()) + "."}
	}
	return says, nil
}

// MaxReaders is how many readers of letters a channel keeps.
const MaxReaders = 5_000

// Readers gives the readers that the desk keeps for a channel, those who stopped its letters too.
func (h Room) Readers(ctx context.Context, who ref.Person, channel ref.Channel) ([]store.Subscriber, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	c := b.Channel(channel)
	if c.ID == 0 || !b.Who(who, c.DeskID).OnDesk || !b.Who(who, c.DeskID).Access.May(relay.LeadDesk) {
		return nil, newsroom.ErrNotFound
	}
	return store.Subscribers(ctx, h.DB.View(), channel)
}

// AddReaders adds readers to a channel, by their addresses, one in a line. Those who are there
// stay as they are, so who has stopped the letters gets none. It gives how many came new.
func (h Room) AddReaders(ctx context.Context, by ref.Person, channel ref.Channel, typed string) (added int, err error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return 0, err
	}
	err = h.SetUpAct(ctx, by, b.Channel(channel).DeskID, func(a *newsroom.Command) error {
		c := a.Setup.Channel(channel)
		if c.ID == 0 {
			return newsroom.ErrNotFound
		}
		all, err := store.Subscribers(a, a.Tx, channel)
		if err != nil {
			return err
		}
		is := map[string]bool{}
		for _, r := range all {
			is[r.Mail] = true
		}
		for line := range strings.Lines(strings.NewReplacer(",", "\n", ";", "\n").Replace(typed)) {
			if line = strings.TrimSpace(line); line == "" {
				continue
			}
			x, err := mail.ParseAddress(line)
			if err != nil || len(x.Address) > 254 {
				return newsroom.Invalid("readers", "“%s” is no address. Write one address in each line.", line)
			}
			at := strings.ToLower(x.Address)
			if is[at] {
				continue
			}
			if is[at], added = true, added+1; len(is) > MaxReaders {
				return newsroom.Invalid("readers", "A channel keeps up to %s readers. Use the address of a list for more.", english.Number(MaxReaders))
			}
			if err := a.Tx.AddSubscriber(a, store.Subscriber{ChannelID: channel, Mail: at, Since: a.Now}); err != nil {
				return err
			}
		}
		if added == 0 {
			return nil
		}
		return a.Log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "added " + english.Plural(added, "reader") + " to " + c.Name})
	})
	if err != nil {
		added = 0
	}
	return added, err
}

// StopReader ends the letters of a channel for one of its readers.
func (h Room) StopReader(ctx context.Context, by ref.Person, channel ref.Channel, id ref.Subscriber) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	return h.SetUpAct(ctx, by, b.Channel(channel).DeskID, func(a *newsroom.Command) error {
		r, err := store.SubscriberByID(a, a.Tx, id)
		if err != nil || r.ChannelID != channel {
			return newsroom.ErrNotFound
		}
		return a.Tx.StopSubscriber(a, id, a.Now)
	})
}
