package notification

import (
	"math/rand/v2"
	"testing"
	"time"

	"greenbaton/core/day"
)

var london = func() *time.Location {
	z, err := time.LoadLocation("Europe/London")
	if err != nil {
		panic(err)
	}
	return z
}()

// Whatever the quiet hours and days off, over both changes of the clock: what is held comes
// at the first free minute, and not before.
func TestWhatIsHeldComesAtTheFirstFreeMinute(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 600 {
		q := Quiet{From: r.IntN(24) * 60, To: r.IntN(24) * 60, Off: r.IntN(2) == 0, Zone: london}
		off := r.IntN(7)
		q.Works = func(d day.Date) bool { return int(d.Weekday()) != off && d.Weekday() != time.Sunday }
		month := []time.Month{time.March, time.October, time.July}[r.IntN(3)]
		m := day.Wall(day.NewDate(2026, month, 20+r.IntN(11)), r.IntN(1440), london)
		got := q.Next(m)
		if !q.Free(got) || got < m {
			t.Fatalf("%+v: %s is held until %s, which is not free", q, m.In(london), got.In(london))
		}
		for x := m; x < got; x += 60 {
			if q.Free(x) {
				t.Fatalf("%+v: %s is held until %s, and %s is free", q, m.In(london), got.In(london), x.In(london))
			}
		}
		at := q.DigestAt(m, 8*60+30)
		if at <= m || !q.works(at.Date(london)) || at.In(london).Hour() != 8 {
			t.Fatalf("%+v: the digest after %s comes %s", q, m.In(london), at.In(london))
		}
	}
}

func TestWhoNeverWorksIsToldAtOnce(t *testing.T) {
	q := Quiet{Off: true, Works: func(day.Date) bool { return false }, Zone: london}
	if m := day.Moment(1_795_500_000); q.Next(m) != m {
		t.Error("it is held for ever")
	}
}
