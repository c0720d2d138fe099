package sift

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/field"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

const today = day.Date(20_781) // Tue 24 November 2026

func columns() []Column {
	return Columns(Source{
		Zone:   func(m day.Moment) day.Date { return m.Date(time.UTC) },
		Name:   func(of string, id int64) string { return fmt.Sprint(of, " ", id) },
		Fields: []Extra{{7, "Feature: Series", field.One}, {8, "Serves", field.Number}, {9, "Shot on", field.Date}},
	})
}

func facts(p relay.Piece, change func(*Facts)) Facts {
	f := Facts{Piece: &p, Low: strings.ToLower(p.Title), Pace: plan.InHand}
	change(&f)
	return f
}

func TestWhatGoesThroughASieve(t *testing.T) {
	f := facts(relay.Piece{
		Number: 12, Title: "The Tide Mill", FormatID: 1, ChannelID: 2, Owner: 5, Stage: relay.UnderWay, Priority: relay.High, Tags: "rivers,tide mills",
		GoesOut: day.Moment(today+9)*86400 + 8*3600,
		Legs:    []relay.Leg{{Name: "Draft", State: relay.Running, Holder: 3, Effort: 120, Allowance: 2, Rework: 1}, {Name: "Edit", State: relay.Waiting, Holder: 4, Effort: 60}},
	}, func(f *Facts) {
		f.Pace, f.InHand, f.IsQuiet, f.NextDue, f.Today, f.Values = plan.Short, -2, true, today-1, today, map[ref.Field]string{7: "Winter", 8: "4", 9: "2026-11-20"}
	})
	for q, want := range map[string]bool{
		"title=tide": true, "title=tides": false, "title=!tide": false, "number=12": true, "number=10..": true, "number=13..": false, "number=..12": true, "number=3,12": true,
		"format=1": true, "format=2,1": true, "format=!1": false, "format=2": false, "campaign=none": true, "campaign=any": false, "campaign=!none": false,
		"who=3": true, "who=4": false, "who=5": false, "person=5": true, "person=3": true, "leg=draft": true, "leg=edit": false,
		"pace=short": true, "pace=no+room": false, "pace=running": true, "pace=quiet": true, "pace=open": false, "pace=no+room,short": true, "hand=..-1": true, "hand=0..": false,
		"priority=1": true, "priority=!1": false, "tags=rivers": true, "tags=Tide+Mills": true, "tags=mills": false,
		"due=..-1": true, "due=today": false, "due=2026-11-23": true, "out=0..%2B7": false, "out=0..%2B9": true, "out=2026-12-03": true, "went=none": true, "went=any": false,
		"left=2": true, "overdue=yes": true, "overdue=no": false, "open=yes": false, "back=yes": true,
		"x7=winter": true, "x7=none": false, "x8=3..5": true, "x8=5..": false, "x9=..today": true, "x9=2026-11-20": true,
		"nothing=like+this": true, "format=1&pace=short": true, "format=1&pace=ready": false, "format=": true,
	} {
		v, err := url.ParseQuery(q)
		if err != nil {
			t.Fatal(err)
		}
		s, err := Parse(columns(), v, today)
		if err != nil {
			t.Errorf("%s: %v", q, err)
			continue
		}
		if got := s.Fits(&f); got != want {
			t.Errorf("%s: %v", q, got)
		}
	}
}

// Words of the calendar are days between a Monday and a Sunday, or of a month, looked up day
// by day. 24 November 2026 is a Tuesday.
func TestWordsOfTheCalendar(t *testing.T) {
	for words, want := range map[string]string{
		"yesterday": "2026-11-23..2026-11-23", "today": "2026-11-24..2026-11-24", "tomorrow": "2026-11-25..2026-11-25",
		"last week": "2026-11-16..2026-11-22", "this week": "2026-11-23..2026-11-29", "next week": "2026-11-30..2026-12-06",
		"last month": "2026-10-01..2026-10-31", "this month": "2026-11-01..2026-11-30", "next month": "2026-12-01..2026-12-31",
	} {
		for d := today - 70; d < today+70; d++ {
			f := facts(relay.Piece{}, func(f *Facts) { f.NextDue = d })
			by := func(v string) bool {
				s, err := Parse(columns(), url.Values{"due": {v}}, today)
				if err != nil {
					t.Fatal(err)
				}
				return s.Fits(&f)
			}
			if by(words) != by(want) || by("!"+words) == by(words) {
				t.Errorf("%s of %s: %v", words, d, by(words))
			}
		}
	}
}

