package planning

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
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
func answers(b *newsroom.Setup, p *relay.Piece, values map[ref.Field]string) []Answer {
	var out []Answer
	way := b.Route(p.RouteID).Way
	for _, f := range b.Fields {
		if !f.Of(p.FormatID) || f.Retired && values[f.ID] == "" {
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

// Fill stores what was typed into extra fields of a piece, by field; for a field
// that takes several answers, all of them. Legs that are needed or not by what is
// filled in are brought back or skipped.
func (h Moves) Fill(ctx context.Context, by ref.Person, piece ref.Piece, version int, typed map[ref.Field][]string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActWrite, Piece: piece, Leg: "", Version: version})
		if err != nil {
			return err
		}
		return fill(a, was, typed)
	})
}

func fill(a *newsroom.Command, was store.Row, typed map[ref.Field][]string) error {
	values, err := store.Values(a, a.Tx, was.ID)
	if err != nil {
		return err
	}
	m, way := relay.Move{Piece: was.Piece}, a.Setup.Route(was.RouteID).Way
	var before, after, names []string
	var changed []rule.Event
	replaced := map[ref.Field]string{}
	for _, f := range a.Setup.FieldsOf(was.FormatID) {
		answer, given := typed[f.ID]
		if !given {
			continue
		}
		v, err := f.Field().Read(answer...)
		if err != nil {
			return newsroom.Invalid("field-"+f.Key, "%s.", english.UpperFirst(err.Error()))
		}
		if v == values[f.ID] {
			continue
		}
		if err := a.SetValue(was.ID, f.ID, v, values); err != nil {
			return err
		}
		names, replaced[f.ID] = append(names, f.Name), values[f.ID]
		changed = append(changed, rule.Event{Kind: rule.Changed, Field: rule.FieldPrefix + strconv.FormatInt(int64(f.ID), 10)})
		before, after = append(before, f.Name+": "+values[f.ID]), append(after, f.Name+": "+v)
		if m, err = m.Heed(way, f.Key, v, a.Scene(was.DeskID)); err != nil {
			return err
		}
	}
	if names == nil {
		return nil
	}
	a.Plan(&m)
	if err := keepFilled(a, was, m, names, before, after, changed); err != nil {
		return err
	}
	a.Remember(fmt.Sprintf("filled in %s of “%s”", english.And(names), was.Title), newsroom.UndoPiece{Version: was.Version + 1, Was: was.Piece, Values: replaced})
	for _, l := range was.Running() {
		if l.Holder == a.Actor {
			was.Piece = a.Put.Pieces[was.ID]
			return touch(a, was, l.Key)
		}
	}
	return nil
}

// keepFilled stores a piece on which fields were filled in.
func keepFilled(a *newsroom.Command, was store.Row, m relay.Move, names, before, after []string, changed []rule.Event) error {
	if len(m.Events) > 0 {
		if err := a.Keep(was.Piece, m); err != nil {
			return err
		}
	} else {
		m.Piece.Version = was.Version + 1
		if err := a.Save(was.Piece, m.Piece); err != nil {
			return err
		}
	}
	is := a.Put.Pieces[was.ID]
	return a.LogEvents(&is, store.Entry{
		DeskID: was.DeskID, PieceID: was.ID, Act: "edited", What: "filled in " + english.And(names), Version: was.Version + 1,
		Before: strings.Join(before, "\n"), After: strings.Join(after, "\n"),
	}, changed)
}
