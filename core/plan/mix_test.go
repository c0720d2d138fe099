package plan

import (
	"math/rand/v2"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

func TestRowsOfOneTopic(t *testing.T) {
	// Topics in the order they go out; 0 is none. Want the lengths of the rows of three and more.
	for _, x := range []struct {
		topics []ref.Topic
		want   []int
	}{
		{[]ref.Topic{1, 1, 2, 1, 1}, nil},
		{[]ref.Topic{1, 1, 1, 2, 2, 2, 2}, []int{3, 4}},
		{[]ref.Topic{1, 0, 1, 0, 0, 1, 2}, []int{3}},
		{nil, nil},
	} {
		var pieces []*relay.Piece
		for i, topic := range x.topics {
			pieces = append(pieces, &relay.Piece{ID: ref.Piece(i + 1), TopicID: topic, GoesOut: day.Moment(1000 + i)})
		}
		rand.Shuffle(len(pieces), func(i, k int) { pieces[i], pieces[k] = pieces[k], pieces[i] })
		got := Runs(pieces)
		if len(got) != len(x.want) {
			t.Fatalf("%v: %d rows, want %d", x.topics, len(got), len(x.want))
		}
		for i, r := range got {
			if len(r.Pieces) != x.want[i] {
				t.Errorf("%v: a row of %d, want %d", x.topics, len(r.Pieces), x.want[i])
			}
		}
	}
}

func TestTargetsForASpan(t *testing.T) {
	for _, x := range []struct{ four, days, want int }{{4, 28, 4}, {4, 35, 5}, {4, 14, 2}, {3, 14, 2}, {1, 7, 0}, {5, 91, 16}, {0, 35, 0}} {
		if got := Target(x.four, x.days); got != x.want {
			t.Errorf("%d in four weeks is %d in %d days, want %d", x.four, got, x.days, x.want)
		}
	}
}

// What is shown on every day while a piece is held is what a preview of each would say.
func TestStandsAgreeWithPreviews(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	for range 300 {
		b := randomBoard(r, 4)
		for _, p := range b.Pieces {
			if p.Stage != relay.UnderWay {
				continue
			}
			h, today := b.Desk(p), b.Today(p.DeskID)
			var dates []day.Date
			for k := range 12 {
				dates = append(dates, today+day.Date(1+k*r.IntN(6)))
			}
			for i, s := range h.Stands(p, today, dates) {
				c, err := b.Preview([]Change{{Do: DoMove, Piece: p.ID, At: day.Wall(dates[i], 480, h.Zone)}})
				if err != nil {
					t.Fatal(err)
				}
				if after := c.Effects[0].After; after.InHand != s.InHand || after.Pace != s.Pace {
					t.Fatalf("on %v: %v %d, a preview says %v %d", dates[i], s.Pace, s.InHand, after.Pace, after.InHand)
				}
			}
			break
		}
	}
}

// The week of a date keeps weekday and time over a change of the clocks; a piece without a
// day gets a free slot of that week; a shift counts working days.
func TestAnotherWeekAndSomeDaysLater(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	for range 200 {
		b := randomBoard(r, 4)
		for _, p := range b.Pieces {
			h := b.Desk(p)
			week := b.Today(p.DeskID) + day.Date(7*r.IntN(30))
			at := b.InWeek(p, week)
			if p.GoesOut == 0 {
				if at != 0 && (at.Date(h.Zone).Monday() != week.Monday() || at <= b.Now) {
					t.Fatalf("the week of %v gives %v", week, at.In(h.Zone))
				}
				continue
			}
			was, is := p.GoesOut.In(h.Zone), at.In(h.Zone)
			if is.Weekday() != was.Weekday() || is.Format("15:04") != was.Format("15:04") || at.Date(h.Zone).Monday() != week.Monday() {
				t.Fatalf("%v becomes %v in the week of %v", was, is, week)
			}
			n := 1 + r.IntN(9)
			later := h.Later(p, n).Date(h.Zone)
			if got := h.Calendar.Count(h.Calendar.NextWorking(p.GoesOut.Date(h.Zone)), later); got != n {
				t.Fatalf("%d working days later are %d", n, got)
			}
		}
	}
}
