package intake

import (
	"context"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
)

// Register registers what follows here from what others do.
func Register(h *newsroom.Newsroom) {
	shelf, like := newsroom.PartOf[ideaShelf](h), newsroom.PartOf[likes](h)
	h.Hooks.Stored = append(h.Hooks.Stored, func(a *newsroom.Command) {
		shelf.put(a.Ideas)
		like.put(a.Put.Pieces, a.Ideas)
	})
	h.Hooks.Forget = append(h.Hooks.Forget, shelf.clear, like.clear)
	h.Hooks.Undo = append(h.Hooks.Undo, undoTaken)
	h.Hooks.Batch = At(h).TakeBack
}

// undoTaken opens the request again, and puts ideas back, of which pieces were made.
func undoTaken(a *newsroom.Command, s *newsroom.UndoState) ([]ref.Piece, error) {
	if s.Request != 0 {
		if err := reopenRequest(a, s.Request); err != nil {
			return nil, err
		}
	}
	for _, i := range s.Ideas {
		if err := restoreIdea(a, i); err != nil {
			return nil, err
		}
	}
	return nil, nil
}

// IdeaFilter says which ideas are looked at, and in which order.
type IdeaFilter struct {
	Desk   ref.Desk
	State  idea.State // none: all
	Source idea.Source
	Tag    string
	By     ref.Person
	Within int    // days in which it was caught; 0: at any time
	Least  int    // score
	Text   string // all of its words are in title, notes, phrase or tags
	Order  string // "score", "newest", "oldest", "title" or "volume"
	Page   int
	All    bool // not a page but all of them
}

// IdeaRow is an idea in a list.
type IdeaRow struct {
	*idea.Idea
	State  idea.State // today
	Score  int
	Judged int // of reach, fit and effort
	Scored bool
	Piece  *newsroom.Entry // what it became, when one idea is looked at
	kept   *shelved
}

// IdeaList is a page of ideas.
type IdeaList struct {
	Rows   []IdeaRow
	Total  int
	Page   int
	Pages  int
	Counts map[idea.State]int // of all that somebody may see, whatever is looked for
	Tags   []string           // that those who wait have, the most used first
	People []ref.Person       // who caught some
}

// IdeasPerPage is how many ideas a page has.
const IdeasPerPage = 60

// Ideas gives the ideas that somebody may see of a desk.
func (h Backlog) Ideas(ctx context.Context, who ref.Person, f IdeaFilter) (IdeaList, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return IdeaList{}, err
	}
	w := b.Who(who, f.Desk)
	out := IdeaList{Counts: map[idea.State]int{}, Page: 1, Pages: 1}
	if err := idea.May(idea.ActCatch, w, &idea.Idea{}); err != nil {
		return out, err
	}
	all, err := h.allIdeas(ctx)
	if err != nil {
		return out, err
	}
	today := h.Now().Date(b.Zones[f.Desk])
	words, tags, people := strings.Fields(strings.ToLower(f.Text)), map[string]int{}, map[ref.Person]bool{}
	for _, i := range all {
		if i.DeskID != f.Desk || idea.May(idea.ActSee, w, &i.Idea) != nil {
			continue
		}
		r := IdeaRow{Idea: &i.Idea, State: i.Awake(today), kept: i}
		r.Score, r.Judged, r.Scored = i.Score(Weights(b, f.Desk))
		out.Counts[r.State]++
		people[i.By] = true
		if r.State == idea.Waiting {
			for _, t := range i.tags {
				tags[t]++
			}
		}
		if f.takes(r, h.Now(), words) {
			out.Rows = append(out.Rows, r)
		}
	}
	f.sort(out.Rows)
	out.Tags = mostUsed(tags)
	for id := range people {
		out.People = append(out.People, id)
	}
	slices.SortFunc(out.People, func(x, y ref.Person) int { return strings.Compare(b.Name(x), b.Name(y)) })
	if out.Total = len(out.Rows); f.All {
		return out, nil
	}
	out.Pages = max(1, (out.Total+IdeasPerPage-1)/IdeasPerPage)
	out.Page = min(max(1, f.Page), out.Pages)
	from := (out.Page - 1) * IdeasPerPage
	out.Rows = out.Rows[from:min(out.Total, from+IdeasPerPage)]
	return out, nil
}

