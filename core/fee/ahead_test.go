package fee

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// What a piece still comes to, by how it is and what was agreed.
func TestWhatAPieceStillComesTo(t *testing.T) {
	const today = day.Date(20_000)
	piece := func(change func(*relay.Piece)) *relay.Piece {
		p := &relay.Piece{
			ID: 7, Stage: relay.UnderWay, FormatID: 1, WordsTo: 900, Legs: []relay.Leg{{Key: "brief", State: relay.Passed, EndDay: today - 3}, {Key: "draft", State: relay.Running, Holder: 1, Due: today + 4, Effort: 90}, {Key: "edit", State: relay.Waiting, Due: today + 6}},
			After: []relay.Leg{{Key: "post", State: relay.Waiting, Due: today + 9, Later: true}},
		}
		if change != nil {
			change(p)
		}
		return p
	}
	work := func(state State, t Terms) Line {
		return Line{ID: 3, Leg: "draft", Person: 1, Kind: ForWork, State: state, Begun: true, Times: 1, Terms: t}
	}
	once := Terms{Per: Piece, Rate: 100_00}
	a := Ahead{Today: today, Policy: Policy{Unused: 50, Rework: 40}, Rounding: Even, Means: Sums{1: {"edit": 30, "post": 8}}}
	for name, x := range map[string]struct {
		piece *relay.Piece
		lines []Line
		now   []ref.Fee
		want  string
	}{
		"nothing is agreed":           {piece(nil), nil, nil, "likely 30 on 6, likely 8 on 9"},
		"by the piece":                {piece(nil), []Line{work(Agreed, once)}, nil, "promised 100 on 4, likely 30 on 6, likely 8 on 9"},
		"by the word":                 {piece(nil), []Line{work(Agreed, Terms{Per: Word, Rate: 20})}, nil, "promised 180 on 4, likely 30 on 6, likely 8 on 9"},
		"by the hour, as reckoned":    {piece(nil), []Line{work(Agreed, Terms{Per: Hour, Rate: 40_00})}, nil, "promised 60 on 4, likely 30 on 6, likely 8 on 9"},
		"it is late":                  {piece(func(p *relay.Piece) { p.Legs[1].Due = today - 5 }), []Line{work(Agreed, once)}, nil, "promised 100 on 0, likely 30 on 6, likely 8 on 9"},
		"it is accepted":              {piece(nil), []Line{work(Accepted, once)}, nil, "likely 30 on 6, likely 8 on 9"},
		"it would be accepted":        {piece(nil), []Line{work(Accepted, once)}, []ref.Fee{3}, "to check 100 on 0, likely 30 on 6, likely 8 on 9"},
		"it came back twice":          {piece(nil), []Line{{ID: 4, Leg: "draft", Kind: ForRework, State: Agreed, Begun: true, Times: 2, Terms: once}}, nil, "promised 80 on 4, likely 30 on 6, likely 8 on 9"},
		"one is offered":              {piece(func(p *relay.Piece) { p.Legs[2].Fee = 55 }), nil, nil, "likely 55 on 6, likely 8 on 9"},
		"one is skipped":              {piece(func(p *relay.Piece) { p.Legs[2].State = relay.Skipped }), nil, nil, "likely 8 on 9"},
		"it is out":                   {piece(func(p *relay.Piece) { p.Stage = relay.Out }), nil, nil, "likely 8 on 9"},
		"it is withdrawn":             {piece(func(p *relay.Piece) { p.Stage = relay.Withdrawn }), []Line{work(Agreed, once)}, nil, ""},
		"it would be paid by a share": {piece(func(p *relay.Piece) { p.Stage = relay.Withdrawn }), []Line{{Leg: "draft", Kind: ForUnused, State: Accepted, Times: 1, Terms: once}}, nil, "to check 50 on 0"},
		"taken, and not begun":        {piece(func(p *relay.Piece) { p.Legs[2].Holder, p.Legs[2].TakenAt = 2, 1 }), []Line{{ID: 5, Leg: "edit", Kind: ForWork, State: Agreed, Times: 1, Terms: once}}, nil, "promised 100 on 6, likely 8 on 9"},
		"given, and not begun":        {piece(func(p *relay.Piece) { p.Legs[2].Holder = 2 }), []Line{{ID: 5, Leg: "edit", Kind: ForWork, State: Agreed, Times: 1, Terms: once}}, nil, "likely 100 on 6, likely 8 on 9"},
	} {
		var got []string
		for _, m := range a.Of(x.piece, x.lines, x.now...) {
			got = append(got, fmt.Sprintf("%s %d on %d", map[Step]string{Promised: "promised", Likely: "likely", ToCheck: "to check"}[m.Step], m.Amount, m.Day-today))
			if m.Piece != 7 || m.Format != 1 {
				t.Errorf("%s: %+v", name, m)
			}
		}
		if strings.Join(got, ", ") != x.want {
			t.Errorf("%s: %q, want %q", name, got, x.want)
		}
	}
	old, done := piece(func(p *relay.Piece) { p.Legs[0].EndDay = today - 400 }), piece(nil)
	if m := (Sums{1: {"brief": 90, "edit": 12}}).Means(slices.Values([]*relay.Piece{old, done, done, done}), today-366); m[1]["brief"] != 30 || m[1]["edit"] != 12 {
		t.Errorf("on average %v", m)
	}
}

// Nine tenths are nearly all of a budget, and more than all of it is over.
func TestTheLevelsOfABudget(t *testing.T) {
	for spent, want := range map[int64]Level{89: "", 90: Nearly, 100: Nearly, 101: Over} {
		if got := (Use{Paid: spent - 50, Promised: 50, Likely: 70}).Level(100); got != want {
			t.Errorf("%d of 100: %q", spent, got)
		}
	}
}
