package figures

import (
	"context"
	"math"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// SaveMeasure stores a measure of a desk, a new one where it has no id.
func (h Room) SaveMeasure(ctx context.Context, by ref.Person, m store.Measure) (ref.Measure, error) {
	err := h.SetUpAct(ctx, by, m.DeskID, func(a *newsroom.Command) error {
		m.Name, m.Unit = strings.TrimSpace(m.Name), strings.TrimSpace(m.Unit)
		was := a.Setup.Measure(m.ID)
		if err := checkMeasure(a.Setup, m, was); err != nil {
			return err
		}
		for _, x := range a.Setup.MeasuresOf(m.DeskID) { // one is the main one
			if x.ID != m.ID && x.Main && m.Main {
				x.Main = false
				if _, err := a.Tx.SaveMeasure(a, x); err != nil {
					return err
				}
			}
		}
		id, err := a.Tx.SaveMeasure(a, m)
		if err != nil {
			return err
		}
		m.ID = max(m.ID, id)
		before, after := newsroom.Differ(was, m)
		if err := a.Log(store.Entry{DeskID: m.DeskID, Act: "set up", What: "changed the measure " + m.Name, Before: before, After: after}); err != nil {
			return err
		}
		if was.ID != 0 && (was.How != m.How || was.WeighedBy != m.WeighedBy) {
			return resettleMeasure(a, m)
		}
		return nil
	})
	return m.ID, err
}

func checkMeasure(b *newsroom.Setup, m, was store.Measure) error {
	same := func(x store.Measure) bool {
		return x.ID != m.ID && x.DeskID == m.DeskID && !x.Retired && strings.EqualFold(x.Name, m.Name)
	}
	by := b.Measure(m.WeighedBy)
	switch {
	case m.ID != 0 && was.DeskID != m.DeskID:
		return newsroom.ErrNotFound
	case m.Name == "" || len([]rune(m.Name)) > 40:
		return newsroom.Invalid("measure", "Give the measure a name of up to 40 characters, like Reads.")
	case slices.ContainsFunc(b.Measures, same):
		return newsroom.Invalid("measure", "There is a measure of this name already. Choose another.")
	case len([]rune(m.Unit)) > 12:
		return newsroom.Invalid("unit", "Keep the unit under 12 characters, like min.")
	case !slices.Contains([]measure.How{measure.Added, measure.Averaged, measure.Last}, m.How):
		return newsroom.Invalid("how", "Say how the figures of several days become one.")
	case !slices.Contains([]measure.Better{measure.More, measure.Fewer, measure.Neither}, m.Better):
		return newsroom.Invalid("better", "Say which way is better.")
	case m.WeighedBy != 0 && (by.DeskID != m.DeskID || by.ID == m.ID || by.How != measure.Added):
		return newsroom.Invalid("weighed_by", "Days are weighed by another measure of the desk that is added up.")
	case m.Counts != "" && m.Counts != store.Visits && m.Counts != store.Clicks:
		return newsroom.Invalid("counts", "Choose what the program counts for it.")
	case m.Counts != "" && m.How != measure.Added:
		return newsroom.Invalid("how", "What the program counts is added up.")
	}
	return nil
}

// resettleMeasure works out anew what all pieces did by a measure that is put together otherwise.
func resettleMeasure(a *newsroom.Command, m store.Measure) error {
	all, err := store.FigureSums(a, a.Tx)
	if err != nil {
		return err
	}
	touched := map[store.FigureKey]bool{}
	for _, s := range all {
		if s.MeasureID == m.ID {
			touched[store.FigureKey{PieceID: s.PieceID, MeasureID: s.MeasureID}] = true
		}
	}
	return settleBy(a, touched, m)
}

// Absurd is beyond what a figure may be, either way from zero.
const Absurd = 1e12

// CheckFigure refuses a figure that cannot be one: negative where it is added up, absurd, or of a
// day long before the piece was out or after today.
func CheckFigure(m store.Measure, value float64, on, today day.Date) error {
	switch {
	case math.IsNaN(value) || math.Abs(value) > Absurd:
		return newsroom.Invalid("value", "No %s are so many. Look at the figure again.", strings.ToLower(m.Name))
	case value < 0 && m.How == measure.Added:
		return newsroom.Invalid("value", "%s are added up, so none is below zero.", m.Name)
	case on == 0 || on > today:
		return newsroom.Invalid("day", "Figures are of days that have been. Choose today or a day before.")
	case on < today-50*366:
		return newsroom.Invalid("day", "This day is too long ago.")
	}
	return nil
}

// SetFigure notes by hand what a piece did on a day; with drop it takes that back. It is for leads,
// staff, and the owner of the piece.
func (h Room) SetFigure(ctx context.Context, by ref.Person, piece ref.Piece, m ref.Measure, on day.Date, value float64, drop bool) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		row, err := a.Load(newsroom.Order{Act: relay.ActSee, Piece: piece})
		if err != nil {
			return err
		}
		x := a.Setup.Measure(m)
		if !a.Who(row.DeskID).Access.May(relay.MakePieces) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Figures are noted by leads and staff of the desk."}
		}
		if x.DeskID != row.DeskID {
			return newsroom.Invalid("measure", "Choose one of the desk's measures.")
		}
		f := store.Figure{PieceID: piece, MeasureID: m, Day: on, Source: measure.Hand, Value: value, At: a.Now}
		what := "noted " + Say(x, value) + " on " + on.String()
		if drop {
			if err := a.Tx.DropFigure(a, f); err != nil {
				return err
			}
			if err := settleAll(a, map[store.FigureKey]bool{{PieceID: piece, MeasureID: m}: true}); err != nil {
				return err
			}
			what = "took back what was noted of " + x.Name + " on " + on.String()
		} else {
			if err := CheckFigure(x, value, on, a.Now.Date(a.Setup.Zones[row.DeskID])); err != nil {
				return err
			}
			if err := Put(a, []store.Figure{f}); err != nil {
				return err
			}
		}
		return a.Log(store.Entry{DeskID: row.DeskID, PieceID: piece, Act: "figure", What: what, Version: row.Version})
	})
}
