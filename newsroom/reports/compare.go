package reports

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/store"
)

// Groupings are by what pieces can be compared, with what each is called.
var Groupings = []struct{ Key, Name string }{
	{"format", "Format"}, {"topic", "Topic"}, {"campaign", "Campaign"}, {"channel", "Channel"}, {"weekday", "Weekday"}, {"length", "Length"}, {"writer", "Who wrote"},
}

// Comparison is how pieces did, by one thing.
type Comparison struct {
	Measure store.Measure
	From    day.Date // of what went out from one day
	To      day.Date // to another
	Window  int      // first days
	Groups  []measure.Group
	Names   map[string]string
	All     measure.Group
	Top     []Did // the best, and the worst, with what was learnt
	Bottom  []Did
	Young   int // pieces that are not out that long yet
	Without int // pieces of which there are no figures
	Tell    string
}

// Did is a piece and what it did.
type Did struct {
	valued
	Learnt store.Outcome
}

type valued struct {
	*newsroom.Entry
	Value float64
}

// compared is of how many days pieces are compared at least: over a month there are too few.
const compared = 366

// did compares what pieces did that went out over the span, or over the year up to its end.
func (t *teller) did(ctx context.Context) error {
	c := &t.Report.Did
	c.Measure, c.Window, c.Names = t.b.Measure(t.Measured), measure.Windows[t.First], map[string]string{}
	if all := t.b.MeasuresOf(t.desk); c.Measure.DeskID != t.desk && len(all) > 0 {
		c.Measure = all[0]
	}
	if c.Measure.ID == 0 {
		return nil
	}
	sums, err := figures.At(t.Newsroom).Sums(ctx)
	if err != nil {
		return err
	}
	of := sums[c.Measure.ID]
	c.To = min(t.Span.To, t.today)
	c.From = min(t.Span.From, c.To-compared+1)
	writers := map[ref.Piece]ref.Person{}
	if t.By == "writer" {
		writers = t.writers()
	}
	values := map[string][]float64{}
	var pieces []valued
	var everything []float64
	for i, e := range t.all {
		x := Went{Entry: e, On: t.outOn[i]}
		if x.On == 0 || x.On < c.From || x.On > c.To {
			continue
		}
		switch s, ok := of[x.ID]; {
		case x.On+day.Date(c.Window) > t.today:
			c.Young++
		case !ok:
			c.Without++
		default:
			v, ok := s.First(t.First)
			if !ok {
				c.Without++
				continue
			}
			everything, pieces = append(everything, v), append(pieces, valued{x.Entry, v})
			key, name := t.group(x, writers)
			if key == "" {
				continue
			}
			values[key], c.Names[key] = append(values[key], v), name
			t.made(Behind{What: Compared, Text: key}, e)
		}
	}
	var groups []measure.Group
	for _, k := range slices.Sorted(maps.Keys(values)) {
		groups = append(groups, measure.NewGroup(k, values[k]))
	}
	c.Groups, c.All = measure.Ranked(groups, c.Measure.Better), measure.NewGroup("", everything)
	c.tell()
	return t.best(ctx, pieces)
}

// group gives the group of a piece, and its name; none where it has none.
func (t *teller) group(x Went, writers map[ref.Piece]ref.Person) (key, name string) {
	k := func(id int64, name string) (string, string) {
		if id == 0 {
			return "", ""
		}
		return t.keys.of(id), name
	}
	switch t.By {
	case "topic":
		return k(int64(x.TopicID), t.b.Topic(x.TopicID).Name)
	case "campaign":
		return k(int64(x.CampaignID), t.b.Campaign(x.CampaignID).Name)
	case "channel":
		return k(int64(x.ChannelID), t.b.Channel(x.ChannelID).Name)
	case "weekday":
		return fmt.Sprint((int(x.On.Weekday()) + 6) % 7), x.On.Weekday().String()
	case "length":
		return measure.LengthOf(x.WordsTo)
	case "writer":
		if w := writers[x.ID]; w != 0 && t.shows(w, x.DeskID) {
			return k(int64(w), t.b.Name(w))
		}
		return "", ""
	}
	return k(int64(x.FormatID), t.b.Format(x.FormatID).Name)
}

