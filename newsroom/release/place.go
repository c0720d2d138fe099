package release

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Place is somewhere where a piece goes, and how far it is there.
type Place struct {
	store.Delivery
	Kind    release.Kind
	Address string // as readers open it; none where that is not known
}

// Places gives where a piece goes, its channel first, for who may prepare it.
func (h Room) Places(ctx context.Context, who ref.Person, piece ref.Piece) ([]Place, error) {
	row, err := h.See(ctx, who, piece, relay.ActPrepare)
	if err != nil {
		return nil, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	all, err := store.Deliveries(ctx, h.DB.View(), piece)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(all, func(d store.Delivery) bool { return d.ChannelID == row.ChannelID }) && row.ChannelID != 0 {
		all = slices.Insert(all, 0, store.Delivery{PieceID: piece, ChannelID: row.ChannelID, Part: store.MainPlace})
	}
	var out []Place
	for _, d := range all {
		if d.Part == store.AlsoPlace && d.Has == 0 && b.Channel(d.ChannelID).DeskID != row.DeskID { // it was sent on since
			continue
		}
		x := Place{Delivery: d, Kind: b.Outlets[d.ChannelID].Kind, Address: d.Address}
		if strings.HasPrefix(x.Address, "/") {
			x.Address = strings.TrimRight(h.Base, "/") + x.Address
		}
		if d.ChannelID == row.ChannelID && x.Address == "" && d.Has == 0 {
			x.Address = newsroom.AddressOf(b, h.Base, &row.Piece)
		}
		out = append(out, x)
	}
	return out, nil
}

// MaxDays is how many days after it is out a piece goes to another place at most.
const MaxDays = 365

// Also is another place where a piece is to go.
type Also struct {
	Channel ref.Channel
	Days    int        // after it is out
	At      day.Moment // the time that was chosen instead; 0 follows from the days
	Line    string     // what is said of it there; none is its description
}

// AddPlace lets a piece go to another place too, or changes when and with what it does.
func (h Room) AddPlace(ctx context.Context, by ref.Person, piece ref.Piece, x Also) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		row, err := a.Load(newsroom.Order{Act: relay.ActRelease, Piece: piece})
		if err != nil {
			return err
		}
		c := a.Setup.Channel(x.Channel)
		x.Line = strings.TrimSpace(x.Line)
		switch {
		case row.Stage == relay.Withdrawn:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is withdrawn, and goes nowhere."}
		case c.ID == 0 || c.DeskID != row.DeskID || c.Retired || c.ID == row.ChannelID:
			return newsroom.Invalid("place", "Choose another channel of the desk.")
		case x.At == 0 && (x.Days < 0 || x.Days > MaxDays):
			return newsroom.Invalid("days", "Between 0 and %d days after it is out.", MaxDays)
		case x.At != 0 && x.At <= a.Now:
			return newsroom.Invalid("days", "This time is past. Choose a later one.")
		case len([]rune(x.Line)) > release.MaxText:
			return newsroom.Invalid("line", "Keep what is said of it there under %d characters.", release.MaxText)
		}
		all, err := store.Deliveries(a, a.Tx, piece)
		if err != nil {
			return err
		}
		d := store.Delivery{PieceID: piece, ChannelID: x.Channel, Media: "{}", Kind: release.Site}
		if i := slices.IndexFunc(all, func(d store.Delivery) bool { return d.ChannelID == x.Channel }); i >= 0 {
			d = all[i]
		}
		if d.Has != 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is on " + c.Name + " already."}
		}
		d.Part, d.Days, d.At, d.Fixed, d.Line = store.AlsoPlace, x.Days, x.At, x.At != 0, x.Line
		if row.Stage == relay.Out {
			p, err := store.LastPrinting(a, a.Tx, piece)
			if err != nil {
				return err
			}
			if d.Wants = p.ID; !d.Fixed {
				d.At = max(day.MomentOf(row.OutAt.In(a.Setup.Zones[row.DeskID]).AddDate(0, 0, x.Days)), a.Now)
			}
		}
		if err := a.Tx.PutDelivery(a, d); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: row.DeskID, PieceID: piece, Act: "edited", What: "lets it go to " + c.Name + " too, " + sayWhen(a.Setup, &row, &d), Version: row.Version})
	})
}

// sayWhen says when a piece gets to a place.
func sayWhen(b *newsroom.Setup, row *store.Row, d *store.Delivery) string {
	switch {
	case d.Fixed:
		return b.At(d.At, row.DeskID)
	case d.Days == 0:
		return "as soon as it is out"
	case d.Days == 1:
		return "the day after it is out"
	}
	return fmt.Sprintf("%d days after it is out", d.Days)
}

// SayWhen says when a piece gets to a place, or since when it is there.
func SayWhen(b *newsroom.Setup, row *store.Row, d *store.Delivery) string {
	switch {
	case d.Has != 0:
		return "since " + b.At(d.Since, row.DeskID)
	case d.Wants != 0:
		return b.At(d.At, row.DeskID)
	case d.Part == store.AlsoPlace && row.Stage == relay.UnderWay:
		return sayWhen(b, row, d)
	}
	return ""
}

// DropPlace lets a piece not go to another place after all; where it is already, it is taken down.
func (h Room) DropPlace(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Delivery) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		d, err := h.placeOf(a, piece, id)
		if err != nil {
			return err
		}
		if d.Part != store.AlsoPlace {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It goes there by its own channel. Withdraw it, or give it another channel."}
		}
		row, err := store.Piece(a, a.Tx, piece)
		if err != nil {
			return err
		}
		if there := maybeThere(&d); there != 0 {
			d.Part, d.Wants, d.Has, d.Tries, d.NextAt, d.Problem = store.FormerPlace, 0, there, 0, 0, ""
			err = a.Tx.PutDelivery(a, d)
		} else {
			err = a.Tx.DropDelivery(a, id)
		}
		if err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: row.DeskID, PieceID: piece, Act: "edited", What: "lets it not go to " + a.Setup.Channel(d.ChannelID).Name + " too", Version: row.Version})
	})
}

// Failing gives what of a desk does not get where it is to go, for who may send it again.
func (h Room) Failing(ctx context.Context, who ref.Person, desk ref.Desk) ([]store.FailedDelivery, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	all, err := store.FailedDeliveries(ctx, h.DB.View(), desk)
	if err != nil {
		return nil, err
	}
	rows, err := store.PiecesByID(ctx, h.DB.View(), newsroom.IdsOf(all, func(d store.FailedDelivery) ref.Piece { return d.PieceID }))
	if err != nil {
		return nil, err
	}
	w := b.Who(who, desk)
	var out []store.FailedDelivery
	for _, d := range all {
		row := rows[d.PieceID]
		if relay.May(relay.ActRelease, w, &row.Piece, nil, "") == nil {
			out = append(out, d)
		}
	}
	return out, nil
}
