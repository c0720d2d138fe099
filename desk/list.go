package desk

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Filter says which pieces a list shows, in which order.
type Filter struct {
	Format int64
	Person int64  // who runs a leg of it now, or owns it
	Pace   string // a pace, "quiet", "open", "running" for all under way, or empty for all
	Text   string // in the title, or a number
	Sort   string // a key of sorts, with a leading - turned round
	Page   int    // from 1
}

// PerPage is how many pieces a page of the list shows.
const PerPage = 100

// sorts names the columns that a list can be sorted by.
var sorts = map[string]string{
	"number": "number", "title": "title COLLATE NOCASE, number", "format": "format_id, number", "who": "holders", "due": "next_due = 0, next_due",
	"out": "goes_out = 0, goes_out", "pace": "pace, in_hand",
}

// Listing is a page of the list of pieces.
type Listing struct {
	Rows   []store.Row
	Total  int
	Filter Filter // as it was understood
	Pages  int
}

// List gives a page of the pieces of a desk that somebody may see.
func (h *House) List(ctx context.Context, who, desk int64, f Filter) (Listing, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return Listing{}, err
	}
	p := b.Person(who)
	if !slices.Contains(p.Desks, desk) {
		return Listing{}, nil
	}
	where, args := f.where(p, desk)
	out := Listing{Filter: f}
	r := h.DB.View()
	if err := r.Get(ctx, &out.Total, "SELECT COUNT(*) FROM piece WHERE "+where, args...); err != nil {
		return out, fmt.Errorf("count pieces: %w", err)
	}
	out.Pages = max(1, (out.Total+PerPage-1)/PerPage)
	out.Filter.Page = min(max(1, f.Page), out.Pages)
	if _, ok := sorts[strings.TrimPrefix(f.Sort, "-")]; !ok {
		out.Filter.Sort = "out"
		if f.Pace == "" || f.Pace == string(plan.Out) {
			out.Filter.Sort = "-number"
		}
	}
	// The page is found in an index first and then read, so that rows that are not shown are never touched.
	order := orderBy(out.Filter.Sort)
	args = append(args, PerPage, (out.Filter.Page-1)*PerPage)
	out.Rows, err = store.Pieces(ctx, r, "SELECT * FROM piece WHERE id IN (SELECT id FROM piece WHERE "+where+" ORDER BY "+order+" LIMIT ? OFFSET ?) ORDER BY "+order, args...)
	return out, err
}

// orderBy writes the ORDER BY of a sort. What has no value (0) comes last, also
// turned round, where it is the smallest.
func orderBy(sort string) string {
	key, down := strings.CutPrefix(sort, "-")
	cols := strings.Split(sorts[key], ", ")
	if cols[len(cols)-1] != "number" { // equal ones in the order they were made; a number is there only once
		cols = append(cols, "id")
	}
	if !down {
		return strings.Join(cols, ", ")
	}
	var out []string
	for _, c := range cols {
		if !strings.HasSuffix(c, "= 0") {
			out = append(out, c+" DESC")
		}
	}
	return strings.Join(out, ", ")
}

func (f Filter) where(p store.Person, desk int64) (string, []any) {
	conds, args := []string{"desk_id = ?"}, []any{desk}
	add := func(cond string, xs ...any) { conds, args = append(conds, cond), append(args, xs...) }
	switch p.Access {
	case relay.Lead, relay.Staff:
	case relay.Freelance: // their own legs and open ones of their role, as relay.May has it
		add(`id IN (SELECT piece_id FROM leg WHERE holder = ? UNION SELECT leg.piece_id FROM leg JOIN person_role ON person_role.role = leg.role
			AND person_role.person_id = ? JOIN piece AS open ON open.id = leg.piece_id AND open.stage = 'under way'
			WHERE leg.holder = 0 AND leg.state IN ('waiting', 'running'))`, p.ID, p.ID)
	default:
		add("id IN (SELECT piece_id FROM leg WHERE holder = ? AND run > 0)", p.ID)
	}
	if f.Format != 0 {
		add("format_id = ?", f.Format)
	}
	if f.Person != 0 {
		add("id IN (SELECT id FROM piece WHERE owner = ? UNION SELECT piece_id FROM leg WHERE holder = ? AND state = 'running')", f.Person, f.Person)
	}
	switch f.Pace {
	case "":
	case "running":
		add("stage = 'under way'")
	case "quiet":
		add("is_quiet = 1")
	case "open":
		add("open_leg = 1")
	case "missed":
		add("stage = 'under way' AND missed_at > 0 AND missed_at = goes_out")
	default:
		add("pace = ?", f.Pace)
	}
	if t := strings.TrimSpace(f.Text); t != "" {
		number, err := strconv.Atoi(strings.TrimPrefix(t, "No. "))
		if err != nil {
			number = -1
		}
		if len([]rune(t)) >= 3 { // the index of titles knows three letters in a row and more
			add("id IN (SELECT rowid FROM piece_title WHERE piece_title MATCH ? UNION SELECT id FROM piece WHERE number = ?)", `"`+strings.ReplaceAll(t, `"`, `""`)+`"`, number)
		} else {
			add(`(title LIKE ? ESCAPE '\' OR number = ?)`, "%"+escapeLike(t)+"%", number)
		}
	}
	if strings.Contains(conds[len(conds)-1], "piece_title") || f.Person != 0 {
		conds[0] = "+desk_id = ?" // the plus keeps SQLite from going through all of the desk's pieces
	}
	return strings.Join(conds, " AND "), args
}

func escapeLike(s string) string {
	return strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(s)
}
