package newsroom

import (
	"context"
	"errors"
	"maps"

	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// See reads a piece for somebody who may do a command of looking at it.
func (h *Newsroom) See(ctx context.Context, who ref.Person, piece ref.Piece, act relay.Act) (store.Row, error) {
	row, err := store.Piece(ctx, h.DB.View(), piece)
	if errors.Is(err, store.ErrNone) {
		return row, ErrNotFound
	} else if err != nil {
		return row, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return row, err
	}
	w := b.Who(who, row.DeskID)
	if relay.May(relay.ActSee, w, &row.Piece, nil, "") != nil {
		return row, ErrNotFound
	}
	return row, relay.May(act, w, &row.Piece, nil, b.Desk(row.DeskID).PassBy)
}

// Preparing carries out a command on what is prepared for a piece: research, titles and
// pictures to choose from. It is for staff of the desk and for whoever runs a leg of it.
func (h *Newsroom) Preparing(ctx context.Context, by ref.Person, piece ref.Piece, f func(*Command, store.Row) error) error {
	return h.Do(ctx, by, func(a *Command) error {
		was, err := a.Load(Order{relay.ActPrepare, piece, "", 0})
		if err != nil {
			return err
		}
		a.Put.Pieces[piece] = was.Piece // so that open pages look again
		return f(a, was)
	})
}

// Opening describes a leg as something to find a person for, with who ran the last
// ones of its kind.
func (h *Newsroom) Opening(ctx context.Context, board *plan.Board, p *relay.Piece, leg int) (load.Open, error) {
	r, err := h.Record(ctx, p.DeskID, p.FormatID)
	if err != nil {
		return load.Open{}, err
	}
	return board.Opening(p, leg, r.Series(p.At(leg).Key)), nil
}

// SetValue fills a field in on a piece of which values are filled in.
func (a *Command) SetValue(piece ref.Piece, field ref.Field, v string, values map[ref.Field]string) error {
	if a.Put.values[piece] == nil {
		a.Put.values[piece] = maps.Clone(values)
	}
	a.Put.values[piece][field] = v
	return a.Tx.SetValue(a, piece, field, v)
}
