package desk

import (
	"context"
	"fmt"
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
	"number": "number", "title": "title COLLATE NOCASE", "format": "format_id, number", "who": "holders", "due": "next_due = 0, next_due",
	"out": "goes_out = 0, goes_out", "pace": "pace, in_hand",
}

// Listing is a page of the list of pieces.
type Listing struct {
	Rows   []store.Row
	Total  int
	Filter Filter // as it was understood
	Pages  int
}

// List gives a page of the pieces that somebody may see.
func (h *House) List(ctx context.Context, who int64, f Filter) (Listing, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return Listing{}, err
	}
	p := b.Person(who)
	if len(p.Desks) == 0 {
		return Listing{}, nil
	}
	where, args := f.where(p)
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
	args = append(args, PerPage, (out.Filter.Page-1)*PerPage)
	out.Rows, err = store.Pieces(ctx, r, "SELECT * FROM piece WHERE "+where+" ORDER BY "+orderBy(out.Filter.Sort)+" LIMIT ? OFFSET ?", args...)
	return out, err
}

// orderBy writes the ORDER BY of a sort; turned round, what has no value still comes last.
func orderBy(sort string) string {
	cols := sorts[strings.TrimPrefix(sort, "-")]
	if strings.HasPrefix(sort, "-") {
		parts := strings.Split(cols, ", ")
		for i, c := range parts {
			if !strings.Contains(c, "= 0") {
				parts[i] = c + " DESC"
			}
		}
		cols = strings.Join(parts, ", ")
	}
	return cols + ", id"
}

func (f Filter) where(p store.Person) (string, []any) {
	conds, args := []string{"desk_id = ?"}, []any{p.Desks[0]}
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
		add("(owner = ? OR id IN (SELECT piece_id FROM leg WHERE holder = ? AND state = 'running'))", f.Person, f.Person)
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
		add(`(title LIKE ? ESCAPE '\' OR CAST(number AS TEXT) = ?)`, "%"+escapeLike(t)+"%", strings.TrimPrefix(t, "No. "))
	}
	return strings.Join(conds, " AND "), args
}

func escapeLike(s string) string {
	return strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(s)
}
