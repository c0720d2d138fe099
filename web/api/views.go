package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/programs"
)

// View is a filter that is kept under a name.
type View struct {
	ID    int64  `json:"id"`
	Desk  int64  `json:"desk"`
	Name  string `json:"name"`
	Page  string `json:"page" enum:"lineup,track,load,pieces" doc:"The page it is of."`
	Query string `json:"query" doc:"Its Filters, as GET /pieces takes them."`
	Own   bool   `json:"own" doc:"It is one's own, not the desk's."`
}

// OpenSlot is a time of a channel that no piece holds.
type OpenSlot struct {
	Channel int64     `json:"channel"`
	At      time.Time `json:"at"`
}

// Lineup is what goes out in a span of days.
type Lineup struct {
	From  string     `json:"from" format:"date"`
	To    string     `json:"to" format:"date"`
	Out   []Piece    `json:"out" doc:"What goes out in the span, by time, without legs."`
	Slots []OpenSlot `json:"slots" doc:"Coming times that no piece holds."`
	Tray  []Piece    `json:"tray" doc:"Under way without a day, the first to be ready first."`
	Short int        `json:"short" doc:"Pieces under way that are short, whatever the span."`
}

// PersonLoad is how much somebody has.
type PersonLoad struct {
	Person int64     `json:"person"`
	Days   []DayLoad `json:"days"`
}

// DayLoad is how much somebody has on a working day.
type DayLoad struct {
	Date    string `json:"date" format:"date"`
	Minutes int    `json:"minutes" doc:"Of work on that day."`
	Works   int    `json:"works" doc:"Minutes they work on it."`
	Legs    int    `json:"legs"`
	Away    string `json:"away,omitempty" doc:"Why they are not there."`
}

func (s *Section) views(a huma.API) {
	type deskIn struct {
		Desk int64 `query:"desk" doc:"One of yours; without it the first."`
	}
	type viewsOut struct {
		Body struct {
			Views []View `json:"views"`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/views", id: "listViews", says: "Views kept under a name", area: scope.Pieces, right: scope.Read, tag: "Views"},
		func(ctx context.Context, k programs.Key, in *deskIn) (*viewsOut, error) {
			d, err := deskOf(k, in.Desk)
			if err != nil {
				return nil, err
			}
			all, err := s.Planning.Views(ctx, k.Person.ID, d)
			out := &viewsOut{}
			out.Body.Views = []View{}
			for _, v := range all {
				out.Body.Views = append(out.Body.Views, View{ID: int64(v.ID), Desk: int64(v.DeskID), Name: v.Name, Page: v.Page, Query: v.Query, Own: v.Owner != 0})
			}
			return out, err
		})
	type lineupIn struct {
		Filters
		From string `query:"from" format:"date" doc:"Today without it."`
		To   string `query:"to" format:"date" doc:"Five weeks later without it; at most a year."`
	}
	type lineupOut struct{ Body Lineup }
	add(s, a, ask{method: http.MethodGet, path: "/lineup", id: "getLineup", says: "What goes out in a span of days, and what is free", area: scope.Pieces, right: scope.Read, tag: "Views"},
		func(ctx context.Context, k programs.Key, in *lineupIn) (*lineupOut, error) {
			in.query.Del("from")
			in.query.Del("to")
			b, l, err := s.looked(ctx, k, &in.Filters)
			if err != nil {
				return nil, err
			}
			span, err := s.span(b, l.Desks[0], in.From, in.To)
			if err != nil {
				return nil, err
			}
			x, err := s.Planning.Lineup(ctx, k.Person.ID, l.Desks[0], l, span, planning.Shows{})
			if err != nil {
				return nil, err
			}
			out := &lineupOut{Lineup{From: span.From.String(), To: span.To.String(), Out: s.piecesOf(b, k, x.Out), Tray: s.piecesOf(b, k, x.Tray), Slots: []OpenSlot{}, Short: x.Short}}
			for _, o := range x.Slots {
				out.Body.Slots = append(out.Body.Slots, OpenSlot{int64(o.Channel), *timeOf(o.At)})
			}
			return out, nil
		})
	s.load(a)
}

func (s *Section) load(a huma.API) {
	type loadIn struct {
		Filters
		Weeks int `query:"weeks" minimum:"1" maximum:"12" default:"4"`
	}
	type loadOut struct {
		Body struct {
			People []PersonLoad `json:"people"`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/load", id: "getLoad", says: "Who has how much on which working day", area: scope.Pieces, right: scope.Read, tag: "Views"},
		func(ctx context.Context, k programs.Key, in *loadIn) (*loadOut, error) {
			in.query.Del("weeks")
			_, l, err := s.looked(ctx, k, &in.Filters)
			if err != nil {
				return nil, err
			}
			x, err := s.Planning.Loads(ctx, k.Person.ID, l.Desks[0], l, in.Weeks, nil)
			if err != nil {
				return nil, err
			}
			out := &loadOut{}
			out.Body.People = []PersonLoad{}
			for _, p := range x.People {
				y := PersonLoad{Person: int64(p.Person.ID), Days: []DayLoad{}}
				for i, d := range p.Days {
					y.Days = append(y.Days, DayLoad{Date: x.Dates[i].String(), Minutes: d.Minutes, Works: d.Works, Legs: d.Legs, Away: d.Away})
				}
				out.Body.People = append(out.Body.People, y)
			}
			return out, nil
		})
}

// piecesOf gives pieces as somebody may see them in a list.
func (s *Section) piecesOf(b *newsroom.Setup, k programs.Key, all []*newsroom.Entry) []Piece {
	out := []Piece{}
	for _, e := range all {
		out = append(out, s.pieceOf(b, k.Person, &e.Row, e.Values))
	}
	return out
}

// span reads a span of days.
func (s *Section) span(b *newsroom.Setup, d ref.Desk, from, to string) (planning.Span, error) {
	var x planning.Span
	var err error
	if x.From, err = dateOf("from", from); err != nil {
		return x, err
	}
	if x.To, err = dateOf("to", to); err != nil {
		return x, err
	}
	if x.From == 0 {
		x.From = s.Newsroom.Now().Date(b.Zones[d])
	}
	if x.To == 0 {
		x.To = x.From + 34
	}
	if x.To < x.From || x.To > x.From+366 {
		return x, newsroom.Invalid("to", "Ask for a span of up to a year whose last day is not before its first.")
	}
	return x, nil
}
