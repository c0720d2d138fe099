package api

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/programs"
	"greenbaton/store"
)

// NewPiece is a piece to be made.
type NewPiece struct {
	Title     string            `json:"title" minLength:"1" maxLength:"300"`
	Format    int64             `json:"format" minimum:"1"`
	Channel   int64             `json:"channel,omitempty" minimum:"0" doc:"That of the format, where none is named."`
	GoesOut   string            `json:"goes_out,omitempty" doc:"A time as RFC 3339 has it; without one it has no day yet."`
	Owner     int64             `json:"owner,omitempty" minimum:"0" doc:"Whoever makes it, or whom the format says, where nobody is named."`
	Priority  string            `json:"priority,omitempty" enum:"first,high,usual,can wait"`
	Tags      []string          `json:"tags,omitempty" maxItems:"30"`
	Topic     int64             `json:"topic,omitempty" minimum:"0"`
	Campaign  int64             `json:"campaign,omitempty" minimum:"0"`
	WordsFrom int               `json:"words_from,omitempty" minimum:"0" maximum:"1000000"`
	WordsTo   int               `json:"words_to,omitempty" minimum:"0" maximum:"1000000"`
	Brief     string            `json:"brief,omitempty" maxLength:"20000"`
	Legs      map[string]NewLeg `json:"legs,omitempty" doc:"What is otherwise than its format has it, by the key of the leg."`
	Keep      bool              `json:"keep,omitempty" doc:"It is kept without beginning, and nobody is told."`
	Idea      int64             `json:"idea,omitempty" minimum:"0" doc:"The idea of which it is made."`
}

// NewLeg is what is otherwise on a leg.
type NewLeg struct {
	Holder int64 `json:"holder,omitempty" minimum:"0" doc:"Nobody, where none is named: the leg is open."`
	Days   int   `json:"days,omitempty" minimum:"0" maximum:"250" doc:"Its allowance in working days; that of the format where it is nothing."`
	Needed bool  `json:"needed,omitempty" doc:"It is run though it may be skipped."`
}

// PieceChange is what is changed on a piece; what is missing stays.
type PieceChange struct {
	Title    *string           `json:"title,omitempty" minLength:"1" maxLength:"300"`
	Owner    *int64            `json:"owner,omitempty" minimum:"1"`
	Priority *string           `json:"priority,omitempty" enum:"first,high,usual,can wait"`
	Tags     *[]string         `json:"tags,omitempty" maxItems:"30"`
	Topic    *int64            `json:"topic,omitempty" minimum:"0" doc:"0 takes it away."`
	Campaign *int64            `json:"campaign,omitempty" minimum:"0" doc:"0 takes it away."`
	Fields   map[string]string `json:"fields,omitempty" doc:"Extra fields by their number; an empty text takes what is filled in away."`
	GoesOut  *string           `json:"goes_out,omitempty" doc:"A time as RFC 3339 has it; an empty text takes its day away. It is changed by itself, not with the rest."`
}

// momentOf reads a time; an empty text is none.
func momentOf(field, text string) (day.Moment, error) {
	if text = strings.TrimSpace(text); text == "" {
		return 0, nil
	}
	t, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return 0, newsroom.Invalid(field, "Write a time as RFC 3339 has it, like 2026-12-03T07:00:00Z.")
	}
	return day.MomentOf(t), nil
}

// dateOf reads a day; an empty text is none.
func dateOf(field, text string) (day.Date, error) {
	if text = strings.TrimSpace(text); text == "" {
		return 0, nil
	}
	d, err := day.ParseDate(text)
	if err != nil {
		return 0, newsroom.Invalid(field, "Write a day like 2026-12-03.")
	}
	return d, nil
}

