package demo

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"time"

	"greenbaton/core/day"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// Clock is the demo's own time. It runs on from where it was last set.
type Clock struct {
	mu    sync.Mutex
	at    time.Time
	since time.Time // by this machine's clock
}

// NewClock starts a clock at a moment.
func NewClock(at time.Time) *Clock { return &Clock{at: at, since: time.Now()} }

// Now gives the demo's time.
func (c *Clock) Now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.at.Add(time.Since(c.since))
}

// Set puts the clock to a moment.
func (c *Clock) Set(at time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at, c.since = at, time.Now()
}

// Stage is a running demo: a house with a clock that can be moved.
type Stage struct {
	Newsroom *rooms.Newsroom
	Clock    *Clock
	Dir      string     // the data folder
	mu       sync.Mutex // held while the clock moves
}

const clockSetting = "demo clock"

func (s *Stage) startFile() string { return filepath.Join(s.Dir, "start.db") }

// NextDay moves the clock to nine in the morning of the next working day.
func (s *Stage) NextDay(ctx context.Context) error {
	return s.moveTo(ctx, func(cal *day.Calendar, today day.Date) day.Date { return cal.NextWorking(today + 1) })
}

// NextWeek moves the clock to nine in the morning of the first working day of next week.
func (s *Stage) NextWeek(ctx context.Context) error {
	return s.moveTo(ctx, func(cal *day.Calendar, today day.Date) day.Date {
		monday := today.Monday() + 7
		return cal.NextWorking(monday)
	})
}

func (s *Stage) moveTo(ctx context.Context, target func(*day.Calendar, day.Date) day.Date) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	if len(b.Desks) == 0 {
		return fmt.Errorf("the demo has no desk")
	}
	house := b.Planned[b.Desks[0].ID]
	to := day.Wall(target(house.Calendar, s.Newsroom.Now().Date(house.Zone)), 9*60, house.Zone)
	// Stop at every publication time and at the beginning of every day on the way, so that
	// each thing happens at its own time.
	for {
		now := s.Newsroom.Now()
		stop := day.Wall(now.Date(house.Zone)+1, 7*60, house.Zone)
		next, err := store.NextToGoOut(ctx, s.Newsroom.DB.View(), now)
		if err != nil {
			return err
		}
		if next != 0 && next < stop {
			stop = next
		}
		if stop > to {
			break
		}
		s.Clock.Set(stop.In(time.UTC))
		if err := s.Newsroom.Tick(ctx); err != nil {
			return err
		}
	}
	s.Clock.Set(to.In(time.UTC))
	if err := errors.Join(s.Newsroom.Tick(ctx), s.Newsroom.Release.Deliver(ctx), s.Newsroom.Notify.DeliverMail(ctx), s.Newsroom.Notify.DeliverPosts(ctx)); err != nil {
		return err
	}
	return s.remember(ctx)
}

// remember stores the clock, so that a kept demo goes on where it was.
func (s *Stage) remember(ctx context.Context) error {
	return s.Newsroom.DB.Write(ctx, func(t *store.Tx) error {
		return t.SetSetting(ctx, clockSetting, strconv.FormatInt(int64(s.Newsroom.Now()), 10))
	})
}

// BackToStart makes everything as it was when the demo began, except that
// nobody is signed out.
func (s *Stage) BackToStart(ctx context.Context) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	db := s.Newsroom.DB
	kept, err := store.AllSessions(ctx, db)
	if err != nil {
		return err
	}
	if err := db.ReplaceBy(ctx, s.startFile()); err != nil {
		return fmt.Errorf("go back to the start: %w", err)
	}
	s.Clock.Set(Start)
	s.Newsroom.Forget()
	return db.Write(ctx, func(t *store.Tx) error { return t.KeepSessions(ctx, kept) })
}

// Clear takes away what an earlier demo left in its folder.
func Clear(dir string) error {
	for _, f := range []string{store.FileName, store.FileName + "-wal", store.FileName + "-shm", "start.db"} {
		if err := os.Remove(filepath.Join(dir, f)); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("begin the demo afresh: %w", err)
		}
	}
	return nil
}

// Open puts a house on the demo's clock. An empty one is filled with the played
// history; one that was kept goes on where it was left.
func Open(ctx context.Context, h *rooms.Newsroom, dir string) (*Stage, error) {
	s := &Stage{Newsroom: h, Clock: NewClock(Start), Dir: dir}
	empty, err := h.Settings.Empty(ctx)
	if err != nil {
		return nil, err
	}
	if empty {
		if err := Play(ctx, h); err != nil {
			return nil, fmt.Errorf("play the demo's history: %w", err)
		}
		if err := store.Backup(ctx, h.DB.Path(), s.startFile()); err != nil {
			return nil, fmt.Errorf("keep the demo's start: %w", err)
		}
		s.Clock.Set(Start)
	} else {
		at, err := store.Setting(ctx, h.DB, clockSetting)
		if err != nil {
			return nil, err
		}
		if n, err := strconv.ParseInt(at, 10, 64); err == nil {
			s.Clock.Set(time.Unix(n, 0).UTC())
		}
	}
	h.Clock = s.Clock.Now
	return s, nil
}
