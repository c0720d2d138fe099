package planning

import (
	"context"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Edit is what is changed on one piece beside its way; what is nil stays.
type Edit struct {
	Piece    ref.Piece
	Version  int
	Title    *string
	Owner    *ref.Person
	Topic    *ref.Topic
	Campaign *ref.Campaign
	Priority *relay.Priority
	Tags     *string // with commas; replaces those it has
	AddTag   string
	DropTag  string
	Fields   map[ref.Field][]string // what was typed, by field
}

// mostEdits is how many pieces are changed at once.
const mostEdits = 200

// EditPieces changes several pieces at once: all of them, or none if one of them
// cannot be changed.
func (h Moves) EditPieces(ctx context.Context, by ref.Person, edits []Edit) error {
	if len(edits) == 0 || len(edits) > mostEdits {
		return newsroom.Invalid("", "Choose between one and two hundred pieces.")
	}
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		for _, e := range edits {
			if err := EditPiece(a, e); err != nil {
				return err
			}
		}
		return nil
	})
}

// EditPiece carries out an edit of the facts of a piece, for who may plan it.
func EditPiece(a *newsroom.Command, e Edit) error {
	kind := relay.ActPlan
	if e.onlyFields() {
		kind = relay.ActWrite
	}
	was, err := a.Load(newsroom.Order{Act: kind, Piece: e.Piece, Leg: "", Version: e.Version})
	if err != nil {
		return err
	}
	is, what, err := e.apply(was.Piece)
	if err != nil {
		return err
	}
	if err := edit(a, was.Piece, is, what); err != nil || len(e.Fields) == 0 {
		return err
	}
	if was, err = store.Piece(a, a.Tx, e.Piece); err != nil {
		return err
	}
	return fill(a, was, e.Fields)
}

func (e *Edit) onlyFields() bool {
	return e.Title == nil && e.Owner == nil && e.Topic == nil && e.Campaign == nil && e.Priority == nil && e.Tags == nil && e.AddTag == "" && e.DropTag == ""
}

// apply gives the piece as edited, and the names of what was.
func (e *Edit) apply(p relay.Piece) (relay.Piece, string, error) {
	var what []string
	set := func(name string, given bool, do func()) {
		if given {
			what = append(what, name)
			do()
		}
	}
	set("the title", e.Title != nil, func() { p.Title = strings.TrimSpace(*e.Title) })
	set("the owner", e.Owner != nil, func() { p.Owner = *e.Owner })
	set("the topic", e.Topic != nil, func() { p.TopicID = *e.Topic })
	set("the campaign", e.Campaign != nil, func() { p.CampaignID = *e.Campaign })
	set("the priority", e.Priority != nil, func() { p.Priority = *e.Priority })
	tags := p.TagList()
	set("the tags", e.Tags != nil || e.AddTag != "" || e.DropTag != "", func() {
		if e.Tags != nil {
			tags = []string{*e.Tags}
		}
		tags = slices.DeleteFunc(append(tags, e.AddTag), func(t string) bool { return e.DropTag != "" && strings.EqualFold(t, e.DropTag) })
	})
	var err error
	p.Tags, err = relay.ReadTags(strings.Join(tags, ","))
	return p, english.And(what), err
}
