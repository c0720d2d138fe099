package draw

import (
	"fmt"
	"strconv"

	"greenbaton/core/english"
	"greenbaton/core/forecast"
	"greenbaton/newsroom/planning"
)

// OddsView is how likely a piece makes its day.
type OddsView struct {
	Chance  string
	Kept    []string // of keeping due dates set by hand, in sentences
	Days    []oddsDay
	Learned string
}

type oddsDay struct {
	Level int
	Date  string
}

// NewOdds says how likely a piece makes its day; nil where nothing is foreseen.
func NewOdds(s planning.Sheet) *OddsView {
	f := s.Forecast
	if f == nil {
		return nil
	}
	v := &OddsView{}
	if s.Row.GoesOut != 0 {
		v.Chance = strconv.Itoa(int(f.Chance*100 + 0.5))
	}
	for _, k := range f.Kept {
		l := s.Row.Leg(k.Leg)
		v.Kept = append(v.Kept, fmt.Sprintf("%d %% chance of keeping the date set by hand for %s, %s", int(k.Chance*100+0.5), l.Name, english.Date(l.Pin)))
	}
	for i, level := range forecast.Levels {
		d := "never"
		if f.Days[i] != 0 {
			d = english.Date(f.Days[i])
		}
		v.Days = append(v.Days, oddsDay{int(level*100 + 0.5), d})
	}
	left := 0
	for i := range s.Row.Legs {
		if !s.Row.Legs[i].Done() {
			left++
		}
	}
	v.Learned = fmt.Sprintf("learnt from finished runs of %d of the %s to come", f.Learned, english.Plural(left, "leg"))
	if f.Learned == 0 {
		v.Learned = "from the days allowed; there are too few finished runs to learn from"
	}
	return v
}
