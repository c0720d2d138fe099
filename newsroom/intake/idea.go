package intake

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// ideaShelf keeps all ideas in memory, as the cache keeps the pieces: read once, and
// every command puts what it stored there before the next one begins.
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
func (s *ideaShelf) put(stored map[ref.Idea]idea.Idea) {
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

func byIdea(x *shelved, id ref.Idea) int { return int(x.ID - id) }

// allIdeas gives every idea of the house, by id.
func (h Backlog) allIdeas(ctx context.Context) ([]*shelved, error) {
	s := newsroom.PartOf[ideaShelf](h.Newsroom)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.all == nil {
		rows, err := store.AllIdeas(store.Latest(ctx), h.DB.View())
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

// heldIdea finds an idea for somebody who may do a command with it.
func heldIdea(a *newsroom.Command, id ref.Idea, what idea.Act) (idea.Idea, error) {
	if i, ok := a.Ideas[id]; ok {
		return i, nil
	}
	all, err := At(a.Newsroom).allIdeas(a)
	if err != nil {
		return idea.Idea{}, err
	}
	return findIdea(a.Setup, a.Actor, all, id, what)
}

func findIdea(b *newsroom.Setup, who ref.Person, all []*shelved, id ref.Idea, what idea.Act) (idea.Idea, error) {
	at, ok := slices.BinarySearchFunc(all, id, byIdea)
	if !ok {
		return idea.Idea{}, newsroom.ErrNotFound
	}
	w := b.Who(who, all[at].DeskID)
	if idea.May(idea.ActSee, w, &all[at].Idea) != nil {
		return idea.Idea{}, newsroom.ErrNotFound
	}
	return all[at].Idea, idea.May(what, w, &all[at].Idea)
}

// saveIdea stores an idea as it is and remembers it as it was.
func saveIdea(a *newsroom.Command, was, is idea.Idea) (idea.Idea, error) {
	is.Version = was.Version + 1
	id, err := a.Tx.SaveIdea(a, is)
	if err != nil {
		return is, err
	}
	is.ID = id
	a.Ideas[id] = is
	a.Undo.Ideas = append(a.Undo.Ideas, newsroom.UndoIdea{ID: id, Version: is.Version, Was: was})
	return is, nil
}

// oldest is how long ago, in seconds, an idea may have been caught that comes in now.
const oldest = 400 * 24 * 3600

// Catch keeps an idea that somebody had so many seconds ago. What a device sends twice
// under one key is caught once; fresh says whether this was the first time.
func (h Backlog) Catch(ctx context.Context, by ref.Person, i idea.Idea, ago int64) (id ref.Idea, fresh bool, err error) {
	err = h.Do(ctx, by, func(a *newsroom.Command) error {
		w := a.Setup.Who(by, i.DeskID)
		if err := idea.May(idea.ActCatch, w, &idea.Idea{}); err != nil {
			return err
		}
		if !w.Access.May(relay.JudgeIdeas) {
			i.Reach, i.Fit, i.Effort = 0, 0, 0
		}
		if len(i.Key) > 100 {
			return newsroom.Invalid("key", "This was not sent by Green Baton’s own page. Open it again and type the idea there.")
		}
		if i.Key != "" {
			if id, err = store.IdeaByKey(a, a.Tx, by, i.Key); !errors.Is(err, store.ErrNone) {
				return err
			}
		}
		is, err := i.Check()
		if err != nil {
			return err
		}
		is.ID, is.By, is.State, is.CaughtAt = 0, by, idea.Waiting, a.Now-day.Moment(min(max(ago, 0), oldest))
		if is, err = saveIdea(a, idea.Idea{}, is); err != nil {
			return err
		}
		id, fresh = is.ID, true
		a.Did = append(a.Did, fmt.Sprintf("caught “%s”", english.Cut(is.Title, 80)))
		return logIdea(a, is, "caught the idea “%s”", is.Title)
	})
	return id, fresh, err
}

func logIdea(a *newsroom.Command, i idea.Idea, what string, args ...any) error {
	return a.Log(store.Entry{DeskID: i.DeskID, Act: "idea", What: fmt.Sprintf(what, args...), Why: i.Why, Version: i.Version})
}

// changedIdea refuses a command on an idea that was given on an older version.
func changedIdea(a *newsroom.Command, i idea.Idea, version int) error {
	if version == 0 || version == i.Version {
		return nil
	}
	return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("“%s” has changed since you opened it. What you typed is still here; look at the idea as it is now, and save again.", english.Cut(i.Title, 80))}
}

// EditIdea changes what an idea says; what became of it stays as it is.
func (h Backlog) EditIdea(ctx context.Context, by ref.Person, i idea.Idea) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := heldIdea(a, i.ID, idea.ActEdit)
		if err != nil {
			return err
		}
		if err := changedIdea(a, was, i.Version); err != nil {
			return err
		}
		is := was
		is.Title, is.Notes, is.Links, is.Source, is.Origin, is.Tags = i.Title, i.Notes, i.Links, i.Source, i.Origin, i.Tags
		is.Phrase, is.Volume, is.Difficulty = i.Phrase, i.Volume, i.Difficulty
		if idea.May(idea.ActJudge, a.Setup.Who(by, was.DeskID), &was) == nil {
			is.Reach, is.Fit, is.Effort = i.Reach, i.Fit, i.Effort
		}
		if is, err = is.Check(); err != nil || is == was {
			return err
		}
		if is, err = saveIdea(a, was, is); err != nil {
			return err
		}
		a.Did = append(a.Did, fmt.Sprintf("changed the idea “%s”", english.Cut(is.Title, 80)))
		return logIdea(a, is, "changed the idea “%s”", is.Title)
	})
}

