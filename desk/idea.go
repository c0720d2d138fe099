package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// ideaShelf keeps all ideas in memory, as the shelf keeps the pieces: read once, and
// every act puts what it stored there before the next one begins.
type ideaShelf struct {
	mu  sync.Mutex
	all []*shelved // by id, each replaced and never changed; nil until they are read
}

// shelved is an idea with what is asked of it again and again.
type shelved struct {
	idea.Idea
	text string // in small letters, its title first
	tags []string
}

func shelve(i idea.Idea) *shelved {
	return &shelved{Idea: i, text: strings.ToLower(i.Title + "\n" + i.Notes + "\n" + i.Phrase + "\n" + i.Tags + "\n" + i.Origin), tags: i.TagList()}
}

func (s *ideaShelf) clear() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.all = nil
}

// put replaces ideas by what was stored of them; one without a title was dropped.
func (s *ideaShelf) put(stored map[int64]idea.Idea) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.all == nil || len(stored) == 0 {
		return
	}
	all := slices.Clone(s.all)
	var fresh []*shelved
	gone := false
	for id, i := range stored {
		at, known := slices.BinarySearchFunc(all, id, byIdea)
		switch gone = gone || i.Title == ""; {
		case known:
			all[at] = shelve(i)
		default:
			fresh = append(fresh, shelve(i))
		}
	}
	slices.SortFunc(fresh, func(x, y *shelved) int { return int(x.ID - y.ID) })
	all = append(all, fresh...)
	if gone {
		all = slices.DeleteFunc(all, func(i *shelved) bool { return i.Title == "" })
	}
	s.all = all
}

func byIdea(x *shelved, id int64) int { return int(x.ID - id) }

// allIdeas gives every idea of the house, by id.
func (h *House) allIdeas(ctx context.Context) ([]*shelved, error) {
	s := partOf[ideaShelf](h)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.all == nil {
		rows, err := store.AllIdeas(ctx, h.DB.View())
		if err != nil {
			return nil, fmt.Errorf("read the ideas: %w", err)
		}
		s.all = make([]*shelved, len(rows))
		for k := range rows {
			s.all[k] = shelve(rows[k])
		}
	}
	return s.all, nil
}

// idea finds an idea for somebody who may do an act with it.
func (a *act) idea(id int64, what idea.Act) (idea.Idea, error) {
	if i, ok := a.ideas[id]; ok {
		return i, nil
	}
	all, err := a.h.allIdeas(a)
	if err != nil {
		return idea.Idea{}, err
	}
	return findIdea(a.b, a.by, all, id, what)
}

func findIdea(b *Books, who int64, all []*shelved, id int64, what idea.Act) (idea.Idea, error) {
	at, ok := slices.BinarySearchFunc(all, id, byIdea)
	if !ok {
		return idea.Idea{}, ErrNotFound
	}
	w := b.Who(who, all[at].DeskID)
	if idea.May(idea.ActSee, w, &all[at].Idea) != nil {
		return idea.Idea{}, ErrNotFound
	}
	return all[at].Idea, idea.May(what, w, &all[at].Idea)
}

// saveIdea stores an idea as it is and remembers it as it was.
func (a *act) saveIdea(was, is idea.Idea) (idea.Idea, error) {
	is.Version = was.Version + 1
	id, err := a.tx.SaveIdea(a, is)
	if err != nil {
		return is, err
	}
	is.ID = id
	a.ideas[id] = is
	a.undo.Ideas = append(a.undo.Ideas, undoIdea{ID: id, Version: is.Version, Was: was})
	return is, nil
}

// oldest is how long ago, in seconds, an idea may have been caught that comes in now.
const oldest = 400 * 24 * 3600

// Catch keeps an idea that somebody had so many seconds ago. What a device sends twice
// under one key is caught once; fresh says whether this was the first time.
func (h *House) Catch(ctx context.Context, by int64, i idea.Idea, ago int64) (id int64, fresh bool, err error) {
	err = h.act(ctx, by, func(a *act) error {
		w := a.b.Who(by, i.DeskID)
		if err := idea.May(idea.ActCatch, w, &idea.Idea{}); err != nil {
			return err
		}
		if !w.Access.May(relay.JudgeIdeas) {
			i.Reach, i.Fit, i.Effort = 0, 0, 0
		}
		if len(i.Key) > 100 {
			return bad("key", "This was not sent by Green Baton’s own page. Open it again and type the idea there.")
		}
		if i.Key != "" {
			if id, err = store.IdeaByKey(a, a.tx, by, i.Key); !errors.Is(err, store.ErrNone) {
				return err
			}
		}
		is, err := i.Check()
		if err != nil {
			return err
		}
		is.ID, is.By, is.State, is.CaughtAt = 0, by, idea.Waiting, a.now-day.Moment(min(max(ago, 0), oldest))
		if is, err = a.saveIdea(idea.Idea{}, is); err != nil {
			return err
		}
		id, fresh = is.ID, true
		a.did = append(a.did, fmt.Sprintf("caught “%s”", idea.Cut(is.Title, 80)))
		return a.logIdea(is, "caught the idea “%s”", is.Title)
	})
	return id, fresh, err
}

func (a *act) logIdea(i idea.Idea, what string, args ...any) error {
	return a.log(store.Entry{DeskID: i.DeskID, Act: "idea", What: fmt.Sprintf(what, args...), Why: i.Why, Version: i.Version})
}

// changedIdea refuses an act on an idea that was given on an older version.
func (a *act) changedIdea(i idea.Idea, version int) error {
	if version == 0 || version == i.Version {
		return nil
	}
	return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("“%s” has changed since you opened it. What you typed is still here; look at the idea as it is now, and save again.", idea.Cut(i.Title, 80))}
}

