package review

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Release is what is shown of a piece before it is sent out by hand.
type Release struct {
	Row     store.Row
	Text    copy.Text // as readers get it
	Words   int
	Lead    store.Attachment // the lead picture; without an id if there is none
	Address string           // of the page; none where that is not known before it is there
	Stops   []string         // why it cannot go out
	Open    []string         // what is not done, and holds nothing up
	Seal    string           // of what is shown
}

// Release gives what would be public if a piece went out now, and what is open, for who
// may send it out. A refusal says why there is nothing to send out.
func (h Room) Release(ctx context.Context, who ref.Person, piece ref.Piece) (Release, error) {
	row, err := h.See(ctx, who, piece, relay.ActRelease)
	if err != nil {
		return Release{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Release{}, err
	}
	if err := relay.CanGoOut(&row.Piece); err != nil {
		return Release{}, err
	}
	return h.release(b, ctx, h.DB.View(), row)
}

func (h Room) release(b *newsroom.Setup, ctx context.Context, r store.Reader, row store.Row) (Release, error) {
	out := Release{Row: row, Address: newsroom.AddressOf(b, h.Base, &row.Piece)}
	_, text, _, err := newsroom.Newest(ctx, r, &row)
	if err != nil {
		return out, err
	}
	out.Text = text.Clean()
	out.Words = out.Text.Words()
	files, err := store.Attachments(ctx, r, row.ID)
	if err != nil {
		return out, err
	}
	if i := slices.IndexFunc(files, func(x store.Attachment) bool { return x.Lead }); i >= 0 {
		out.Lead = files[i]
	}
	if out.Stops, err = stops(b, ctx, r, &row, text); err != nil {
		return out, err
	}
	notes, err := notes(b, ctx, r, &row.Piece)
	if err != nil {
		return out, err
	}
	open, err := store.OpenQueries(ctx, r, []ref.Piece{row.ID})
	if err != nil {
		return out, err
	}
	count := func(n int, one, more string) {
		switch {
		case n == 1:
			out.Open = append(out.Open, one)
		case n > 1:
			out.Open = append(out.Open, fmt.Sprintf(more, n))
		}
	}
	if notes > 0 {
		out.Open = append(out.Open, english.UpperFirst(copyroom.SayNotes(notes)))
	}
	count(open[row.ID]-notes, "A query is open", "%d queries are open")
	count(len(text.Proposals()), "A proposed change is not decided on, and is left out", "%d proposed changes are not decided on, and are left out")
	for _, lacks := range h.Hooks.Lacks {
		more, err := lacks(b, ctx, r, row)
		if err != nil {
			return out, err
		}
		for _, text := range more {
			out.Open = append(out.Open, english.UpperFirst(text))
		}
	}
	sum := sha256.Sum256([]byte(strings.Join(append(append([]string{contentHash(text), out.Address, fmt.Sprint(out.Lead.ID)}, out.Stops...), out.Open...), "\n")))
	out.Seal = hex.EncodeToString(sum[:8])
	return out, nil
}

// Stops says why a piece that is ready does not go out: its yes is stale, it has no words, or a
// note of a sign-off is not answered.
func Stops(b *newsroom.Setup, ctx context.Context, r store.Reader, row *store.Row, text copy.Text) ([]string, error) {
	out, err := stops(b, ctx, r, row, text)
	if err != nil {
		return nil, err
	}
	n, err := notes(b, ctx, r, &row.Piece)
	if n > 0 {
		out = append(out, copyroom.SayNotes(n))
	}
	return out, err
}

// stops says why a piece that is ready does not go out, neither by itself nor by hand.
func stops(b *newsroom.Setup, ctx context.Context, r store.Reader, row *store.Row, text copy.Text) ([]string, error) {
	out, err := staleSignOff(b, ctx, r, row, text)
	if text.Clean().Words() == 0 && !b.Format(row.FormatID).Wordless {
		out = append(out, "its copy has no words; write them, or say at the format that its pieces need none")
	}
	return out, err
}

// notes counts the notes of sign-offs on a piece that nobody has answered.
func notes(b *newsroom.Setup, ctx context.Context, r store.Reader, p *relay.Piece) (int, error) {
	a := copyroom.Asked{B: b}
	err := a.ReadOwed(ctx, r, []ref.Piece{p.ID})
	return a.Unheeded(p), err
}

// SendOut publishes a piece whose legs are all passed, now. With the seal of what was
// shown it is refused if that is another by now.
func (h Room) SendOut(ctx context.Context, by ref.Person, piece ref.Piece, version int, seal string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActRelease, Piece: piece, Leg: "", Version: version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			m, err := relay.SendOut(p, s)
			if err != nil {
				return m, err
			}
			row, err := store.Piece(a, a.Tx, piece)
			if err != nil {
				return m, err
			}
			is, err := h.release(a.Setup, a, a.Tx, row)
			switch {
			case err != nil:
				return m, err
			case len(is.Stops) > 0:
				return m, &relay.Refusal{Reason: relay.ErrUnmet, Unmet: is.Stops, Text: "It cannot go out: " + english.And(is.Stops) + "."}
			case seal != "" && seal != is.Seal:
				return m, &relay.Refusal{Reason: relay.ErrChanged, Text: "Something changed since this was shown, so it was not sent out. Below is what would go out now."}
			}
			return m, nil
		})
	})
}

// holds says why a piece that is ready does not go out by itself at its time.
func holds(a *newsroom.Command, piece ref.Piece) (string, error) {
	row, err := store.Piece(a, a.Tx, piece)
	if err != nil {
		return "", err
	}
	_, text, _, err := newsroom.Newest(a, a.Tx, &row)
	if err != nil {
		return "", err
	}
	out, err := Stops(a.Setup, a, a.Tx, &row, text)
	if len(out) == 0 {
		return "", err
	}
	return english.UpperFirst(english.And(out)) + ".", err
}

// Withdraw takes a piece back from its channel.
func (h Room) Withdraw(ctx context.Context, by ref.Person, piece ref.Piece, version int, why string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActRelease, Piece: piece, Leg: "", Version: version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.Withdraw(p, why, s)
		})
	})
}
