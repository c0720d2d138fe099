package newsroom

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/store"
)

// Keep is something that would only grow, and how long it is kept. The logbook, the copies
// with their versions, and what people made are kept for good and stand in no such list.
type Keep struct {
	Key   string // of what is set
	Name  string
	Says  string // what stays all the same
	Days  int    // that it is kept for unless set otherwise
	Least int    // days it must be kept for
	Drop  func(t *store.Tx, ctx context.Context, before day.Moment) (int64, error)
}

// KeptMost is for how many days anything of a Keep can be kept.
const KeptMost = 3650

// dropping is when what is old is looked for again.
type dropping struct{ next day.Moment }

// hour is how often it is, in seconds.
const hour day.Moment = 3600

// Keeps gives what is dropped after a while, each with the days that are set for it.
func (h *Newsroom) Keeps(ctx context.Context) ([]Keep, error) {
	return h.keeps(ctx, h.DB.View())
}

func (h *Newsroom) keeps(ctx context.Context, r store.Reader) ([]Keep, error) {
	out := make([]Keep, len(h.Hooks.Keeps))
	for i, k := range h.Hooks.Keeps {
		set, err := store.Setting(ctx, r, "keep "+k.Key)
		if err != nil {
			return nil, err
		}
		if n, err := strconv.Atoi(set); err == nil {
			k.Days = n
		}
		out[i] = k
	}
	return out, nil
}

// SaveKeeps sets for how many days things are kept, by their keys, for a lead of a desk.
func (h *Newsroom) SaveKeeps(ctx context.Context, by ref.Person, desk ref.Desk, days map[string]int) error {
	return h.SetUpAct(ctx, by, desk, func(a *Command) error {
		now, err := h.keeps(a, a.Tx)
		if err != nil {
			return err
		}
		var changed []string
		for _, k := range now {
			n, ok := days[k.Key]
			if !ok || n == k.Days {
				continue
			}
			if n < k.Least || n > KeptMost {
				return Invalid(k.Key, "%s are kept for %d to %d days; write a number between them.", k.Name, k.Least, KeptMost)
			}
			if err := a.Tx.SetSetting(a, "keep "+k.Key, strconv.Itoa(n)); err != nil {
				return err
			}
			changed = append(changed, fmt.Sprintf("%s for %s instead of %d", english.LowerFirst(k.Name), english.Plural(n, "day"), k.Days))
		}
		if len(changed) == 0 {
			return nil
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "keeps " + strings.Join(changed, ", ")})
	})
}

// dropOld drops what is kept no longer, a little at a time: each hour, and in the next tick
// again as long as there is more.
func (h *Newsroom) dropOld(ctx context.Context) error {
	now, d := h.Now(), PartOf[dropping](h)
	if now < d.next && d.next-now <= hour { // a clock that was put back is not waited for
		return nil
	}
	keeps, err := h.Keeps(ctx)
	if err != nil {
		return err
	}
	var failed error
	more := false
	for _, k := range keeps {
		failed = errors.Join(failed, h.Alone(ctx, Errand{What: "drop old " + k.Key}, func() error {
			return h.Do(ctx, 0, func(a *Command) error {
				n, err := k.Drop(a.Tx, a, now-day.Moment(k.Days)*24*hour)
				more = more || n >= store.DropMost
				return err
			})
		}))
	}
	if !more {
		d.next = now + hour
	}
	return failed
}
