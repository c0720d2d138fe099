package piece

import (
	"context"
	"fmt"
	"html/template"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

// Figures is what the section asks of the room of figures.
type Figures interface {
	DropAim(ctx context.Context, by ref.Person, id ref.Aim) error
	Of(ctx context.Context, who ref.Person, piece ref.Piece) (figures.Sheet, error)
	SaveAim(ctx context.Context, by ref.Person, x store.Aim) error
	SaveOutcome(ctx context.Context, by ref.Person, x store.Outcome) error
	SetFigure(ctx context.Context, by ref.Person, piece ref.Piece, m ref.Measure, on day.Date, value float64, drop bool) error
}

// didView is how a piece did, what it was to reach, and what was learnt.
type didView struct {
	Piece    ref.Piece
	Out      bool
	Rows     []didRow
	Aims     []aimRow
	Outcome  kit.OutcomeView
	Notes    bool
	Aiming   bool
	Measures []store.Measure
	Today    string
	Form     url.Values
	Opened   string
	Field    string
}

type didRow struct {
	Name, Value, Says string
	Days              template.HTML
}

type aimRow struct {
	ID         ref.Aim
	Text, Says string
	Tone       string
}

// Shown reports whether there is anything to say.
func (v didView) Shown() bool {
	return len(v.Rows) > 0 || len(v.Aims) > 0 || v.Aiming || v.Outcome.Said != ""
}

// Is reports whether a field of the form has a value.
func (v didView) Is(field string, value any) bool { return v.Form.Get(field) == fmt.Sprint(value) }

// did adds to the page of a piece how it did.
func (s *Section) did(c *echo.Context, b *newsroom.Setup, v *pieceView) error {
	got, err := s.Figures.Of(c.Request().Context(), kit.Me(c).ID, v.Row.ID)
	if err != nil {
		return err
	}
	x := &v.Did
	x.Piece, x.Out, x.Notes, x.Aiming, x.Measures, x.Form = v.Row.ID, got.Out != 0, got.Notes, got.Aiming, b.MeasuresOf(v.Row.DeskID), url.Values{}
	x.Today = s.Newsroom.Now().Date(b.Zones[v.Row.DeskID]).String()
	for _, d := range got.Did {
		row := didRow{Name: d.Measure.Name, Value: strings.TrimSpace(figures.Number(d.Sum.Total) + " " + d.Measure.Unit)}
		row.Says = "since " + english.Date(d.Sum.FromDay)
		if d.Known && !d.Others.Few() {
			row.Says = fmt.Sprintf("%s in its first %s; half of the others of its format have %s or more", figures.Number(d.Is), english.Plural(d.Window, "day"), figures.Number(d.Others.Median))
		}
		if d.Measure.How == measure.Added {
			row.Days = draw.Days(d.Days, got.Out, fmt.Sprintf("%s by day over the first four weeks, %s in all", d.Measure.Name, figures.Say(d.Measure, d.Sum.Total)))
		}
		x.Rows = append(x.Rows, row)
	}
	for _, a := range got.Aims {
		x.Aims = append(x.Aims, newAim(a))
	}
	if x.Outcome = kit.NewOutcome(got.Outcome); x.Out && x.Aiming {
		x.Outcome.Action = fmt.Sprintf("/pieces/%d/did", v.Row.ID)
	}
	return nil
}

func newAim(a figures.Aim) aimRow {
	x := aimRow{ID: a.ID, Text: figures.Say(a.Measure, a.Value), Tone: "muted"}
	if a.Until != 0 {
		x.Text += " by " + english.Date(a.Until)
	} else {
		x.Text += " in its first four weeks"
	}
	switch {
	case !a.Known:
		x.Says = "no figures yet"
	case a.Reached():
		x.Says, x.Tone = "reached: "+figures.Number(a.Is), "good"
	case a.Over:
		x.Says, x.Tone = "not reached: "+figures.Number(a.Is), "short"
	default:
		x.Says = figures.Number(a.Is) + " so far"
	}
	return x
}

// noteFigure notes by hand what a piece did on a day.
func (s *Section) noteFigure(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		on, err := kit.DateOf(form, "day", "the day")
		if err != nil {
			return "", err
		}
		if on == 0 {
			return "", kit.Input("day", "Give the day the figure is of.")
		}
		drop := form.Get("do") == "drop"
		value, said := 0.0, "The figure is taken back."
		if !drop {
			said = "The figure is noted."
			if value, err = kit.FigureOf(form, "value", "the figure"); err != nil {
				return "", err
			}
		}
		err = s.Figures.SetFigure(c.Request().Context(), kit.Me(c).ID, id, kit.Int[ref.Measure](form, "measure"), on, value, drop)
		return said, err
	})
}

// setAim sets an aim of a piece, or takes one away.
func (s *Section) setAim(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		ctx, me := c.Request().Context(), kit.Me(c).ID
		if a := kit.Int[ref.Aim](form, "aim"); a != 0 {
			return "The aim is taken away.", s.Figures.DropAim(ctx, me, a)
		}
		x := store.Aim{PieceID: id, MeasureID: kit.Int[ref.Measure](form, "measure")}
		var err error
		if x.Value, err = kit.FigureOf(form, "value", "the aim"); err != nil {
			return "", err
		}
		if x.ByDay, err = kit.DateOf(form, "by", "the day"); err != nil {
			return "", err
		}
		return "The aim is set.", s.Figures.SaveAim(ctx, me, x)
	})
}

// sayDid notes how a piece did, and what was learnt.
func (s *Section) sayDid(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		x := kit.OutcomeTyped(form)
		x.PieceID = id
		return "Noted. It comes up again when somebody plans the like.", s.Figures.SaveOutcome(c.Request().Context(), kit.Me(c).ID, x)
	})
}
