package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/programs"
)

// Figure is what a piece did by a measure.
type Figure struct {
	Measure int64   `json:"measure"`
	Name    string  `json:"name"`
	Value   float64 `json:"value" doc:"Of all days together, as the measure puts them together."`
	Days    int     `json:"days" doc:"On how many days there are figures."`
}

// Fee is what a leg came to for somebody.
type Fee struct {
	ID       int64  `json:"id"`
	Piece    int64  `json:"piece,omitempty"`
	Number   int    `json:"number,omitempty" doc:"Of the piece."`
	Title    string `json:"title"`
	Leg      string `json:"leg"`
	Person   int64  `json:"person"`
	Kind     string `json:"kind" enum:"work,rework,unused,correction"`
	State    string `json:"state" enum:"accepted,checked,stated"`
	Accepted string `json:"accepted" format:"date"`
	Amount   string `json:"amount" doc:"A decimal number in the currency, like 120.50."`
	Currency string `json:"currency" doc:"By ISO 4217."`
	Paid     string `json:"paid,omitempty" format:"date"`
}

func (s *Section) figures(a huma.API) {
	type figuresOut struct {
		Body struct {
			Figures []Figure `json:"figures"`
		}
	}
	list := func(ctx context.Context, k programs.Key, id int64) (*figuresOut, error) {
		x, err := s.Figures.Of(ctx, k.Person.ID, ref.Piece(id))
		if err != nil {
			return nil, err
		}
		o := &figuresOut{}
		o.Body.Figures = []Figure{}
		for _, d := range x.Did {
			o.Body.Figures = append(o.Body.Figures, Figure{Measure: int64(d.Measure.ID), Name: d.Measure.Name, Value: d.Sum.Total, Days: len(d.Days)})
		}
		return o, nil
	}
	add(s, a, ask{method: http.MethodGet, path: "/pieces/{id}/figures", id: "listFigures", says: "What a piece did, by measure", area: scope.Figures, right: scope.Read, tag: "Figures"},
		func(ctx context.Context, k programs.Key, in *OnePiece) (*figuresOut, error) {
			return list(ctx, k, in.ID)
		})
	type setIn struct {
		OnePiece
		Measure int64  `path:"measure" minimum:"1"`
		Day     string `path:"day" format:"date"`
		Body    struct {
			Value float64 `json:"value" minimum:"0"`
		}
	}
	add(s, a, ask{method: http.MethodPut, path: "/pieces/{id}/figures/{measure}/{day}", id: "setFigure", says: "Notes what a piece did on a day, in the place of what was noted before", area: scope.Figures, right: scope.Write, tag: "Figures"},
		func(ctx context.Context, k programs.Key, in *setIn) (*figuresOut, error) {
			on, err := dateOf("day", in.Day)
			if err != nil {
				return nil, err
			}
			if err := s.Figures.SetFigure(ctx, k.Person.ID, ref.Piece(in.ID), ref.Measure(in.Measure), on, in.Body.Value, false); err != nil {
				return nil, err
			}
			return list(ctx, k, in.ID)
		})
	s.fees(a)
}

func (s *Section) fees(a huma.API) {
	type in struct {
		Desk  int64  `query:"desk" doc:"One of yours; without it the first."`
		Month string `query:"month" pattern:"^[0-9]{4}-[0-9]{2}$" doc:"Like 2026-11; this one without it."`
	}
	type feesOut struct {
		Body struct {
			Fees []Fee `json:"fees"`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/fees", id: "listFees", says: "What was accepted in a month, for who may see it", area: scope.Fees, right: scope.Read, tag: "Fees"},
		func(ctx context.Context, k programs.Key, in *in) (*feesOut, error) {
			b, d, err := s.onDesk(ctx, k, in.Desk)
			if err != nil {
				return nil, err
			}
			on := s.Newsroom.Now().Date(b.Zones[d])
			if in.Month != "" {
				if on, err = day.ParseDate(in.Month + "-01"); err != nil {
					return nil, newsroom.Invalid("month", "Write a month like 2026-11.")
				}
			}
			all, err := s.Fees.OfMonth(ctx, k.Person.ID, d, on)
			if err != nil {
				return nil, err
			}
			o := &feesOut{}
			o.Body.Fees = []Fee{}
			for i := range all {
				f := &all[i]
				o.Body.Fees = append(o.Body.Fees, Fee{
					ID: int64(f.ID), Piece: int64(f.PieceID), Number: f.Number, Title: f.Title, Leg: f.Name, Person: int64(f.PersonID), Kind: string(f.Kind), State: string(f.State),
					Accepted: f.AcceptedDay.String(), Amount: b.CurrencyBy(f.DeskID, f.Currency).Plain(f.Amount), Currency: f.Currency, Paid: f.Statement.PaidDay.String(),
				})
			}
			return o, nil
		})
}