func (f *IdeaFilter) takes(r IdeaRow, now day.Moment, words []string) bool {
	switch {
	case f.State != "" && r.State != f.State, f.Source != "" && r.Source != f.Source, f.By != 0 && r.By != f.By,
		f.Within > 0 && r.CaughtAt < now-day.Moment(f.Within)*86400, f.Least > 0 && (!r.Scored || r.Score < f.Least),
		f.Tag != "" && !slices.Contains(r.kept.tags, f.Tag):
		return false
	}
	for _, w := range words {
		if !strings.Contains(r.kept.text, w) {
			return false
		}
	}
	return true
}

func (f *IdeaFilter) sort(rows []IdeaRow) {
	newest := func(x, y IdeaRow) int { return int(max(-1, min(1, y.CaughtAt-x.CaughtAt))) }
	by := map[string]func(x, y IdeaRow) int{
		"newest": newest,
		"oldest": func(x, y IdeaRow) int { return newest(y, x) },
		"title":  func(x, y IdeaRow) int { return strings.Compare(x.kept.text, y.kept.text) },
		"volume": func(x, y IdeaRow) int { return y.Volume - x.Volume },
		"score": func(x, y IdeaRow) int {
			if x.Scored != y.Scored {
				return newsroom.Count(y.Scored) - newsroom.Count(x.Scored)
			}
			return y.Score - x.Score
		},
	}[f.Order]
	if by == nil {
		by = newest
	}
	slices.SortFunc(rows, func(x, y IdeaRow) int {
		if n := by(x, y); n != 0 {
			return n
		}
		return int(max(-1, min(1, y.ID-x.ID)))
	})
}

func mostUsed(n map[string]int) []string {
	var out []string
	for t := range n {
		out = append(out, t)
	}
	slices.SortFunc(out, func(x, y string) int {
		if n[x] != n[y] {
			return n[y] - n[x]
		}
		return strings.Compare(x, y)
	})
	return out
}

// Weights gives how much a desk makes of reach, fit and little effort.
func Weights(b *newsroom.Setup, d ref.Desk) idea.Weights {
	x := b.Desk(d)
	if w := (idea.Weights{Reach: x.WeighReach, Fit: x.WeighFit, Effort: x.WeighEffort}); w != (idea.Weights{}) {
		return w
	}
	return idea.UsualWeights
}

// Idea gives one idea with its score, and what the one who looks may do with it.
func (h Backlog) Idea(ctx context.Context, who ref.Person, id ref.Idea) (IdeaRow, map[idea.Act]bool, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return IdeaRow{}, nil, err
	}
	all, err := h.allIdeas(ctx)
	if err != nil {
		return IdeaRow{}, nil, err
	}
	i, err := findIdea(b, who, all, id, idea.ActSee)
	if err != nil {
		return IdeaRow{}, nil, err
	}
	r := IdeaRow{Idea: &i, State: i.Awake(h.Now().Date(b.Zones[i.DeskID]))}
	r.Score, r.Judged, r.Scored = i.Score(Weights(b, i.DeskID))
	if r.PieceID != 0 {
		pieces, err := h.Pieces(ctx, h.Now())
		if err != nil {
			return r, nil, err
		}
		if at, ok := slices.BinarySearchFunc(pieces, r.PieceID, newsroom.ByID); ok {
			r.Piece = pieces[at]
		}
	}
	may := map[idea.Act]bool{}
	for _, a := range []idea.Act{idea.ActEdit, idea.ActJudge, idea.ActSettle} {
		may[a] = idea.May(a, b.Who(who, i.DeskID), &i) == nil
	}
	return r, may, nil
}
