package planning

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Filter says which pieces a list shows, in which order.
type Filter struct {
	Look
	Text  string // in the title, or a number
	Sort  []sift.By
	Group *sift.Column
	Sums  []*sift.Column // columns that are added up
	Page  int            // from 1
	All   bool           // not a page but all of it; of pieces that are off the board without legs
}

// PerPage is how many pieces a page of the list shows.
const PerPage = 100

// Listing is a page of the list of pieces.
type Listing struct {
	Rows   []ListRow
	Total  int
	Short  int // of those, how many will miss their day
	Page   int // as it was understood
	Pages  int
	Groups map[string]int // how many there are of each value; nil where nothing is grouped
	Sums   []float64      // over all pieces of the list, by column
}

// ListRow is a piece of the list, with the group it is in.
type ListRow struct {
	*newsroom.Entry
	Group string
}

// List gives a page of the pieces that somebody may see.
func (h Overview) List(ctx context.Context, who ref.Person, f Filter) (Listing, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Listing{}, err
	}
	all, err := h.Entries(ctx, b, who, f.Look)
	if err != nil {
		return Listing{}, err
	}
	if names := named(f.Text); strings.TrimSpace(f.Text) != "" {
		all = slices.DeleteFunc(all, func(e *newsroom.Entry) bool { return !names(e) })
	}
	out := Listing{Total: len(all), Pages: max(1, (len(all)+PerPage-1)/PerPage), Sums: make([]float64, len(f.Sums))}
	for _, e := range all {
		out.Short += newsroom.Count(e.Pace == plan.Short)
	}
	out.Page = min(max(1, f.Page), out.Pages)
	order := f.Sort
	if f.Group != nil {
		order = append([]sift.By{{Column: f.Group}}, order...)
	}
	if len(f.Sums) > 0 || f.Group != nil {
		out.count(all, f)
	}
	if f.All {
		for _, e := range sift.Sort(all, len(all), func(e *newsroom.Entry) sift.Facts { return e.Facts() }, order) {
			out.Rows = append(out.Rows, ListRow{Entry: e})
		}
		return out, nil
	}
	page := sift.Sort(all, out.Page*PerPage, func(e *newsroom.Entry) sift.Facts { return e.Facts() }, order)[(out.Page-1)*PerPage:]
	return out, h.addLegs(ctx, &out, page[:min(PerPage, len(page))], f.Group)
}

// count adds up columns and groups over all pieces of the list.
func (l *Listing) count(all []*newsroom.Entry, f Filter) {
	if f.Group != nil {
		l.Groups = map[string]int{}
	}
	var x sift.Facts // one for all, since its address is given away
	for _, e := range all {
		x = e.Facts()
		for i, c := range f.Sums {
			if n, ok := c.Sum(&x); ok {
				l.Sums[i] += n
			}
		}
		if f.Group == nil {
			continue
		}
		l.Groups[f.Group.Group(&x)]++
	}
}

// addLegs fills a page; those that are off the board come without legs, which are read.
func (h Overview) addLegs(ctx context.Context, l *Listing, page []*newsroom.Entry, group *sift.Column) error {
	rows := make([]store.Row, len(page))
	for i, e := range page {
		rows[i] = e.Row
	}
	if err := store.AddLegs(ctx, h.DB.View(), rows); err != nil {
		return fmt.Errorf("read the list: %w", err)
	}
	for i, e := range page {
		x := ListRow{Entry: &newsroom.Entry{Row: rows[i], Values: e.Values}}
		if group != nil {
			f := x.Facts()
			x.Group = group.Group(&f)
		}
		l.Rows = append(l.Rows, x)
	}
	return nil
}

// PageAfter gives the pieces that somebody may see of what they look at, with their legs, by id: at
// most so many after one, and whether there are more. Text is in the title, or the number.
func (h Overview) PageAfter(ctx context.Context, who ref.Person, l Look, text string, after ref.Piece, most int) ([]*newsroom.Entry, bool, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, false, err
	}
	all, err := h.Entries(ctx, b, who, l)
	if err != nil {
		return nil, false, err
	}
	at, found := slices.BinarySearchFunc(all, after, newsroom.ByID)
	if found {
		at++
	}
	names := named(text)
	var rows []store.Row
	var out []*newsroom.Entry
	for _, e := range all[at:] {
		if !names(e) {
			continue
		}
		if len(out) == most {
			return out, true, h.withLegs(ctx, out, rows)
		}
		rows, out = append(rows, e.Row), append(out, e)
	}
	return out, false, h.withLegs(ctx, out, rows)
}

// withLegs puts entries with their legs in the place of those without.
func (h Overview) withLegs(ctx context.Context, out []*newsroom.Entry, rows []store.Row) error {
	if err := store.AddLegs(ctx, h.DB.View(), rows); err != nil {
		return fmt.Errorf("read a page of pieces: %w", err)
	}
	for i, e := range out {
		out[i] = &newsroom.Entry{Row: rows[i], Values: e.Values, Low: e.Low}
	}
	return nil
}

// named reports of pieces whether a text is in their title, or is their number.
func named(text string) func(*newsroom.Entry) bool {
	t := strings.ToLower(strings.TrimSpace(text))
	if t == "" {
		return func(*newsroom.Entry) bool { return true }
	}
	number, err := strconv.Atoi(strings.TrimPrefix(t, "no. "))
	return func(e *newsroom.Entry) bool { return strings.Contains(e.Low, t) || err == nil && e.Number == number }
}
