package rooms_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

func TestWhatReadersHaveBeforeThemDoesNotChange(t *testing.T) {
	h := newHouse(t)
	id := h.ready("12-18")
	h.must(h.Review.SendOut(ctx, lead, id, 0, ""))
	before := h.everything()
	if _, err := h.Copyroom.SaveCopy(ctx, lead, id, copyroom.OnNewest, copy.FromPlain("x").JSON()); !refused(err, relay.ErrNotNow) {
		t.Errorf("the copy was changed: %v", err)
	}
	if err := h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Another title", Owner: lead}); !refused(err, relay.ErrNotNow) {
		t.Errorf("the title was changed: %v", err)
	}
	if h.everything() != before {
		t.Error("something changed")
	}
	h.must(h.Review.Withdraw(ctx, lead, id, 0, "wrong"))
	h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Another title", Owner: lead})) // before the channel has heard of it
	h.must(h.Tick(ctx))
	if n := h.count("SELECT COUNT(*) FROM site_page WHERE gone = 0"); n != 0 {
		t.Error("a page stayed up under its old title")
	}
}

func TestASaveOnAVersionThatNeverWasIsTaken(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	saved, err := h.Copyroom.SaveCopy(ctx, writer, id, copyroom.OnNewest, copy.FromPlain("nothing was there").JSON())
	if err != nil || saved.Version != 1 {
		t.Error(saved, err)
	}
}

// stuck is a mail server that does not answer.
type stuck struct{ entered, leave chan struct{} }

func (s stuck) Send(context.Context, newsroom.Mail) error {
	close(s.entered)
	<-s.leave
	return nil
}

func TestASlowMailServerHoldsNothingUp(t *testing.T) {
	h := newHouse(t)
	id := h.ready("12-02")
	s := stuck{make(chan struct{}), make(chan struct{})}
	h.Newsroom.Mail = s
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error { // one mail only
		_, err := tx.Exec(ctx, "UPDATE outbox SET sent_at = 1 WHERE kind = 'mail' AND id <> (SELECT MIN(id) FROM outbox WHERE kind = 'mail')")
		return err
	}))
	done := make(chan error)
	go func() { done <- h.Notify.DeliverMail(ctx) }()
	<-s.entered
	h.now = time.Date(2026, 12, 2, 8, 0, 0, 0, time.UTC)
	h.must(h.Tick(ctx))
	if h.piece(id).Stage != relay.Out || h.count("SELECT COUNT(*) FROM site_page") != 1 {
		t.Error("it did not go out while the mail server was silent")
	}
	close(s.leave)
	h.must(<-done)
}

func TestManyGuessesAtOnceAreCounted(t *testing.T) {
	h := newHouse(t)
	var wg sync.WaitGroup
	var mu sync.Mutex
	wrong, slowed := 0, 0
	for range 12 {
		wg.Add(1)
		go func() {
			defer wg.Done()
			_, err := h.Account.SignIn(ctx, "P1@house.example", "guess", account.From{Host: "10.0.0.1"})
			mu.Lock()
			defer mu.Unlock()
			if refused(err, relay.ErrNotNow) {
				slowed++
			} else if refused(err, relay.ErrNotYours) {
				wrong++
			}
		}()
	}
	wg.Wait()
	if wrong != 5 || slowed != 7 {
		t.Errorf("%d were looked at and %d refused", wrong, slowed)
	}
}

func TestWhatComesNextIsSeenThroughASkippedLeg(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	h.write(writer, id, "four words are enough")
	h.pass(writer, id, "draft") // now pictures and copy run, then Welsh, skipped, then the partner
	d, err := h.Planning.TodayFor(ctx, outside, 1)
	h.must(err)
	if len(d.Next) != 1 || d.Next[0].Leg.Key != "yes" || len(d.With) != 0 {
		t.Errorf("next %+v", d.Next)
	}
	if d, err = h.Planning.TodayFor(ctx, pictures, 1); err != nil || len(d.With) != 1 || d.With[0].Ask != "then pass it; others are still running beside it" {
		t.Errorf("with %+v %v", d.With, err)
	}
}
