package release

import (
	"context"
	"errors"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Schedule gives a piece to its channel for its time, as it was shown under the seal.
func (h Room) Schedule(ctx context.Context, by ref.Person, piece ref.Piece, version int, seal string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		var s Sheet
		err := a.Move(newsroom.Order{Act: relay.ActSchedule, Piece: piece, Version: version}, func(p relay.Piece, scene relay.Scene) (relay.Move, error) {
			m, err := relay.Schedule(p, a.Actor, scene)
			if err != nil {
				return m, err
			}
			row, err := store.Piece(a, a.Tx, piece)
			if err != nil {
				return m, err
			}
			if s, err = sheetOf(a.Setup, a, a.Tx, row); err != nil {
				return m, err
			}
			switch {
			case !s.Complete():
				return m, &relay.Refusal{Reason: relay.ErrUnmet, Unmet: s.Says(), Text: "It cannot be scheduled yet: " + english.And(s.Says()) + "."}
			case seal != "" && seal != s.Seal:
				return m, &relay.Refusal{Reason: relay.ErrChanged, Text: "Something changed since this was shown, so it was not scheduled. Below is what would go out now."}
			}
			return m, nil
		})
		if err != nil {
			return err
		}
		s.stored.Seal = s.Seal
		return a.Tx.SaveSheet(a, s.stored)
	})
}

// Unschedule takes a piece back from its channel before its time.
func (h Room) Unschedule(ctx context.Context, by ref.Person, piece ref.Piece, version int, why string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActSchedule, Piece: piece, Version: version}, func(p relay.Piece, _ relay.Scene) (relay.Move, error) {
			if why = strings.TrimSpace(why); why == "" {
				return relay.Move{}, newsroom.Invalid("why", "Say why it is taken back, so that whoever scheduled it knows.")
			}
			if AsksOf(a.Setup, p.ChannelID).ByHand {
				return relay.Unschedule(p, why)
			}
			return relay.Move{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "On this channel the program schedules what is complete. Send it back to a leg, or give it another day."}
		})
	})
}

// reconcile keeps what is scheduled true at the end of a command: where the program schedules,
// what is ready and complete is; and what became another since it was scheduled is no more,
// unless the channel allows small corrections.
func reconcile(a *newsroom.Command) error {
	for _, id := range a.Concerned() {
		row, err := store.Piece(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) {
			continue
		} else if err != nil {
			return err
		}
		if row.Stage != relay.UnderWay || !row.Ready() || row.GoesOut <= a.Now {
			continue
		}
		if err := settle(a, row); err != nil {
			return err
		}
	}
	return nil
}

func settle(a *newsroom.Command, row store.Row) error {
	s, err := sheetOf(a.Setup, a, a.Tx, row)
	if err != nil {
		return err
	}
	scheduled, whole := row.Scheduled(), s.Complete()
	switch {
	case scheduled && (!whole || s.Asks.ByHand && (row.ScheduledBy == 0 || s.Seal != s.stored.Seal && !s.Asks.Corrections)):
		return unschedule(a, row, &s)
	case !scheduled && !s.Asks.ByHand && whole:
		is := row.Piece
		is.ScheduledFor, is.ScheduledBy = is.GoesOut, 0
		if err := a.Save(row.Piece, is); err != nil {
			return err
		}
		if err := a.Stand(is); err != nil {
			return err
		}
	case !scheduled:
		return nil
	}
	if s.stored.Seal == s.Seal {
		return nil
	}
	s.stored.Seal = s.Seal
	return a.Tx.SaveSheet(a, s.stored)
}

// resettle holds what is ready for a channel against what that asks by now.
func (h Room) resettle(ctx context.Context, channel ref.Channel) error {
	_, board, err := h.Board(ctx)
	if err != nil {
		return err
	}
	for _, p := range board.Pieces {
		if p.ChannelID != channel || p.Stage != relay.UnderWay || !p.Ready() || p.GoesOut <= board.Now {
			continue
		}
		err := h.Do(ctx, 0, func(a *newsroom.Command) error {
			row, err := store.Piece(a, a.Tx, p.ID)
			if err != nil {
				return err
			}
			return settle(a, row)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// unschedule takes back what is not as it was scheduled any more, and tells who scheduled it.
func unschedule(a *newsroom.Command, row store.Row, s *Sheet) error {
	why := "what would go out is not what was scheduled any more"
	if says := s.Says(); len(says) > 0 {
		why = english.And(says)
	}
	m, err := relay.Unschedule(row.Piece, english.UpperFirst(why)+".")
	if err != nil {
		return err
	}
	return a.Keep(row.Piece, m)
}

// held says why a piece that is ready does not go out by itself: it was not scheduled.
func held(a *newsroom.Command, piece ref.Piece) (string, error) {
	row, err := store.Piece(a, a.Tx, piece)
	if err != nil {
		return "", err
	}
	s, err := sheetOf(a.Setup, a, a.Tx, row)
	switch {
	case err != nil:
		return "", err
	case len(s.Lacks) > 0:
		return "Its release sheet is not complete: " + english.And(s.Says()) + ".", nil
	case s.Asks.ByHand && row.ScheduledFor != row.GoesOut:
		return "Nobody had scheduled it.", nil
	}
	return "", nil
}

// lacks says what the release sheet of a piece is missing, which holds nobody up who sends it out
// by hand.
func lacks(b *newsroom.Setup, ctx context.Context, r store.Reader, row store.Row) ([]string, error) {
	s, err := sheetOf(b, ctx, r, row)
	return release.Texts(s.Lacks), err
}

// soon is how long before its time it is said that a piece is not scheduled, in seconds.
const soon day.Moment = 3600

// warn tells of pieces that go out within the hour and are not scheduled.
func (h Room) warn(ctx context.Context) error {
	now := h.Now()
	ids, err := store.SoonUnscheduled(ctx, h.DB.View(), now, now+soon)
	if err != nil {
		return err
	}
	var failed error
	for _, id := range ids {
		failed = errors.Join(failed, h.Alone(ctx, newsroom.Errand{What: "say that it is not scheduled", Piece: id}, func() error {
			return h.Do(ctx, 0, func(a *newsroom.Command) error { return warn(a, id) })
		}))
	}
	return failed
}

func warn(a *newsroom.Command, id ref.Piece) error {
	row, err := store.Piece(a, a.Tx, id)
	if err != nil {
		return err
	}
	s, err := sheetOf(a.Setup, a, a.Tx, row)
	if err != nil {
		return err
	}
	is := row.Piece
	is.WarnedFor = is.GoesOut
	if err := a.Save(row.Piece, is); err != nil {
		return err
	}
	waits := "nobody has scheduled it"
	if says := s.Says(); len(says) > 0 {
		waits = english.And(says)
	}
	told := map[ref.Person]bool{row.Owner: true}
	for i := range row.Legs {
		if l := &row.Legs[i]; row.Final(l.Key) && l.Holder != 0 {
			told[l.Holder] = true
		}
	}
	for who := range told {
		n := newsroom.NoteTo(who, "unscheduled", "It is to go out "+a.Setup.At(row.GoesOut, row.DeskID)+" and is not scheduled: "+waits+".", "", true)
		n.Link = planning.SheetLink(row.ID)
		if err := a.Send(&row.Piece, n); err != nil {
			return err
		}
	}
	return nil
}
