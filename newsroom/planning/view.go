package planning

import (
	"context"
	"errors"
	"net/url"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// viewPages are the pages of which a view can be kept.
var viewPages = []string{"lineup", "track", "load", "pieces"}

// mostQuery is how long the address of a view may be.
const mostQuery = 2000

// Views gives the views of a desk that are everybody's or somebody's own.
func (h Overview) Views(ctx context.Context, who ref.Person, desk ref.Desk) ([]store.View, error) {
	b, err := h.Setup(ctx)
	if err != nil || !b.Who(who, desk).OnDesk {
		return nil, err
	}
	return store.Views(ctx, h.DB.View(), desk, who)
}

// ViewFor gives a view to somebody who may see it.
func (h Overview) ViewFor(ctx context.Context, who ref.Person, id ref.View) (store.View, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return store.View{}, err
	}
	v, err := store.ViewByID(ctx, h.DB.View(), id)
	if errors.Is(err, store.ErrNone) || err == nil && (!b.Who(who, v.DeskID).OnDesk || v.Owner != 0 && v.Owner != who) {
		return v, newsroom.ErrNotFound
	}
	return v, err
}

// MayChangeView says who may change a view: its owner; one of the desk its staff, and a
// locked one only leads.
func MayChangeView(b *newsroom.Setup, who ref.Person, v store.View) error {
	w := b.Who(who, v.DeskID)
	switch {
	case !w.OnDesk || v.Owner != 0 && v.Owner != who:
		return newsroom.ErrNotFound
	case v.Owner == 0 && v.Locked && !w.Access.May(relay.LeadDesk):
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This view is locked, so that only leads change it. Keep one of your own beside it."}
	case v.Owner == 0 && !w.Access.May(relay.SeeAll):
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "The views of the desk are for its staff to change. Keep one of your own."}
	}
	return nil
}

// SaveView keeps a view, a new one where it has no id, and gives its id.
func (h Overview) SaveView(ctx context.Context, by ref.Person, v store.View) (ref.View, error) {
	var id ref.View
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		if v.ID != 0 {
			was, err := store.ViewByID(a, a.Tx, v.ID)
			if errors.Is(err, store.ErrNone) {
				return newsroom.ErrNotFound
			} else if err != nil {
				return err
			}
			if err := MayChangeView(a.Setup, by, was); err != nil {
				return err
			}
			v.DeskID = was.DeskID
		}
		unlocked := v
		unlocked.Locked = false
		if err := MayChangeView(a.Setup, by, unlocked); err != nil {
			return err
		}
		if v.Locked && (v.Owner != 0 || !a.Setup.Who(by, v.DeskID).Access.May(relay.LeadDesk)) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Field: "locked", Text: "Only leads lock a view, and only one of the desk."}
		}
		v.Name = strings.TrimSpace(v.Name)
		_, err := url.ParseQuery(v.Query)
		switch {
		case v.Name == "" || len([]rune(v.Name)) > 60:
			return newsroom.Invalid("name", "Give the view a name of up to 60 characters.")
		case !slices.Contains(viewPages, v.Page) || err != nil || len(v.Query) > mostQuery:
			return newsroom.Invalid("name", "This cannot be kept as a view. Open the page again, choose afresh, and keep that.")
		}
		id, err = a.Tx.SaveView(a, v)
		if err != nil || v.Owner != 0 {
			return err
		}
		return a.Log(store.Entry{DeskID: v.DeskID, Act: "set up", What: "kept the view " + v.Name + " for the desk", After: v.Page + "?" + v.Query})
	})
	return id, err
}

// DropView removes a view.
func (h Overview) DropView(ctx context.Context, by ref.Person, id ref.View) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		v, err := store.ViewByID(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) {
			return newsroom.ErrNotFound
		} else if err != nil {
			return err
		}
		if err := MayChangeView(a.Setup, by, v); err != nil {
			return err
		}
		if err := a.Tx.EndCalendarsOf(a, id, a.Now); err != nil {
			return err
		}
		if err := a.Tx.DropView(a, id); err != nil || v.Owner != 0 {
			return err
		}
		return a.Log(store.Entry{DeskID: v.DeskID, Act: "set up", What: "removed the view " + v.Name, Before: v.Page + "?" + v.Query})
	})
}
