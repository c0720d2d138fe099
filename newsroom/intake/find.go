package intake

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/find"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Found is what was found for some words.
type Found struct {
	Pieces []FoundPiece // by title, number or tag, the best first, then by what is in the copy
	People []store.Person
}

// FoundPiece is a piece that was found, and by what.
type FoundPiece struct {
	*newsroom.Entry
	By      string // "title", "near" for a title with a slip, "tag", "number" or "copy"
	Snippet string // of the copy, what matched between Mark and Unmark
}

// Mark and Unmark stand around what matched in a snippet.
const Mark, Unmark = "\x02", "\x03"

// enough is from how many pieces on titles with slips are not looked for.
const enough = 5

// Find looks for pieces, old ones too, and for people, among what somebody may see.
func (h Backlog) Find(ctx context.Context, who ref.Person, text string, most int) (Found, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Found{}, err
	}
	query := find.Words(text)
	if len(query) == 0 {
		return Found{}, nil
	}
	seen, err := planning.At(h.Newsroom).Entries(ctx, b, who, planning.Look{Desks: b.Person(who).Desks})
	if err != nil {
		return Found{}, err
	}
	var out Found
	out.Pieces = byTitle(seen, query, nil)
	if len(out.Pieces) < enough {
		out.add(byTitle(seen, query, find.Slips(query, h.Vocabulary())))
	}
	out.Pieces = out.Pieces[:min(most, len(out.Pieces))]
	if len(out.Pieces) < most {
		if err := out.inCopies(ctx, h.Newsroom, seen, query, most); err != nil {
			return out, err
		}
	}
	if b.Person(who).Access.May(relay.SeeAll) {
		out.People = peopleLike(b, b.Person(who), query)
	}
	return out, nil
}

// add appends pieces that are not there yet.
func (f *Found) add(more []FoundPiece) {
	for _, x := range more {
		if !slices.ContainsFunc(f.Pieces, func(y FoundPiece) bool { return y.ID == x.ID }) {
			f.Pieces = append(f.Pieces, x)
		}
	}
}

// byTitle finds pieces by title, number and tags: the best first, of equals those under
// way, then the newest.
func byTitle(seen []*newsroom.Entry, query []string, slips [][]string) []FoundPiece {
	type scored struct {
		FoundPiece
		score int
	}
	var all []scored
	number, err := strconv.Atoi(query[0])
	byNumber := err == nil && len(query) == 1
	for _, e := range seen {
		x := scored{FoundPiece{Entry: e, By: "title"}, find.Score(query, e.Low, slips)}
		switch {
		case x.score > 0:
			if slips != nil {
				x.By = "near"
			}
		case byNumber && e.Number == number:
			x.By, x.score = "number", 100
		case e.Tags != "":
			x.By, x.score = "tag", find.Score(query, strings.ToLower(e.Tags), slips)/2
		}
		if x.score > 0 {
			all = append(all, x)
		}
	}
	slices.SortFunc(all, func(x, y scored) int {
		return cmp.Or(cmp.Compare(y.score, x.score), cmp.Compare(newsroom.Count(y.Stage == relay.UnderWay), newsroom.Count(x.Stage == relay.UnderWay)), cmp.Compare(y.ID, x.ID))
	})
	var out []FoundPiece
	for _, x := range all {
		out = append(out, x.FoundPiece)
	}
	return out
}

// inCopies adds pieces in whose copy all the words are.
func (f *Found) inCopies(ctx context.Context, h *newsroom.Newsroom, seen []*newsroom.Entry, query []string, most int) error {
	hits, err := store.FindInCopies(ctx, h.DB.View(), query, Mark, Unmark, 4*most)
	if err != nil {
		return fmt.Errorf("find %q: %w", strings.Join(query, " "), err)
	}
	var out []FoundPiece
	for _, x := range hits {
		if i, ok := slices.BinarySearchFunc(seen, x.Piece, newsroom.ByID); ok {
			out = append(out, FoundPiece{Entry: seen[i], By: "copy", Snippet: x.Snippet})
		}
	}
	f.add(out)
	f.Pieces = f.Pieces[:min(most, len(f.Pieces))]
	return nil
}

// peopleLike finds people of somebody's desks by name, by what they do and by role.
func peopleLike(b *newsroom.Setup, me store.Person, query []string) []store.Person {
	var out []store.Person
	for _, p := range b.People {
		if p.Retired || !slices.ContainsFunc(p.Desks, func(d ref.Desk) bool { return slices.Contains(me.Desks, d) }) {
			continue
		}
		if find.Score(query, strings.ToLower(p.Name), find.Slips(query, slices.Values(find.Words(p.Name)))) > 0 || find.Score(query, strings.ToLower(p.Does+" "+strings.Join(p.Roles, " ")), nil) > 0 {
			out = append(out, p)
		}
	}
	return out[:min(5, len(out))]
}
