package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// Answer is an extra field of a piece with what is filled in.
type Answer struct {
	store.Field
	Value string
	Legs  []string // the keys of the legs before whose passing it is filled in
	Asked []string // and their names
}

// answers gives the extra fields of a piece: those in use, and retired ones that
// were filled in.
func (b *Books) answers(p *relay.Piece, values map[int64]string) []Answer {
	var out []Answer
	way := b.Route(p.RouteID).Way
	for _, f := range b.Fields {
		if f.FormatID != p.FormatID || f.Retired && values[f.ID] == "" {
			continue
		}
		a := Answer{Field: f, Value: values[f.ID]}
		for _, l := range way.Legs {
			if slices.Contains(l.Requires, f.Key) && !f.Retired {
				a.Legs, a.Asked = append(a.Legs, l.Key), append(a.Asked, l.Name)
			}
		}
		out = append(out, a)
	}
	return out
}

// missing gives the names of the fields that a leg asks for and that are not filled in.
func (b *Books) missing(p *relay.Piece, leg string, values map[int64]string) []string {
	l := b.Route(p.RouteID).Way.Leg(leg)
	if l == nil {
		return nil
	}
	var out []string
	for _, f := range b.FieldsOf(p.FormatID) {
		if slices.Contains(l.Requires, f.Key) && values[f.ID] == "" {
			out = append(out, f.Name)
		}
	}
	return out
}

// Fill stores what was typed into extra fields of a piece, by field; for a field
// that takes several answers, all of them. Legs that are needed or not by what is
// filled in are brought back or skipped.
func (h *House) Fill(ctx context.Context, by, piece int64, version int, typed map[int64][]string) error {
	return h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{relay.ActWrite, piece, "", version})
		if err != nil {
			return err
		}
		return a.fill(was, typed)
	})
}

func (a *act) fill(was store.Row, typed map[int64][]string) error {
	values, err := store.Values(a, a.tx, was.ID)
	if err != nil {
		return err
	}
	m, way := relay.Move{Piece: was.Piece}, a.b.Route(was.RouteID).Way
	var before, after, names []string
	var changed []rule.Event
	replaced := map[int64]string{}
	for _, f := range a.b.FieldsOf(was.FormatID) {
		answer, given := typed[f.ID]
		if !given {
			continue
		}
		v, err := f.Field().Read(answer...)
		if err != nil {
			return bad("field-"+f.Key, "%s.", UpperFirst(err.Error()))
		}
		if v == values[f.ID] {
			continue
		}
		if err := a.setValue(was.ID, f.ID, v, values); err != nil {
			return err
		}
		names, replaced[f.ID] = append(names, f.Name), values[f.ID]
		changed = append(changed, rule.Event{Kind: rule.Changed, Field: rule.FieldPrefix + strconv.FormatInt(f.ID, 10)})
		before, after = append(before, f.Name+": "+values[f.ID]), append(after, f.Name+": "+v)
		if m, err = m.Heed(way, f.Key, v, a.scene(was.DeskID)); err != nil {
			return err
		}
	}
	if names == nil {
		return nil
	}
	a.plan(&m)
	if err := a.keepFilled(was, m, names, before, after, changed); err != nil {
		return err
	}
	a.remember(fmt.Sprintf("filled in %s of “%s”", Names(names), was.Title), undoPiece{Version: was.Version + 1, Was: was.Piece, Values: replaced})
	for _, l := range was.Running() {
		if l.Holder == a.by {
			was.Piece = a.put.pieces[was.ID]
			return a.touch(was, l.Key)
		}
	}
	return nil
}

// setValue fills a field in on a piece of which values are filled in.
func (a *act) setValue(piece, field int64, v string, values map[int64]string) error {
	if a.put.values[piece] == nil {
		a.put.values[piece] = maps.Clone(values)
	}
	a.put.values[piece][field] = v
	return a.tx.SetValue(a, piece, field, v)
}

// keepFilled stores a piece on which fields were filled in.
func (a *act) keepFilled(was store.Row, m relay.Move, names, before, after []string, changed []rule.Event) error {
	if len(m.Events) > 0 {
		if err := a.keep(was.Piece, m); err != nil {
			return err
		}
	} else {
		m.Piece.Version = was.Version + 1
		if err := a.save(was.Piece, m.Piece); err != nil {
			return err
		}
	}
	is := a.put.pieces[was.ID]
	return a.logEvents(&is, store.Entry{
		DeskID: was.DeskID, PieceID: was.ID, Act: "edited", What: "filled in " + Names(names), Version: was.Version + 1,
		Before: strings.Join(before, "\n"), After: strings.Join(after, "\n"),
	}, changed)
}
