package draw

import (
	"fmt"
	"strings"
	"time"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

// MixView is how often each topic comes in some weeks, beside how often it is meant to.
type MixView struct {
	Rows []mixRow
	Runs []string
	Over string // which days
}

type mixRow struct {
	Name         string
	Count        int
	Target       int
	W, Mark      float64
	Tone, Counts string
}

// mixWidth is how wide the bars of the mix are drawn.
const mixWidth = 96.0

// NewMix draws how often each topic comes in some weeks, beside how often it is meant to,
// and where one topic runs back to back.
func NewMix(b *newsroom.Setup, zone *time.Location, weeks int, mix []planning.Topic, runs []plan.Run) MixView {
	v := MixView{Over: fmt.Sprintf("these %s", english.Plural(weeks, "week"))}
	most := 1
	for _, t := range mix {
		most = max(most, t.Count, t.Target)
	}
	for _, t := range mix {
		r := mixRow{Name: b.Topic(t.ID).Name, Count: t.Count, Target: t.Target, Tone: "good"}
		r.W, r.Mark = mixWidth*float64(t.Count)/float64(most), mixWidth*float64(t.Target)/float64(most)
		if r.Counts = fmt.Sprintf("%d of %d", t.Count, t.Target); t.Count > t.Target {
			r.Tone = "noroom"
		}
		v.Rows = append(v.Rows, r)
	}
	for _, r := range runs {
		from := r.Pieces[0].GoesOut.Date(zone)
		v.Runs = append(v.Runs, fmt.Sprintf("%s %s pieces run back to back from %s.", english.CountOf(len(r.Pieces)), strings.ToLower(b.Topic(r.Topic).Name), english.Date(from)))
	}
	return v
}
