package setup

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// KeptMost is for how many days anything of a newsroom.Keep can be kept.
const KeptMost = 3650

// dropping is when what is old is looked for again.
type dropping struct{ next day.Moment }

// hour is how often it is, in seconds.
const hour day.Moment = 3600

// Keeps gives what is dropped after a while, each with the days that are set for it.
func (h Room) Keeps(ctx context.Context) ([]newsroom.Keep, error) {
	return h.keeps(ctx, h.DB.View())
}

func (h Room) keeps(ctx context.Context, r store.Reader) ([]newsroom.Keep, error) {
	out := make([]newsroom.Keep, len(h.Hooks.Keeps))
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
func (h Room) SaveKeeps(ctx context.Context, by ref.Person, desk ref.Desk, days map[string]int) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
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
				return newsroom.Invalid(k.Key, "%s are kept for %d to %d days; write a number between them.", k.Name, k.Least, KeptMost)
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
func (h Room) dropOld(ctx context.Context) error {
	now, d := h.Now(), newsroom.PartOf[dropping](h.Newsroom)
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
		failed = errors.Join(failed, h.Alone(ctx, newsroom.Errand{What: "drop old " + k.Key}, func() error {
			return h.Do(ctx, 0, func(a *newsroom.Command) error {
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
