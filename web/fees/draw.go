package fees

import (
	"fmt"
	"html/template"
	"strings"

	"greenbaton/core/fee"
	"greenbaton/newsroom/fees"
)

// steps are how money is shown on its way out, as the bar has them from the left.
var steps = []struct {
	step        fee.Step
	class, name string
}{{fee.Paid, "fee-paid", "paid"}, {fee.ToPay, "fee-topay", "to be paid"}, {fee.ToCheck, "fee-tocheck", "to check"}, {fee.Promised, "fee-promised", "under way, about"}, {fee.Likely, "fee-likely", "planned, about"}}

// wide is how wide the bar of a month is drawn, in its own units.
const wide = 1232.0

// drawUse draws what is used of a month, and where its budget lies; with what each part is.
func drawUse(cur fee.Currency, u fee.Use, budget int64) (template.HTML, []part) {
	most := float64(max(u.All(), budget)) * 1.04
	var p strings.Builder
	var parts []part
	var label []string
	x := 0.0
	for _, s := range steps {
		n := u[s.step]
		if n <= 0 {
			continue
		}
		w := float64(n) / most * wide
		fmt.Fprintf(&p, `<rect class="%s" x="%.1f" y="8" width="%.1f" height="20"/>`, s.class, x, max(1, w-1.5))
		x += w
		parts = append(parts, part{s.class, s.name, cur.Say(n)})
		label = append(label, s.name+" "+cur.Say(n))
	}
	if most == 0 {
		return "", nil
	}
	if budget > 0 {
		at := float64(budget) / most * wide
		fmt.Fprintf(&p, `<path class="fee-mark" d="M%.1f 0V36"/>`, at)
		label = append(label, "budget "+cur.Say(budget))
		parts = append(parts, part{"fee-key-mark", "budget", cur.Say(budget)})
	}
	return template.HTML(fmt.Sprintf(`<svg class="fee-bar" viewBox="0 0 %.0f 36" preserveAspectRatio="none" role="img" aria-label="%s">%s</svg>`, wide, template.HTMLEscapeString(strings.Join(label, ", ")), p.String())), parts
}

// drawBudget draws how much of a budget is used.
func drawBudget(x fees.Budget) template.HTML {
	const w = 348.0
	share := func(n int64) float64 { return min(1, max(0, float64(n)/float64(x.Amount))) * w }
	class := "pic-goal-good"
	if x.Left() < 0 {
		class = "pic-goal-off"
	}
	return template.HTML(fmt.Sprintf(`<svg class="fee-budget" viewBox="0 0 %.0f 10" preserveAspectRatio="none" aria-hidden="true"><rect class="pic-goal" width="%.0f" height="9"/><rect class="fee-likely-plain" width="%.1f" height="9"/><rect class="%s" width="%.1f" height="9"/></svg>`, w, w, share(x.Use.All()), class, share(x.Use.Spent())))
}
