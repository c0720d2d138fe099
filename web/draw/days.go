package draw

import (
	"fmt"
	"html/template"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/measure"
)

// daysDrawn is of how many days after release figures are drawn.
const daysDrawn = 28

// Days draws the figures of a piece over its first four weeks, a bar a day; label says in words what
// it shows. Of a piece that is not out, or without figures in that time, there is no drawing.
func Days(points []measure.Point, out day.Date, label string) template.HTML {
	of := map[day.Date]float64{}
	most := 0.0
	for _, p := range points {
		if p.Day >= out && p.Day < out+daysDrawn {
			of[p.Day] = p.Value
			most = max(most, p.Value)
		}
	}
	if out == 0 || most <= 0 {
		return ""
	}
	var w strings.Builder
	const unit, high = 9.0, 44.0
	fmt.Fprintf(&w, `<svg class="days" viewBox="0 0 %.0f %.0f" role="img" aria-label="%s"><path class="pic-base" d="M0 %.1fH%.0f"/>`, unit*daysDrawn, high+2, template.HTMLEscapeString(label), high+.5, unit*daysDrawn)
	for i := range day.Date(daysDrawn) {
		if v := of[out+i]; v > 0 {
			h := max(1, v/most*(high-2))
			fmt.Fprintf(&w, `<rect class="pic-good" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, float64(i)*unit+1, high-h, unit-2, h)
		}
	}
	w.WriteString("</svg>")
	return template.HTML(w.String())
}