// EditIdea changes what an idea says; what became of it stays as it is.
func (h *House) EditIdea(ctx context.Context, by int64, i idea.Idea) error {
	return h.act(ctx, by, func(a *act) error {
		was, err := a.idea(i.ID, idea.ActEdit)
		if err != nil {
			return err
		}
		if err := a.changedIdea(was, i.Version); err != nil {
			return err
		}
		is := was
		is.Title, is.Notes, is.Links, is.Source, is.Origin, is.Tags = i.Title, i.Notes, i.Links, i.Source, i.Origin, i.Tags
		is.Phrase, is.Volume, is.Difficulty = i.Phrase, i.Volume, i.Difficulty
		if idea.May(idea.ActJudge, a.b.Who(by, was.DeskID), &was) == nil {
			is.Reach, is.Fit, is.Effort = i.Reach, i.Fit, i.Effort
		}
		if is, err = is.Check(); err != nil || is == was {
			return err
		}
		if is, err = a.saveIdea(was, is); err != nil {
			return err
		}
		a.did = append(a.did, fmt.Sprintf("changed the idea “%s”", idea.Cut(is.Title, 80)))
		return a.logIdea(is, "changed the idea “%s”", is.Title)
	})
}

// JudgeIdea says one of reach, fit and effort of an idea; 0 takes the judgement back.
func (h *House) JudgeIdea(ctx context.Context, by, id int64, what string, n int) error {
	return h.act(ctx, by, func(a *act) error {
		was, err := a.idea(id, idea.ActJudge)
		if err != nil {
			return err
		}
		is := was
		switch what {
		case "reach":
			is.Reach = n
		case "fit":
			is.Fit = n
		case "effort":
			is.Effort = n
		default:
			return bad("judge", "Reach, fit and effort can be judged.")
		}
		if is, err = is.Check(); err != nil || is == was {
			return err
		}
		if is, err = a.saveIdea(was, is); err != nil {
			return err
		}
		a.did = append(a.did, fmt.Sprintf("judged the %s of “%s”", what, idea.Cut(is.Title, 80)))
		return nil
	})
}

// SettleIdeas decides what becomes of ideas: to let them wait, rest until a day (none
// for nobody knows how long), or be turned down, for a reason. Whoever caught one of
// them is told.
func (h *House) SettleIdeas(ctx context.Context, by int64, ids []int64, to idea.State, why string, until day.Date) error {
	return h.act(ctx, by, func(a *act) error {
		var titles []string
		for _, id := range ids {
			was, err := a.idea(id, idea.ActSettle)
			if err != nil {
				return err
			}
			is, err := was.Settle(to, why, until, a.now.Date(a.b.Zones[was.DeskID]))
			if err != nil {
				return err
			}
			if is == was {
				continue
			}
			is.SettledBy, is.SettledAt = by, a.now
			if is, err = a.saveIdea(was, is); err != nil {
				return err
			}
			titles = append(titles, "“"+idea.Cut(is.Title, 80)+"”")
			if err := a.logIdea(is, "%s the idea “%s”", sayState(is), is.Title); err != nil {
				return err
			}
			if err := a.tellCatcher(is, to, why); err != nil {
				return err
			}
		}
		if len(titles) > 3 {
			titles = append(titles[:2], Plural(len(titles)-2, "more idea"))
		}
		if len(titles) > 0 {
			a.did = append(a.did, sayState(idea.Idea{State: to})+" "+Names(titles))
		}
		return nil
	})
}

func sayState(i idea.Idea) string {
	switch i.State {
	case idea.Resting:
		return "let rest"
	case idea.Turned:
		return "turned down"
	case idea.Used:
		return "used"
	}
	return "took up again"
}

// tellCatcher tells whoever caught an idea that it was turned down.
func (a *act) tellCatcher(i idea.Idea, to idea.State, why string) error {
	p := a.b.Person(i.By)
	if to != idea.Turned || p.ID == 0 || p.Retired || p.ID == a.by {
		return nil
	}
	return a.item(store.Item{PersonID: p.ID, Kind: "idea", Text: fmt.Sprintf("%s turned down your idea “%s”.", a.b.Name(a.by), idea.Cut(i.Title, 120)), Why: why, Link: fmt.Sprintf("/ideas/%d", i.ID), At: a.now}, false)
}

// useIdea notes that an idea became a piece.
func (a *act) useIdea(id, piece int64) error {
	was, err := a.idea(id, idea.ActSee)
	if err != nil {
		return err
	}
	if !MayCreate(a.b.Who(a.by, was.DeskID)) {
		return ErrNotFound
	}
	if was.State == idea.Used {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("“%s” is used already; somebody made a piece of it meanwhile. Nothing was made.", idea.Cut(was.Title, 80))}
	}
	is := was
	is.State, is.PieceID, is.Why, is.Until, is.SettledBy, is.SettledAt = idea.Used, piece, "", 0, a.by, a.now
	_, err = a.saveIdea(was, is)
	return err
}

// restoreIdea puts an idea back to where an act found it.
func (a *act) restoreIdea(u undoIdea) error {
	is, err := a.idea(u.ID, idea.ActSee)
	if errors.Is(err, ErrNotFound) && u.Was.ID == 0 {
		return nil // it is gone already
	} else if err != nil {
		return err
	}
	if is.Version != u.Version {
		return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("“%s” has changed since, so it can no longer be taken back. Change it by hand.", idea.Cut(is.Title, 80))}
	}
	if u.Was.ID == 0 {
		a.ideas[u.ID] = idea.Idea{ID: u.ID}
		return a.tx.DropIdea(a, u.ID)
	}
	back := u.Was
	back.Version = is.Version + 1
	a.ideas[u.ID] = back
	_, err = a.tx.SaveIdea(a, back)
	return err
}