// JudgeIdea says one of reach, fit and effort of an idea; 0 takes the judgement back.
func (h Backlog) JudgeIdea(ctx context.Context, by ref.Person, id ref.Idea, what string, n int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := heldIdea(a, id, idea.ActJudge)
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
			return newsroom.Invalid("judge", "Reach, fit and effort can be judged.")
		}
		if is, err = is.Check(); err != nil || is == was {
			return err
		}
		if is, err = saveIdea(a, was, is); err != nil {
			return err
		}
		a.Did = append(a.Did, fmt.Sprintf("judged the %s of “%s”", what, english.Cut(is.Title, 80)))
		return nil
	})
}

// SettleIdeas decides what becomes of ideas: to let them wait, rest until a day (none
// for nobody knows how long), or be turned down, for a reason. Whoever caught one of
// them is told.
func (h Backlog) SettleIdeas(ctx context.Context, by ref.Person, ids []ref.Idea, to idea.State, why string, until day.Date) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		var titles []string
		for _, id := range ids {
			was, err := heldIdea(a, id, idea.ActSettle)
			if err != nil {
				return err
			}
			is, err := was.Settle(to, why, until, a.Now.Date(a.Setup.Zones[was.DeskID]))
			if err != nil {
				return err
			}
			if is == was {
				continue
			}
			is.SettledBy, is.SettledAt = by, a.Now
			if is, err = saveIdea(a, was, is); err != nil {
				return err
			}
			titles = append(titles, "“"+english.Cut(is.Title, 80)+"”")
			if err := logIdea(a, is, "%s the idea “%s”", sayState(is), is.Title); err != nil {
				return err
			}
			if err := tellCatcher(a, is, to, why); err != nil {
				return err
			}
		}
		if len(titles) > 3 {
			titles = append(titles[:2], english.Plural(len(titles)-2, "more idea"))
		}
		if len(titles) > 0 {
			a.Did = append(a.Did, sayState(idea.Idea{State: to})+" "+english.And(titles))
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
func tellCatcher(a *newsroom.Command, i idea.Idea, to idea.State, why string) error {
	p := a.Setup.Person(i.By)
	if to != idea.Turned || p.ID == 0 || p.Retired || p.ID == a.Actor {
		return nil
	}
	return a.Notify(store.Item{PersonID: p.ID, Kind: "idea", Text: fmt.Sprintf("%s turned down your idea “%s”.", a.Setup.Name(a.Actor), english.Cut(i.Title, 120)), Why: why, Link: fmt.Sprintf("/ideas/%d", i.ID), At: a.Now}, false)
}

// useIdea notes that an idea became a piece.
func useIdea(a *newsroom.Command, id ref.Idea, piece ref.Piece) error {
	was, err := heldIdea(a, id, idea.ActSee)
	if err != nil {
		return err
	}
	if !planning.MayCreate(a.Setup.Who(a.Actor, was.DeskID)) {
		return newsroom.ErrNotFound
	}
	if was.State == idea.Used {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("“%s” is used already; somebody made a piece of it meanwhile. Nothing was made.", english.Cut(was.Title, 80))}
	}
	is := was
	is.State, is.PieceID, is.Why, is.Until, is.SettledBy, is.SettledAt = idea.Used, piece, "", 0, a.Actor, a.Now
	_, err = saveIdea(a, was, is)
	return err
}

// restoreIdea puts an idea back to where a command found it.
func restoreIdea(a *newsroom.Command, u newsroom.UndoIdea) error {
	is, err := heldIdea(a, u.ID, idea.ActSee)
	if errors.Is(err, newsroom.ErrNotFound) && u.Was.ID == 0 {
		return nil // it is gone already
	} else if err != nil {
		return err
	}
	if is.Version != u.Version {
		return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("“%s” has changed since, so it can no longer be taken back. Change it by hand.", english.Cut(is.Title, 80))}
	}
	if u.Was.ID == 0 {
		a.Ideas[u.ID] = idea.Idea{ID: u.ID}
		return a.Tx.DropIdea(a, u.ID)
	}
	back := u.Was
	back.Version = is.Version + 1
	a.Ideas[u.ID] = back
	_, err = a.Tx.SaveIdea(a, back)
	return err
}
