package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/newsroom/programs"
	"greenbaton/store"
)

// Entry is something that was done, as the logbook has it.
type Entry struct {
	Seq     int64     `json:"seq" doc:"Grows with every entry."`
	At      time.Time `json:"at"`
	Desk    int64     `json:"desk"`
	Piece   int64     `json:"piece,omitempty"`
	By      int64     `json:"by,omitempty" doc:"Missing where Green Baton did it by itself."`
	Act     string    `json:"act"`
	What    string    `json:"what" doc:"In a sentence, with the names of that day."`
	Why     string    `json:"why,omitempty"`
	Version int       `json:"version,omitempty" doc:"Of the piece after it."`
	Hash    string    `json:"hash" doc:"Over it and the entry before."`
}

func entryOf(e *store.Entry) Entry {
	return Entry{e.Seq, *timeOf(max(e.At, 1)), int64(e.DeskID), int64(e.PieceID), int64(e.Actor), e.Act, e.What, e.Why, e.Version, e.Hash}
}

func (s *Section) logbook(a huma.API) {
	type in struct {
		Page
		Desk  int64 `query:"desk" doc:"One of yours; without it the first."`
		Piece int64 `query:"piece" doc:"Only what concerns this piece."`
	}
	type entriesOut struct {
		Body struct {
			Entries []Entry `json:"entries"`
			Next    string  `json:"next" doc:"The cursor of what comes after these, also of what is not done yet: ask with it again and again to hear what happens."`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/logbook", id: "listEntries", says: "What was done, the oldest first; asked again with its cursor, what was done since", area: scope.Logbook, right: scope.Read, tag: "Logbook"},
		func(ctx context.Context, k programs.Key, in *in) (*entriesOut, error) {
			after, err := in.after()
			if err != nil {
				return nil, err
			}
			d, err := deskOf(k, in.Desk)
			if err != nil {
				return nil, err
			}
			sieve := store.LogSieve{Desk: d, Piece: ref.Piece(in.Piece), Behind: after, Oldest: true, Limit: in.Limit}
			var all []store.Entry
			if in.Piece != 0 {
				all, err = s.Logbook.OfPiece(ctx, k.Person.ID, sieve)
			} else {
				all, _, err = s.Logbook.OfDesk(ctx, k.Person.ID, sieve)
			}
			if err != nil {
				return nil, err
			}
			o := &entriesOut{}
			o.Body.Entries = []Entry{}
			for _, e := range all {
				after = e.Seq
				o.Body.Entries = append(o.Body.Entries, entryOf(&e))
			}
			o.Body.Next = cursorAfter(after)
			return o, nil
		})
}
