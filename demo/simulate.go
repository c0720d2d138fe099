package demo

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/route"
	"greenbaton/newsroom/planning"
)

// simulate plans two years of ordinary pieces and those that run into the weeks
// after Start, with durations drawn around each leg's allowance.
func (p *player) simulate() {
	first, last := firstSlot+4, day.MomentOf(Start).Date(p.zone)+70
	letters, n := 0, 0
	for d := first; d <= last; d++ {
		if !p.cal.Working(d) {
			continue
		}
		if d.Weekday() == 5 && d%2 == 0 {
			p.read(d)
		}
		for _, w := range p.whatOn(d) {
			if p.taken[p.slotOn(w.slug, d)] {
				continue
			}
			n++
			title := p.title(w.kind, n)
			if w.kind == "Letter" {
				letters++
				title = fmt.Sprintf("Grain notes, no. %d", letters)
			}
			p.ordinary(w.kind, w.slug, title, d)
		}
	}
	for i := range 3 { // the last few days of reading
		p.read(day.MomentOf(Start).Date(p.zone) - 2 - day.Date(i))
	}
}

// going is a piece of a kind on a channel.
type going struct{ kind, slug string }

// whatOn chooses what goes out on a date, more of it in the weeks around Start.
func (p *player) whatOn(d day.Date) []going {
	second, busy := (d-firstSlot)%14 == 0, d > day.MomentOf(Start).Date(p.zone)-2
	chance := func(tenths int) bool { return p.r.IntN(10) < tenths }
	var out []going
	may := func(ok bool, kind, slug string) {
		if ok {
			out = append(out, going{kind, slug})
		}
	}
	switch d.Weekday() {
	case time.Monday:
		may((d-firstSlot-4)%14 == 0 && chance(4), "Partner piece", "tern-school")
		may(busy && chance(7), "Feature", "web")
	case time.Tuesday:
		may(true, "Letter", "letter")
	case time.Wednesday:
		may(true, "Feature", "web")
	case time.Thursday:
		may(second, "Audio", "audio")
		may(!second && chance(5), "Partner piece", "old-weir")
		may(busy && chance(7), "Recipe", "web")
	case time.Friday:
		may(chance(8), "Recipe", "web")
	}
	return out
}

// title makes a title for the n-th piece that is used only once.
func (p *player) title(kind string, n int) string {
	place := places[(n*7)%len(places)]
	pick := func(xs []string) string { return strings.ReplaceAll(xs[(n/len(places)+n)%len(xs)], "%", place) }
	switch kind {
	case "Recipe":
		return grains[n%len(grains)] + " " + bakes[(n/len(grains)+n)%len(bakes)] + " from " + place
	case "Audio":
		return pick(talks)
	case "Partner piece":
		return pick(lessons)
	}
	return pick(angles)
}

// ordinary plans one piece: made some days before it has to be, then passed from
// leg to leg, now and then sent back.
func (p *player) ordinary(name, slug, title string, out day.Date) {
	k := kindNamed(name)
	s := &story{kind: k, format: p.kinds[name], holder: map[string]ref.Person{}, owner: byInitials("MH"), text: text}
	if name == "Recipe" || p.r.IntN(4) == 0 {
		s.owner = byInitials("AB")
	}
	for _, l := range k.legs {
		s.holder[l.Key] = l.Usual
		if l.Role == "write" {
			s.holder[l.Key] = byInitials([]string{"YL", "YL", "PV", "PV", "AB"}[p.r.IntN(5)])
		}
	}
	needs := ""
	days := route.Route{Legs: k.legs}.Longest()
	if slug == "tern-school" {
		needs, days = "welsh", days+3
	}
	// Of late nobody in particular takes the pictures of features; a house rule finds somebody.
	if start := day.MomentOf(Start).Date(p.zone); name == "Feature" && out > start-rulesFor+25 && out < start-12 {
		s.open = "pictures"
	}
	made := p.cal.Day(p.cal.Start(out) - day.Boundary(days+2+p.r.IntN(7+max(0, int(out-firstSlot)-720)/2)))
	begin := day.Wall(made, 10*60+p.r.IntN(300), p.zone)
	d := planning.Draft{Title: title, GoesOut: p.slotOn(slug, out)}
	if slug != k.channel {
		d.Channel = p.chans[slug]
	}
	p.create(s, begin, d, needs)
	p.lateRelease(s, p.run(s, begin, needs)+3600)
}

