package reports

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/report"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/reports"
)

// wide is how wide pictures are drawn, in their own units.
const wide = 418.0

// picture is a drawing while it is made; what is written into it is escaped.
type picture struct {
	strings.Builder
	h float64
}

func (p *picture) put(format string, args ...any) { fmt.Fprintf(p, format, args...) }

func (p *picture) text(x, y float64, class, text string) {
	p.put(`<text class="%s" x="%.1f" y="%.1f">%s</text>`, class, x, y, template.HTMLEscapeString(text))
}

// svg closes the drawing; label says in words what it shows.
func (p *picture) svg(label string) template.HTML {
	return template.HTML(fmt.Sprintf(`<svg class="report-pic" viewBox="0 0 %.0f %.0f" role="img" aria-label="%s">%s</svg>`, wide, p.h, template.HTMLEscapeString(label), p.String()))
}

// hatch defines how what is late is filled; of each picture its own.
func (p *picture) hatch(id string) {
	p.put(`<defs><pattern id="%s" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><rect class="pic-late-paper" width="6" height="6"/><rect class="pic-late-line" width="2.4" height="6"/></pattern></defs>`, id)
}

// steps gives a round distance between the lines of an axis that reaches up to a value.
func steps(most float64, lines int) float64 {
	if most <= 0 {
		return 1
	}
	unit := math.Pow(10, math.Floor(math.Log10(most/float64(lines))))
	for _, k := range []float64{1, 2, 5, 10} {
		if most/(unit*k) <= float64(lines) {
			return unit * k
		}
	}
	return unit * 10
}