// draft reads a piece to be made.
func (s *Section) draft(ctx context.Context, k programs.Key, n *NewPiece) (planning.Draft, error) {
	d := planning.Draft{
		Title: n.Title, Format: ref.Format(n.Format), Channel: ref.Channel(n.Channel), Owner: ref.Person(n.Owner), Brief: n.Brief, WordsFrom: n.WordsFrom, WordsTo: n.WordsTo,
		Topic: ref.Topic(n.Topic), Campaign: ref.Campaign(n.Campaign), Idea: ref.Idea(n.Idea), Tags: strings.Join(n.Tags, ","), Park: n.Keep, Legs: map[string]planning.DraftLeg{},
	}
	var err error
	if d.GoesOut, err = momentOf("goes_out", n.GoesOut); err != nil {
		return d, err
	}
	if d.GoesOut != 0 {
		if err := relay.CheckTime(d.GoesOut, s.Newsroom.Now()); err != nil {
			return d, err
		}
	}
	if n.Priority != "" {
		p, err := priorityOf(n.Priority)
		if err != nil {
			return d, err
		}
		d.Priority = &p
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return d, err
	}
	f := b.Format(d.Format)
	if !slices.Contains(k.Person.Desks, f.DeskID) || f.Retired {
		return d, newsroom.Invalid("format", "There is no such format on a desk of yours.")
	}
	keys := map[string]int{}
	for _, l := range b.Latest(f.ID).Way.Legs {
		keys[l.Key] = l.Allowance
	}
	for key, l := range n.Legs {
		allowance, known := keys[key]
		if !known {
			return d, newsroom.Invalid("legs", "The format has no leg %q; its legs are %s.", key, strings.Join(slices.Sorted(maps.Keys(keys)), ", "))
		}
		if l.Days == 0 {
			l.Days = allowance
		}
		d.Legs[key] = planning.DraftLeg{Holder: ref.Person(l.Holder), Days: l.Days, Needed: l.Needed}
	}
	return d, nil
}

// makesPieces are the operations that make and change pieces.
func (s *Section) makesPieces(a huma.API) {
	type makeIn struct{ Body NewPiece }
	type makeOut struct {
		ETag     string `header:"ETag"`
		Location string `header:"Location"`
		Body     Piece
	}
	add(s, a, ask{method: http.MethodPost, path: "/pieces", id: "makePiece", says: "Makes a piece and begins its first legs", area: scope.Pieces, right: scope.Write, made: true, tag: "Pieces"},
		func(ctx context.Context, k programs.Key, in *makeIn) (*makeOut, error) {
			d, err := s.draft(ctx, k, &in.Body)
			if err != nil {
				return nil, err
			}
			id, err := s.Intake.Create(ctx, k.Person.ID, d)
			if err != nil {
				return nil, err
			}
			p, err := s.piece(ctx, k, int64(id))
			if err != nil {
				return nil, err
			}
			return &makeOut{ETag: p.ETag, Location: fmt.Sprintf("%s%s/pieces/%d", s.Base, Base, id), Body: p.Body}, nil
		})
	type changeIn struct {
		OnePiece
		Changes
		Body PieceChange
	}
	add(s, a, ask{method: http.MethodPatch, path: "/pieces/{id}", id: "changePiece", says: "Changes what is known of a piece, or its day", area: scope.Pieces, right: scope.Write, tag: "Pieces"},
		func(ctx context.Context, k programs.Key, in *changeIn) (*pieceOut, error) {
			version, err := versionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			if err := s.changePiece(ctx, k.Person, ref.Piece(in.ID), version, &in.Body); err != nil {
				return nil, err
			}
			return s.piece(ctx, k, in.ID)
		})
}

func (s *Section) changePiece(ctx context.Context, who store.Person, id ref.Piece, version int, c *PieceChange) error {
	if c.GoesOut != nil {
		if c.Title != nil || c.Owner != nil || c.Priority != nil || c.Tags != nil || c.Topic != nil || c.Campaign != nil || c.Fields != nil {
			return newsroom.Invalid("goes_out", "Change the day by itself, so that what follows from it is worked out alone.")
		}
		at, err := momentOf("goes_out", *c.GoesOut)
		if err != nil {
			return err
		}
		if at != 0 {
			if err := relay.CheckTime(at, s.Newsroom.Now()); err != nil {
				return err
			}
		}
		_, err = s.Planning.ChangePlan(ctx, who.ID, planning.Change{Changes: []plan.Change{{Do: plan.DoMove, Piece: id, At: at}}, Version: version})
		return err
	}
	e := planning.Edit{Piece: id, Version: version, Title: c.Title}
	if c.Owner != nil {
		e.Owner = new(ref.Person(*c.Owner))
	}
	if c.Topic != nil {
		e.Topic = new(ref.Topic(*c.Topic))
	}
	if c.Campaign != nil {
		e.Campaign = new(ref.Campaign(*c.Campaign))
	}
	if c.Tags != nil {
		e.Tags = new(strings.Join(*c.Tags, ","))
	}
	if c.Priority != nil {
		p, err := priorityOf(*c.Priority)
		if err != nil {
			return err
		}
		e.Priority = &p
	}
	for key, v := range c.Fields {
		n, err := idOf(key)
		if err != nil {
			return newsroom.Invalid("fields", "%q is the number of no extra field.", key)
		}
		if e.Fields == nil {
			e.Fields = map[ref.Field][]string{}
		}
		e.Fields[ref.Field(n)] = []string{v}
	}
	return s.Planning.EditPieces(ctx, who.ID, []planning.Edit{e})
}