// What is written of some values is read as those values.
func TestWrittenIsRead(t *testing.T) {
	for _, x := range []struct {
		kind   Kind
		values []string
		not    bool
		want   string
	}{
		{Choice, []string{"high", "first"}, false, "high,first"}, {Named, []string{"3"}, true, "!3"}, {Choice, nil, true, ""}, {Choice, []string{"", " "}, true, ""},
		{Text, []string{"rye, and oats"}, true, "!rye, and oats"}, {Date, []string{"this week", "none"}, false, "this week,none"},
	} {
		got := Written(x.values, x.not)
		if got != x.want {
			t.Errorf("%v is written %q, want %q", x.values, got, x.want)
		}
		if got == "" {
			continue
		}
		if values, not := ValuesOf(x.kind, got); not != x.not || !slices.Equal(values, x.values) {
			t.Errorf("%q is read as %q, %v", got, values, not)
		}
	}
}

// A sieve says of a channel by itself what it says of a piece of it.
func TestASieveOfChannels(t *testing.T) {
	for _, q := range []string{"", "1", "1,2", "!1", "!1,2", "any", "none", "!none", "!any", "3"} {
		s, err := Parse(columns(), url.Values{"channel": {q}}, today)
		if err != nil {
			t.Fatal(err)
		}
		for id := int64(1); id < 4; id++ {
			f := facts(relay.Piece{ChannelID: ref.Channel(id)}, func(*Facts) {})
			if s.Lets("channel", id) != s.Fits(&f) {
				t.Errorf("channel=%s lets %d through: %v", q, id, s.Lets("channel", id))
			}
		}
		if !s.Only("channel") || q != "" && s.Only("desk") {
			t.Errorf("channel=%s asks of channels only", q)
		}
	}
}

// Theirs is what somebody owns, and whose legs they hold, held or will hold.
func TestTheirs(t *testing.T) {
	f := facts(relay.Piece{Owner: 1, Legs: []relay.Leg{{State: relay.Passed, Holder: 2}, {State: relay.Running, Holder: 3}, {State: relay.Waiting, Holder: 4}, {State: relay.Skipped, Holder: 5}}}, func(*Facts) {})
	for id, want := range []bool{false, true, true, true, true, false} {
		s, err := Parse(columns(), url.Values{"person": {fmt.Sprint(id)}}, today)
		if err != nil || s.Fits(&f) != want {
			t.Errorf("theirs of %d: %v, %v", id, s.Fits(&f), err)
		}
	}
}

func TestWhatIsNotUnderstoodIsSaid(t *testing.T) {
	for q, says := range map[string]string{"due=soon": "a date like 2026-12-03", "number=few": "a number like 3", "format=feature": "from the list", "overdue=maybe": "yes or no", "out=1..x": "days from today"} {
		v, err := url.ParseQuery(q)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := Parse(columns(), v, today); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", q, err)
		}
	}
}

func randomFacts(r *rand.Rand) Facts {
	p := relay.Piece{ID: ref.Piece(r.IntN(1000)), Number: r.IntN(50), Title: []string{"Rye", "Oat", "Emmer", "", "rye"}[r.IntN(5)], FormatID: ref.Format(r.IntN(3)), Owner: ref.Person(r.IntN(3)), Stage: relay.UnderWay,
		Priority: relay.Priority(r.IntN(4) - 1), Tags: []string{"", "a", "a,b"}[r.IntN(3)], GoesOut: day.Moment(r.IntN(3)) * day.Moment(today+day.Date(r.IntN(9))) * 86400 / 2}
	for range r.IntN(3) {
		p.Legs = append(p.Legs, relay.Leg{Name: "Draft", State: []relay.State{relay.Running, relay.Waiting, relay.Passed}[r.IntN(3)], Holder: ref.Person(r.IntN(3))})
	}
	return facts(p, func(f *Facts) {
		f.Today = today
		f.Pace, f.InHand, f.NextDue = paceRank[r.IntN(len(paceRank))], r.IntN(9)-4, day.Date(r.IntN(2))*(today+day.Date(r.IntN(5)-2))
	})
}