// drawOut draws what went out by week or month: on its day, late and moved, and what is to come.
func drawOut(r *reports.Report) template.HTML {
	p := picture{h: 190}
	p.hatch("late-out")
	most := 1
	for _, b := range r.Weeks {
		most = max(most, b.All()+b.Comes, b.Planned)
	}
	const left, top, base = 26.0, 14.0, 160.0
	unit := max(1, steps(float64(most), 4))
	y := func(n float64) float64 { return base - n/(math.Ceil(float64(most)/unit)*unit)*(base-top) }
	for v := unit; v <= float64(most)+unit-1 && y(v) >= top-1; v += unit {
		p.put(`<path class="pic-grid" d="M%.1f %.1fH%.1f"/>`, left, y(v), wide)
		p.text(left-8, y(v)+4, "pic-axis end", english.Number(int(v)))
	}
	slot := (wide - left) / float64(max(1, len(r.Weeks)))
	w := min(24, slot*.62)
	for i, b := range r.Weeks {
		x := left + float64(i)*slot + (slot-w)/2
		at := 0.0
		bar := func(n int, class, fill string) {
			if n == 0 {
				return
			}
			p.put(`<rect class="%s" %s x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, class, fill, x, y(at+float64(n)), w, y(at)-y(at+float64(n)))
			at += float64(n)
		}
		bar(b.OnDay, "pic-good", "")
		bar(b.Moved, "pic-moved", "")
		bar(b.Late, "pic-late", `fill="url(#late-out)"`)
		bar(b.Comes, "pic-comes", "")
		if b.Planned > 0 {
			p.put(`<path class="pic-even" d="M%.1f %.1fh%.1f"/>`, x-3, y(float64(b.Planned)), w+6)
		}
		if every := (len(r.Weeks) + 12) / 13; i%every == 0 {
			p.text(x+w/2, base+18, "pic-axis mid", nameOfBar(r, b))
		}
	}
	p.put(`<path class="pic-base" d="M%.1f %.1fH%.1f"/>`, 0.0, base, wide)
	return p.svg(fmt.Sprintf("Out by %s: %d pieces, %d on their day, %d late, %d moved in time.", map[bool]string{true: "month", false: "week"}[r.Span.Long == reports.Year], len(r.Out), r.OnDay, r.Late, r.Moved))
}

// nameOfBar names a week by its number, a month by its name.
func nameOfBar(r *reports.Report, b reports.Bar) string {
	if r.Span.Long == reports.Year {
		return b.From.Format("Jan")
	}
	_, week := b.From.Week()
	return fmt.Sprint(week)
}

// drawLegs draws how long legs took: the box is what they are allowed, the dot half of them, the line four of five.
func drawLegs(r *reports.Report) template.HTML {
	if len(r.Legs) == 0 {
		return ""
	}
	p := picture{h: float64(len(r.Legs))*23 + 22}
	most := 1.0
	for _, l := range r.Legs {
		most = max(most, l.FourFifth, float64(l.Allowance), l.Half)
	}
	const left, room = 84.0, 122.0
	x := func(days float64) float64 { return left + days/most*(wide-left-room) }
	var says []string
	for i, l := range r.Legs {
		mid := float64(i)*23 + 11
		class := "good"
		if l.FourFifth > float64(max(1, l.Allowance))+.01 {
			class = "bad"
		}
		p.text(0, mid+4, "pic-name", english.Cut(l.Name, 13))
		if l.Allowance > 0 {
			p.put(`<rect class="pic-box" x="%.1f" y="%.1f" width="%.1f" height="12"/>`, left, mid-6, x(float64(l.Allowance))-left)
		}
		p.put(`<path class="pic-line-%s" d="M%.1f %.1fH%.1f"/><circle class="pic-dot-%s" cx="%.1f" cy="%.1f" r="5"/>`, class, left, mid, max(left+1, x(l.FourFifth)), class, x(l.Half), mid)
		if class == "bad" {
			p.text(max(x(l.FourFifth), x(float64(l.Allowance)))+7, mid+4, "pic-bad", fmt.Sprintf("%s d in one of five", figures.Number(l.FourFifth)))
		}
		says = append(says, fmt.Sprintf("%s: allowed %d, half within %s, four of five within %s", l.Name, l.Allowance, figures.Number(l.Half), figures.Number(l.FourFifth)))
	}
	p.text(left, p.h-4, "pic-note", "box: allowance · dot: half of them · line: four of five")
	return p.svg("Working days of each leg. " + strings.Join(says, "; ") + ".")
}

// drawAhead draws the slots of the coming weeks.
func drawAhead(weeks []reports.Week) template.HTML {
	p := picture{h: float64(len(weeks))*21 + 2}
	most := 1
	for _, w := range weeks {
		most = max(most, len(w.Slots))
	}
	const left, room = 62.0, 138.0
	unit := min(26, (wide-left-room)/float64(most))
	var says []string
	for i, w := range weeks {
		y := float64(i)*21 + 2
		p.text(0, y+12, "pic-name", w.Monday.Format("2 Jan"))
		for k, s := range w.Slots {
			p.put(`<rect class="pic-slot-%s" x="%.1f" y="%.1f" width="%.1f" height="13" rx="2"/>`, s.Cover, left+float64(k)*unit, y, unit-5)
		}
		said := sayWeek(w)
		class := "pic-note"
		if w.Count(report.Hole) > 0 {
			class = "pic-bad"
		}
		p.text(left+float64(most)*unit+10, y+11, class, said)
		says = append(says, fmt.Sprintf("Week of %s: %s", english.Date(w.Monday), said))
	}
	return p.svg(strings.Join(says, "; ") + ".")
}

// sayWeek says how sure a coming week is, what is amiss first: “1 hole, 1 unlikely”, or “3 sure, 1 likely”.
func sayWeek(w reports.Week) string {
	if len(w.Slots) == 0 {
		return "no slot"
	}
	if w.Count(report.Sure) == len(w.Slots) {
		return "sure"
	}
	var out []string
	if n := w.Count(report.Hole); n > 0 {
		out = append(out, english.Plural(n, "hole"))
	}
	for _, c := range []report.Cover{report.Unlikely, report.Sure, report.Likely, report.Expected} {
		if n := w.Count(c); n > 0 && len(out) < 2 {
			out = append(out, fmt.Sprintf("%d %s", n, c))
		}
	}
	return strings.Join(out, ", ")
}

// drawDid draws the middle half and the median of each group.
func drawDid(c *reports.Comparison) template.HTML {
	var shown []int
	most := 0.0
	for i, g := range c.Groups {
		if !g.Few() && len(shown) < 9 {
			shown = append(shown, i)
			most = max(most, g.Q3)
		}
	}
	if len(shown) == 0 {
		return ""
	}
	p := picture{h: float64(len(shown))*42 + 30}
	const left, room = 78.0, 46.0
	unit := steps(most, 3)
	x := func(v float64) float64 { return left + v/max(most, unit)*(wide-left-room) }
	base := float64(len(shown)) * 42
	for v := 0.0; v <= most+unit/2; v += unit {
		if x(v) > wide-10 {
			break
		}
		p.put(`<path class="pic-grid" d="M%.1f 0V%.1f"/>`, x(v), base)
		p.text(x(v), base+18, "pic-axis mid", figures.Number(v))
	}
	var says []string
	for i, k := range shown {
		g := c.Groups[k]
		y := float64(i) * 42
		p.text(0, y+15, "pic-name", english.Cut(c.Names[g.Key], 12))
		p.text(0, y+30, "pic-note", english.Plural(g.N, "piece"))
		p.put(`<rect class="pic-half" x="%.1f" y="%.1f" width="%.1f" height="16"/><rect class="pic-median" x="%.1f" y="%.1f" width="3" height="20"/>`, x(g.Q1), y+8, max(1, x(g.Q3)-x(g.Q1)), x(g.Median)-1.5, y+6)
		p.text(x(g.Q3)+6, y+20, "pic-value", figures.Number(g.Median))
		says = append(says, fmt.Sprintf("%s, %d pieces: median %s, middle half %s to %s", c.Names[g.Key], g.N, figures.Number(g.Median), figures.Number(g.Q1), figures.Number(g.Q3)))
	}
	return p.svg(strings.Join(says, "; ") + ".")
}

// drawStock draws how many finished pieces waited at the beginning of each week.
func drawStock(all []reports.Stock) template.HTML {
	if len(all) < 2 {
		return ""
	}
	p := picture{h: 96}
	most := 1
	for _, s := range all {
		most = max(most, s.N)
	}
	var line []string
	for i, s := range all {
		x, y := 4+float64(i)/float64(len(all)-1)*(wide-40), 70-float64(s.N)/float64(most)*56
		line = append(line, fmt.Sprintf("%.1f %.1f", x, y))
	}
	last := all[len(all)-1]
	p.put(`<path class="pic-base" d="M0 70.5H%.1f"/><path class="pic-run" d="M%s"/>`, wide, strings.Join(line, "L"))
	p.text(wide-30, 74-float64(last.N)/float64(most)*56, "pic-value", fmt.Sprint(last.N))
	p.text(4, 88, "pic-axis", english.Date(all[0].Monday))
	p.text(wide-36, 88, "pic-axis end", english.Date(last.Monday))
	var says []string
	for _, s := range all {
		says = append(says, fmt.Sprintf("%s %d", s.Monday.Format("2 Jan"), s.N))
	}
	return p.svg("Finished pieces that waited for their day: " + strings.Join(says, ", ") + ".")
}

// goalBar draws where a goal stands.
func goalBar(g reports.Goal) template.HTML {
	p := picture{h: 16}
	share := func(v float64) float64 { return min(1, max(0, v/g.Target)) * wide }
	class := "pic-goal-good"
	if g.OffCourse() || g.Missed() {
		class = "pic-goal-off"
	}
	p.put(`<rect class="pic-goal" x="0" y="3" width="%.1f" height="9"/><rect class="%s" x="0" y="3" width="%.1f" height="9"/>`, wide, class, share(g.Is))
	p.put(`<path class="pic-even" d="M%.1f 0V16"/>`, share(g.Even))
	return p.svg(sayGoal(g))
}

// sayGoal says where a goal stands and where it will likely end.
func sayGoal(g reports.Goal) string {
	is := figures.Number(g.Is)
	switch {
	case g.MeasureID == 0 && g.Over:
		return fmt.Sprintf("%s of %s out", is, figures.Number(g.Target))
	case g.Over:
		return fmt.Sprintf("%s of %s", is, figures.Number(g.Target))
	case g.MeasureID == 0:
		return fmt.Sprintf("%s out, %d to come; on course for %s", is, g.Coming, between(g))
	}
	return fmt.Sprintf("%s so far; on course for %s", is, between(g))
}

// between says where a goal will likely end: about a figure, or between two.
func between(g reports.Goal) string {
	lo, hi := math.Round(g.Sum.Lo), math.Round(g.Sum.Hi)
	if lo == hi {
		return figures.Number(lo)
	}
	return fmt.Sprintf("%s (%s to %s)", figures.Number(round(g.Sum.Likely)), figures.Number(round(lo)), figures.Number(round(hi)))
}

// round rounds to three places that matter.
func round(v float64) float64 {
	if math.Abs(v) < 1000 {
		return math.Round(v)
	}
	unit := math.Pow(10, math.Floor(math.Log10(math.Abs(v)))-2)
	return math.Round(v/unit) * unit
}

// wentOut gives the address of a list of what went out between two days.
func wentOut(from, to day.Date) string {
	return fmt.Sprintf("/pieces?went=%s..%s&sort=went", from, to)
}