// keys are numbers as keys that stand in their order.
type keys map[int64]string

func (k *keys) of(id int64) string {
	if *k == nil {
		*k = keys{}
	}
	if (*k)[id] == "" {
		(*k)[id] = fmt.Sprintf("%09d", id)
	}
	return (*k)[id]
}

// writers gives who ran the leg in which the copy of a piece was written.
func (t *teller) writers() map[ref.Piece]ref.Person {
	out := map[ref.Piece]ref.Person{}
	for i := range t.runs {
		r := &t.runs[i]
		if e := t.Entry(r.PieceID); e != nil && r.Holder != 0 {
			for _, l := range t.b.Route(e.RouteID).Way.Legs {
				if l.Key == r.Key && l.Words {
					out[r.PieceID] = r.Holder
				}
			}
		}
	}
	return out
}

// tell says what can be told of the groups, or that nothing can.
func (c *Comparison) tell() {
	var ranked []measure.Group
	for _, g := range c.Groups {
		if !g.Few() {
			ranked = append(ranked, g)
		}
	}
	switch n := len(ranked); {
	case n < 2:
		c.Tell = "There are too few pieces in more than one group to compare."
	case ranked[0].Apart(ranked[n-1]):
		better := map[measure.Better]string{measure.More: "does better than", measure.Fewer: "does better than", measure.Neither: "has more than"}[c.Measure.Better]
		c.Tell = fmt.Sprintf("%s %s %s.", c.Names[ranked[0].Key], better, c.Names[ranked[n-1].Key])
	default:
		c.Tell = "The spreads overlap: one cannot tell which does better."
	}
}

// mostNamed is how many of the best and of the worst pieces are named.
const mostNamed = 3

// best names the best and the worst pieces, with what was learnt.
func (t *teller) best(ctx context.Context, all []valued) error {
	c := &t.Report.Did
	if len(all) < measure.Few || c.Measure.Better == measure.Neither {
		return nil
	}
	order := func(x, y valued) int {
		if c.Measure.Better == measure.Fewer {
			x, y = y, x
		}
		return cmp.Or(cmp.Compare(y.Value, x.Value), cmp.Compare(x.ID, y.ID))
	}
	n := min(mostNamed, len(all)/2)
	for _, d := range all {
		c.Top = among(c.Top, d, n, order)
		c.Bottom = among(c.Bottom, d, n, func(x, y valued) int { return order(y, x) })
	}
	var ids []ref.Piece
	for _, d := range slices.Concat(c.Top, c.Bottom) {
		ids = append(ids, d.ID)
	}
	learnt, err := figures.At(t.Newsroom).Learnt(ctx, t.who, ids)
	for _, list := range [][]Did{c.Top, c.Bottom} {
		for i := range list {
			list[i].Learnt = learnt[list[i].ID]
		}
	}
	return err
}

// among keeps the first of a list by an order, with one more that may be among them.
func among(list []Did, v valued, most int, order func(x, y valued) int) []Did {
	if len(list) == most && order(list[most-1].valued, v) < 0 {
		return list
	}
	i, _ := slices.BinarySearchFunc(list, v, func(d Did, v valued) int { return order(d.valued, v) })
	list = slices.Insert(list, i, Did{valued: v})
	return list[:min(most, len(list))]
}

// spreadOf gives what pieces of each format bring by a measure over their first four weeks, of those
// that are out that long.
func (h Room) spreadOf(ctx context.Context, b *newsroom.Setup, m ref.Measure) (map[ref.Format]measure.Group, error) {
	sums, err := figures.At(h.Newsroom).Sums(ctx)
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	values := map[ref.Format][]float64{}
	for _, e := range entries {
		s, ok := sums[m][e.ID]
		if !ok || e.OutAt == 0 || e.Stage == relay.Withdrawn || e.OutAt.Date(b.Zones[e.DeskID])+day.Date(measure.Windows[2]) > h.Now().Date(b.Zones[e.DeskID]) {
			continue
		}
		if v, ok := s.First(2); ok {
			values[e.FormatID] = append(values[e.FormatID], v)
		}
	}
	out := map[ref.Format]measure.Group{}
	for f, v := range values {
		out[f] = measure.NewGroup("", v)
	}
	return out, nil
}
