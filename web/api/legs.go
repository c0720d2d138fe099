package api

import (
	"context"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/programs"
)

func idOf(s string) (int64, error) { return strconv.ParseInt(s, 10, 64) }

type OneLeg struct {
	OnePiece
	Changes
	Leg string `path:"leg" maxLength:"60" doc:"Its key."`
}

// act registers something that is done with a leg; it is answered with the piece as it is then.
func act[I any](s *Section, a huma.API, name, id, says string, in func(*I) *OneLeg, do func(ctx context.Context, k programs.Key, in *I, piece ref.Piece, leg string, version int) error) {
	add(s, a, ask{method: http.MethodPost, path: "/pieces/{id}/legs/{leg}/" + name, id: id, says: says, area: scope.Pieces, right: scope.Write, tag: "Legs"},
		func(ctx context.Context, k programs.Key, x *I) (*pieceOut, error) {
			l := in(x)
			version, err := versionOf(l.IfMatch)
			if err != nil {
				return nil, err
			}
			if err := do(ctx, k, x, ref.Piece(l.ID), l.Leg, version); err != nil {
				return nil, err
			}
			return s.piece(ctx, k, l.ID)
		})
}

func (s *Section) legs(a huma.API) {
	type passIn struct {
		OneLeg
		Body *struct {
			Why string `json:"why,omitempty" maxLength:"2000" doc:"Why it is passed although something is still to do; for the owner and leads."`
		}
	}
	act(s, a, "pass", "passLeg", "Passes a leg; those that waited for it begin", func(x *passIn) *OneLeg { return &x.OneLeg },
		func(ctx context.Context, k programs.Key, x *passIn, piece ref.Piece, leg string, version int) error {
			o := planning.Pass{Piece: piece, Leg: leg, Version: version}
			if x.Body != nil {
				o.Why = x.Body.Why
			}
			return s.Planning.PassLeg(ctx, k.Person.ID, o)
		})
	type backIn struct {
		OneLeg
		Body struct {
			To      string `json:"to" minLength:"1" maxLength:"60" doc:"The key of the leg to which it goes back."`
			Reasons string `json:"reasons" minLength:"1" maxLength:"5000"`
			Days    int    `json:"days,omitempty" minimum:"0" maximum:"250" doc:"Working days for it; half of its allowance where it is nothing."`
		}
	}
	act(s, a, "send-back", "sendBackLeg", "Sends a piece back to an earlier leg, with reasons", func(x *backIn) *OneLeg { return &x.OneLeg },
		func(ctx context.Context, k programs.Key, x *backIn, piece ref.Piece, leg string, version int) error {
			return s.Planning.SendBack(ctx, k.Person.ID, planning.Back{Piece: piece, From: leg, To: x.Body.To, Reasons: x.Body.Reasons, Days: x.Body.Days, Version: version})
		})
	type giveIn struct {
		OneLeg
		Body struct {
			To int64 `json:"to" minimum:"1" doc:"The number of a person."`
		}
	}
	act(s, a, "give", "giveLeg", "Gives a leg to somebody", func(x *giveIn) *OneLeg { return &x.OneLeg },
		func(ctx context.Context, k programs.Key, x *giveIn, piece ref.Piece, leg string, version int) error {
			return s.Planning.GiveLeg(ctx, k.Person.ID, piece, leg, ref.Person(x.Body.To), version)
		})
	type takeIn struct{ OneLeg }
	act(s, a, "take", "takeLeg", "Takes an open leg", func(x *takeIn) *OneLeg { return &x.OneLeg },
		func(ctx context.Context, k programs.Key, x *takeIn, piece ref.Piece, leg string, _ int) error {
			return s.Planning.TakeLeg(ctx, k.Person.ID, piece, leg)
		})
}