// returns says which leg sends back to which, for each format.
var returns = map[string][2]string{
	"Feature": {"edit", "draft"}, "Recipe": {"copyedit", "writeup"}, "Letter": {"edit", "draft"}, "Audio": {"signoff", "cut"}, "Partner piece": {"yes", "draft"},
}

// run plans the passing of every leg and gives the time of the last.
func (p *player) run(s *story, begin day.Moment, needs string) day.Moment {
	ends := map[string]day.Moment{} // of the legs that are over
	floor, back, sendBack := begin, returns[s.kind.name], p.r.IntN(100) < 16
	for i := 0; i < len(s.kind.legs); i++ {
		l := s.kind.legs[i]
		from := floor
		for _, a := range l.After {
			from = max(from, ends[a])
		}
		if _, over := ends[l.Key]; over {
			continue
		}
		if l.Skip == route.SkipUnless && l.Key != needs {
			ends[l.Key] = from
			continue
		}
		at := p.stint(s, l, from, from == begin)
		p.keepBusy(s, l, from, at)
		if sendBack && l.Key == back[0] {
			sendBack, floor = false, at
			p.back(s, back[0], back[1], at)
			i = slices.IndexFunc(s.kind.legs, func(x route.Leg) bool { return x.Key == back[1] }) - 1
			for _, x := range s.kind.legs {
				if x.Key == back[1] || leadsTo(s.kind.legs, back[1], x) {
					delete(ends, x.Key)
				}
			}
			continue
		}
		p.pass(s, l, at)
		ends[l.Key] = at
	}
	last := begin
	for _, at := range ends {
		last = max(last, at)
	}
	return last
}

// leadsTo reports whether a leg comes somewhere after the one with a key.
func leadsTo(legs []route.Leg, key string, x route.Leg) bool {
	return slices.ContainsFunc(x.After, func(a string) bool {
		i := slices.IndexFunc(legs, func(l route.Leg) bool { return l.Key == a })
		return a == key || leadsTo(legs, key, legs[i])
	})
}

// stint draws when a leg that is handed over at a moment is passed.
func (p *player) stint(s *story, l route.Leg, from day.Moment, first bool) day.Moment {
	share := 0.45 + 0.7*p.r.Float64()
	if p.r.IntN(10) == 0 {
		share += 0.5
	}
	days := int(float64(l.Allowance)*share + 0.5)
	soon := from + day.Moment(2400+p.r.IntN(9000))
	today := from.Date(p.zone)
	if days == 0 {
		if soon < day.Wall(today, 18*60, p.zone) {
			return soon
		}
		days = 1
	}
	start := p.cal.End(today)
	if first {
		start = p.cal.Start(today)
	}
	holder := p.b.Planned[p.b.Desks[0].ID].Holder(s.holder[l.Key])
	end := p.cal.Due(p.cal.Advance(start, days, holder))
	return max(soon, day.Wall(end, 9*60+40+p.r.IntN(450), p.zone))
}

// keepBusy plans what is recorded on a leg while it runs, in the last weeks only.
func (p *player) keepBusy(s *story, l route.Leg, from, to day.Moment) {
	if to < day.MomentOf(Start)-30*86400 {
		return
	}
	holder := p.b.Planned[p.b.Desks[0].ID].Holder(s.holder[l.Key])
	for d := from.Date(p.zone) + 1; d < to.Date(p.zone); d++ {
		if holder == nil || !holder.Working(d) {
			continue
		}
		if share := float64(to.Date(p.zone)-d) / float64(max(1, to.Date(p.zone)-from.Date(p.zone))); l.Effort >= 120 {
			p.left(s, l, day.Wall(d, 17*60, p.zone), share)
		}
		if l.Words {
			p.save(s, l.Key, day.Wall(d, 14*60+p.r.IntN(180), p.zone), 0.2+0.6*p.r.Float64())
		} else if len(l.Steps) > 0 {
			p.tick(s, l.Key, day.Wall(d, 14*60+p.r.IntN(180), p.zone), false)
		}
	}
}