// A turned-round term lets through just what the term does not, and whoever has no
// value is "none", whoever has one "any".
func TestTurningRound(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	cs := columns()
	for range 400 {
		f := randomFacts(r)
		for _, c := range cs {
			values := []string{"1", "any", "none"}
			if c.Kind == Date {
				values[0] = "+1"
			}
			if c.Kind == Yes {
				values = []string{"yes", "no"}
			}
			for _, v := range values {
				plain, err := Parse(cs, url.Values{c.Key: {v}}, today)
				turned, err2 := Parse(cs, url.Values{c.Key: {"!" + v}}, today)
				if err != nil || err2 != nil {
					t.Fatal(err, err2)
				}
				if plain.Fits(&f) == turned.Fits(&f) {
					t.Fatalf("%s=%s and turned round say the same of %+v", c.Key, v, f)
				}
			}
		}
	}
}

// The first so many of an order are those of the standard library's stable sort.
func TestTheFirstOfAnOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	cs := columns()
	for range 200 {
		var rows []Facts
		for range r.IntN(60) {
			rows = append(rows, randomFacts(r))
		}
		var text []string
		for range 1 + r.IntN(3) {
			text = append(text, []string{"", "-"}[r.IntN(2)]+cs[r.IntN(len(cs))].Key)
		}
		order := Order(cs, strings.Join(text, ","))
		want := slices.Clone(rows)
		slices.SortStableFunc(want, func(x, y Facts) int {
			for _, b := range order {
				p, q := b.Column.key(&x), b.Column.key(&y)
				if n := p.compare(&q, b.Down); n != 0 {
					return n
				}
			}
			return 0
		})
		need := r.IntN(70)
		got := Sort(rows, need, func(f Facts) Facts { return f }, order)
		if len(got) != min(need, len(rows)) {
			t.Fatalf("%d of %d, %d needed", len(got), len(rows), need)
		}
		for i := range got {
			if got[i].Piece != want[i].Piece {
				t.Fatalf("by %v: place %d of %d", text, i, len(rows))
			}
		}
	}
}

func TestGroupsAndSums(t *testing.T) {
	cs := columns()
	f := facts(relay.Piece{FormatID: 1, Tags: "a,b", Stage: relay.UnderWay, Legs: []relay.Leg{{State: relay.Running, Holder: 3, Effort: 90}, {State: relay.Running, Holder: 4, Effort: 60}}}, func(f *Facts) {
		f.Values = map[ref.Field]string{8: "4"}
	})
	for key, want := range map[string]string{"format": "format 1", "who": "person 3, person 4", "tags": "a, b", "campaign": "", "pace": "in hand", "open": "No", "x8": "4", "due": ""} {
		if got := Find(cs, key).Group(&f); got != want {
			t.Errorf("%s is grouped under %q, want %q", key, got, want)
		}
	}
	for key, want := range map[string]float64{"left": 2.5, "x8": 4} {
		if got, ok := Find(cs, key).Sum(&f); !ok || got != want {
			t.Errorf("%s adds %v", key, got)
		}
	}
	if Find(cs, "number").Sums() || Find(cs, "title").Sums() {
		t.Error("numbers of pieces are added up")
	}
}

// Whatever is typed into an address, nothing breaks, and what is understood is understood
// the same way again.
func FuzzParse(f *testing.F) {
	f.Add("due", "..+3,!none")
	f.Add("x8", "1..,..2")
	f.Fuzz(func(t *testing.T, key, value string) {
		cs := columns()
		s, err := Parse(cs, url.Values{key: {value}}, today)
		if err != nil {
			return
		}
		r := rand.New(rand.NewPCG(7, 7))
		for range 5 {
			x := randomFacts(r)
			first := s.Fits(&x)
			again, err := Parse(cs, url.Values{key: {value}}, today)
			if err != nil || again.Fits(&x) != first {
				t.Errorf("%s=%s: %v", key, value, err)
			}
		}
	})
}
