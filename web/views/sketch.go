package views

import (
	"errors"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

// SketchBar is what stands above a view in which a sketch is looked at.
type SketchBar struct {
	ID     ref.Sketch
	Name   string
	Sum    string
	Tone   string        // of the sum; "" for nothing bad
	News   int           // how much became otherwise since it was last seen
	Failed int           // changes that cannot be made any more
	Views  []kit.Setting // the views that show a sketch
	Leave  string        // the view as it is
}

// Parts gives the part of a view that says what a sketch comes to, if one is looked at.
func (h *ViewHead) Parts() []kit.Part {
	if h.Sketch == nil {
		return nil
	}
	return []kit.Part{{Key: "sketch", Template: "sketch-bar", Data: h.Sketch}}
}

// sketched reads the sketch that a view is to show.
func (s *Section) sketched(c *echo.Context, v *Viewing) error {
	id := kit.Int[ref.Sketch](v.Q, "sketch")
	if v.Q.Get("sketch") == "" || v.At.Path != "/lineup" && v.At.Path != "/load" {
		return nil
	}
	sketch, err := s.Planning.SketchFor(c.Request().Context(), kit.Me(c).ID, id)
	if errors.Is(err, newsroom.ErrNotFound) {
		v.problem = "This sketch is not there any more, or is not yours. Here is the plan as it is."
		v.At.Q = url.Values{}
		for k, x := range v.Q {
			if k != "sketch" {
				v.At.Q[k] = x
			}
		}
		return nil
	} else if err != nil {
		return err
	}
	v.sketch, v.Look.Trial = &sketch, &sketch.Trial
	return nil
}

func newSketchBar(v *Viewing) *SketchBar {
	s := v.sketch
	bar := &SketchBar{ID: s.ID, Name: s.Name, News: len(s.News), Failed: len(s.Failed), Leave: v.At.With("sketch", "")}
	good := false
	if bar.Sum, good = planning.SaySketch(v.B, s); !good {
		bar.Tone = "short"
	}
	for _, x := range []struct{ path, name string }{{"/lineup", "Lineup"}, {"/load", "Load"}} {
		bar.Views = append(bar.Views, kit.Setting{Name: x.name, Link: x.path + "?sketch=" + kit.Str(s.ID), On: x.path == v.At.Path})
	}
	return bar
}
