package intake

import (
	"context"
	"slices"
	"strings"
	"sync"

	"greenbaton/core/find"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/store"
)

// likes finds titles of pieces and ideas that are like another. It is filled when first
// asked, and every command puts in what it stored.
type likes struct {
	mu    sync.Mutex
	index *find.Index // pieces by their id, ideas by theirs below 0; nil until it is filled
}

func (l *likes) clear() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.index = nil
}

func (l *likes) put(pieces map[ref.Piece]relay.Piece, ideas map[ref.Idea]idea.Idea) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.index == nil {
		return
	}
	for id, p := range pieces {
		l.index.Put(int64(id), p.Title)
	}
	for id, i := range ideas {
		if i.Title == "" {
			l.index.Drop(int64(-id))
			continue
		}
		l.index.Put(int64(-id), i.Title)
	}
}

// alike gives the titles like a text that keep lets through, the most alike first.
func (h Backlog) alike(ctx context.Context, text string, most int, keep func(key int64) bool) ([]find.Likeness, error) {
	pieces, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	ideas, err := h.allIdeas(ctx)
	if err != nil {
		return nil, err
	}
	l := newsroom.PartOf[likes](h.Newsroom)
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.index == nil {
		l.index = find.NewIndex()
		for _, e := range pieces {
			l.index.Put(int64(e.ID), e.Title)
		}
		for _, i := range ideas {
			l.index.Put(int64(-i.ID), i.Title)
		}
	}
	return l.index.Like(text, nearTitle, most, keep), nil
}

// nearTitle is from which likeness on two titles may be about the same.
const nearTitle = 0.3

// Like is a piece or an idea like another.
type Like struct {
	Piece   *newsroom.Entry // or
	Idea    *idea.Idea      // one of both
	By      string          // "title" or "copy"
	Alike   float64         // of the title
	Snippet string          // of the copy, what matched between Mark and Unmark
	Did     store.Outcome   // of a piece that is out: how it did, as somebody says, for staff
}

// Likes gives pieces and ideas of a desk that may be about what a title says, among
// those that somebody may see: by title, then pieces in whose copy all its telling words
// are. Except leaves out one idea.
func (h Backlog) Likes(ctx context.Context, who ref.Person, d ref.Desk, title string, except ref.Idea, most int) ([]Like, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	w := b.Who(who, d)
	if err := idea.May(idea.ActCatch, w, &idea.Idea{}); err != nil {
		return nil, err
	}
	pieces, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	ideas, err := h.allIdeas(ctx)
	if err != nil {
		return nil, err
	}
	piece := func(id ref.Piece) *newsroom.Entry {
		if k, ok := slices.BinarySearchFunc(pieces, id, newsroom.ByID); ok && seesLike(w, pieces[k], d) {
			return pieces[k]
		}
		return nil
	}
	thought := func(id ref.Idea) *idea.Idea {
		k, ok := slices.BinarySearchFunc(ideas, id, byIdea)
		if !ok || id == except || ideas[k].DeskID != d || ideas[k].State == idea.Used || idea.May(idea.ActSee, w, &ideas[k].Idea) != nil {
			return nil
		}
		return &ideas[k].Idea
	}
	found, err := h.alike(ctx, title, most, func(key int64) bool {
		return key > 0 && piece(ref.Piece(key)) != nil || key < 0 && thought(ref.Idea(-key)) != nil
	})
	if err != nil {
		return nil, err
	}
	var out []Like
	for _, x := range found {
		if x.Key > 0 {
			out = append(out, Like{Piece: piece(ref.Piece(x.Key)), By: "title", Alike: x.Alike})
			continue
		}
		out = append(out, Like{Idea: thought(ref.Idea(-x.Key)), By: "title", Alike: x.Alike})
	}
	words := telling(title)
	if len(out) >= most || len(words) < 2 {
		return out, h.addDid(ctx, who, out)
	}
	hits, err := store.FindInCopies(ctx, h.DB.View(), words, Mark, Unmark, 4*most)
	if err != nil {
		return nil, err
	}
	for _, x := range hits {
		known := slices.ContainsFunc(out, func(l Like) bool { return l.Piece != nil && l.Piece.ID == x.Piece })
		if e := piece(x.Piece); e != nil && !known && len(out) < most {
			out = append(out, Like{Piece: e, By: "copy", Snippet: x.Snippet})
		}
	}
	return out, h.addDid(ctx, who, out)
}

// addDid adds to pieces how they did, as somebody says.
func (h Backlog) addDid(ctx context.Context, who ref.Person, likes []Like) error {
	var ids []ref.Piece
	for _, l := range likes {
		if l.Piece != nil {
			ids = append(ids, l.Piece.ID)
		}
	}
	learnt, err := figures.At(h.Newsroom).Learnt(ctx, who, ids)
	for i := range likes {
		if p := likes[i].Piece; p != nil {
			likes[i].Did = learnt[p.ID]
		}
	}
	return err
}

// seesLike reports whether a piece is pointed out to somebody: to staff of the desk any,
// to others what is published.
func seesLike(w relay.Who, e *newsroom.Entry, d ref.Desk) bool {
	return e.DeskID == d && (w.Access.May(relay.SeeAll) || e.Stage == relay.Out)
}

// telling gives the words of a title that tell what it is about: the six longest of four
// letters and more, as they come.
func telling(title string) []string {
	words := find.Words(title)
	words = slices.DeleteFunc(words, func(w string) bool { return len([]rune(w)) < 4 || slices.Contains(common, w) })
	for len(words) > 6 {
		least := slices.MinFunc(words, func(a, b string) int { return len(a) - len(b) })
		words = slices.Delete(words, slices.Index(words, least), slices.Index(words, least)+1)
	}
	return words
}

// common are English words of four letters and more that tell nothing.
var common = strings.Fields("about above after again also always another around away back because been before behind being below between both bring could does doing done down each ever every first from have here into just last less like long made make many might more most much must near never next once only other over same should since some still such than that their them then there these they this those through under until upon very want were what when where which while will with without would your")
