package notify

import (
	"context"
	"net/netip"
	"net/url"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// HookKinds are what is posted to a chat without being addressed to anybody.
var HookKinds = []struct{ Kind, Says string }{
	{string(relay.PassedOn), "a leg is passed"}, {string(relay.SentBack), "a piece is sent back"}, {string(relay.Missed), "a piece misses its time"},
	{string(relay.WentOut), "a piece goes out"}, {string(relay.Created), "a piece is made"},
}

// SaveHook stores the chat of a desk, a new one where it has no id. Its secret is made by
// the house, and shown to leads.
func (h Room) SaveHook(ctx context.Context, by ref.Person, k store.Hook) error {
	return h.SetUpAct(ctx, by, k.DeskID, func(a *newsroom.Command) error {
		k.Name, k.URL = strings.TrimSpace(k.Name), strings.TrimSpace(k.URL)
		what := "added the chat "
		if k.ID != 0 {
			i := slices.IndexFunc(a.Setup.Hooks, func(x store.Hook) bool { return x.ID == k.ID && x.DeskID == k.DeskID })
			if i < 0 {
				return newsroom.ErrNotFound
			}
			k.Secret, what = a.Setup.Hooks[i].Secret, "changed the chat "
		} else {
			k.Secret = newsroom.NewSecret()
		}
		if k.Name == "" || len([]rune(k.Name)) > 40 {
			return newsroom.Invalid("name", "Give the chat a name of up to 40 characters.")
		}
		if err := CheckHookURL(h.Newsroom, k.URL); err != nil {
			return err
		}
		if err := a.Tx.SaveHook(a, k); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: k.DeskID, Act: "set up", What: what + k.Name})
	})
}

// CheckHookURL refuses what is no address to which something can be posted, or one of a private network
// where that is not allowed.
func CheckHookURL(h *newsroom.Newsroom, address string) error {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.User != nil || len(address) > 500:
		return newsroom.Invalid("url", "Write the address to which it is posted, like https://chat.example/hooks/1.")
	case !h.PrivateHooks && privateHost(u.Hostname()):
		return newsroom.Invalid("url", "This is an address of this machine or of a private network, to which nothing is posted. Whoever runs Green Baton can allow it with --allow-private-hooks.")
	}
	return nil
}

// privateHost reports whether a host says of itself that it is not on the open network;
// names that only lead there are found out when something is posted.
func privateHost(host string) bool {
	host = strings.TrimSuffix(strings.ToLower(host), ".")
	if host == "localhost" || strings.HasSuffix(host, ".localhost") || strings.HasSuffix(host, ".internal") || strings.HasSuffix(host, ".local") {
		return true
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && !newsroom.PublicAddress(ip)
}

// SendAgain lets a message that was given up be tried once more, for leads of its desk.
func (h Room) SendAgain(ctx context.Context, by ref.Person, id ref.Message) error {
	if _, err := h.PostRoomMail(ctx, by, id); err != nil {
		return err
	}
	return h.DB.Write(ctx, func(tx *store.Tx) error { return tx.SendAgain(ctx, id, h.Now()) })
}

// lately is for how long it is said that something was given up.
const lately = 14 * 24 * 60 * 60

// GivenUp counts what was given up lately and not sent again, of a desk, for its leads; for others nothing.
func (h Room) GivenUp(ctx context.Context, who ref.Person, desk ref.Desk) ([]store.GivenUp, error) {
	b, err := h.Setup(ctx)
	if err != nil || b.MayLead(who, desk) != nil {
		return nil, err
	}
	return store.GivenUpSince(ctx, h.DB.View(), who, desk, h.Now()-lately)
}

// DeadLetters counts what was given up, for leads.
func (h Room) DeadLetters(ctx context.Context, who ref.Person) (int, error) {
	if err := h.mustLead(ctx, who); err != nil {
		return 0, err
	}
	return store.DeadLetters(ctx, h.DB.View(), who)
}
