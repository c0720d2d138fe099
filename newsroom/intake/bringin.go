package intake

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"greenbaton/core/bring"
	"greenbaton/core/english"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// atOnce is how many rows come in in one transaction, so that nobody waits for them.
const atOnce = 50

// BringIn brings the rows of a list in: the new ones, and with every those that clash.
// What comes after a stop in the middle goes on where it stopped. Only one at a time
// brings in a list.
func (h Imports) BringIn(ctx context.Context, by ref.Person, batch ref.Batch, every bool) error {
	if _, busy := h.ListsIn.LoadOrStore(batch, true); busy {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This list is coming in already."}
	}
	defer h.ListsIn.Delete(batch)
	x, err := h.Bringing(ctx, by, batch)
	if err != nil {
		return err
	}
	switch {
	case x.State == store.In || x.State == store.TakenBack:
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This list has come in already."}
	case len(x.Orders) > 0 && x.Plan.Order == "":
		return newsroom.Invalid("order", "Say first in which order its dates are written.")
	case x.State == store.ComingIn: // it was stopped in the middle
		every = x.Every
		if err := h.readRows(ctx, &x, by); err != nil {
			return err
		}
	}
	told := map[ref.Person]int{}
	for x.State != store.In {
		err := h.Do(ctx, by, func(a *newsroom.Command) error { return bringSome(a, &x, every, told) })
		if err != nil {
			return fmt.Errorf("bring in %q: %w", x.Name, err)
		}
	}
	return nil
}

// bringSome brings the next rows of a list in.
func bringSome(a *newsroom.Command, x *Bringing, every bool, told map[ref.Person]int) error {
	a.Told = told
	to := min(x.Done+atOnce, len(x.Rows))
	if x.Kind == bring.Figures {
		x.Every, to = every, min(x.Done+figuresAtOnce, len(x.Rows))
		if err := bringFigures(a, x, x.Rows[x.Done:to]); err != nil {
			return err
		}
		return x.broughtTo(a, to, every, told)
	}
	for _, r := range x.Rows[x.Done:to] {
		if r.Fate != RowNew && !(every && r.Fate == RowClash) {
			continue
		}
		if x.Kind == bring.History {
			if err := bringPast(a, x, &r); err != nil {
				return fmt.Errorf("row %d: %w", r.Line, err)
			}
		} else if x.Kind == bring.Lineup {
			r.draft.Batch = x.ID
			if _, err := create(a, r.draft); err != nil {
				return fmt.Errorf("row %d: %w", r.Line, err)
			}
		} else {
			i := r.idea
			i.By, i.State, i.CaughtAt, i.BatchID = a.Actor, idea.Waiting, a.Now, x.ID
			if _, err := saveIdea(a, idea.Idea{}, i); err != nil {
				return fmt.Errorf("row %d: %w", r.Line, err)
			}
		}
		x.Came++
	}
	return x.broughtTo(a, to, every, told)
}

// broughtTo notes how far a list has come in, and says so when all of it has.
func (x *Bringing) broughtTo(a *newsroom.Command, to int, every bool, told map[ref.Person]int) error {
	a.Undo, a.Did = newsroom.UndoState{}, nil // the list is taken back as one
	x.Done, x.Every, x.State = to, every, store.ComingIn
	if to == len(x.Rows) {
		x.State = store.In
		what := fmt.Sprintf("brought in %s from “%s”", x.says(), x.Name)
		a.Did, a.Undo.Batch = append(a.Did, what), x.ID
		if err := a.Log(store.Entry{DeskID: x.DeskID, Act: "brought in", What: what}); err != nil {
			return err
		}
		if err := tellBrought(a, x, told); err != nil {
			return err
		}
		if err := x.letGo(a); err != nil {
			return err
		}
	}
	return a.Tx.SaveBatch(a, x.Batch)
}

// letGo lets go of the files that came with a list once all of it is in: they are stored where they belong.
func (x *Bringing) letGo(a *newsroom.Command) error {
	if len(x.Table.Files) == 0 {
		return nil
	}
	x.Table.Files = nil
	sheet, err := json.Marshal(x.Table)
	if err != nil {
		return err
	}
	x.Sheet = string(sheet)
	return a.Tx.SaveRows(a, x.Batch)
}

// says how much came in: "12 ideas".
func (x *Bringing) says() string { return x.count(x.Came) }

func (x *Bringing) count(n int) string {
	for _, k := range bring.Kinds {
		if k.Kind == x.Kind {
			return english.Plural(n, k.Row)
		}
	}
	return ""
}

// tellBrought tells people once what of a list is with them.
func tellBrought(a *newsroom.Command, x *Bringing, told map[ref.Person]int) error {
	var people []ref.Person
	for id := range told {
		if id != a.Actor {
			people = append(people, id)
		}
	}
	slices.Sort(people)
	for _, id := range people {
		text := fmt.Sprintf("%s brought in %s from “%s”; %s with you.", a.Setup.Name(a.Actor), x.says(), x.Name, are(told[id]))
		if err := a.Notify(store.Item{PersonID: id, Kind: "brought in", Text: text, At: a.Now, Link: "/"}, false); err != nil {
			return err
		}
	}
	return nil
}

func are(n int) string {
	if n == 1 {
		return "one leg is"
	}
	return fmt.Sprintf("%d legs are", n)
}

// TakeBack takes back what came in with a list, for who brought it in and for leads. What
// somebody has changed or used since stays. It gives what was taken back, in words.
func (h Imports) TakeBack(ctx context.Context, by ref.Person, batch ref.Batch) (string, error) {
	x, err := h.batch(ctx, h.DB.View(), by, batch)
	if err != nil {
		return "", err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return "", err
	}
	if x.By != by && b.MayLead(by, x.DeskID) != nil {
		return "", &relay.Refusal{Reason: relay.ErrNotYours, Text: "Who brought a list in takes it back, or a lead."}
	}
	if _, busy := h.ListsIn.Load(batch); busy || x.State != store.In && x.State != store.ComingIn {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "There is nothing of this list to take back now."}
	}
	if x.Kind == bring.Figures {
		return h.takeBackFigures(ctx, by, x)
	}
	came, err := h.cameWith(ctx, x)
	if err != nil {
		return "", err
	}
	gone := 0
	for part := range slices.Chunk(came, 2*atOnce) {
		err := h.Do(ctx, by, func(a *newsroom.Command) error {
			n := 0
			for _, drop := range part {
				ok, err := drop(a)
				if err != nil {
					return err
				}
				n += newsroom.Count(ok)
			}
			gone += n
			return nil
		})
		if err != nil {
			return "", err
		}
	}
	said := fmt.Sprintf("%s from “%s”", x.count(gone), x.Name)
	if left := len(came) - gone; left > 0 {
		said += fmt.Sprintf("; %s because somebody has changed or used it since", map[bool]string{true: "one stays", false: fmt.Sprintf("%d stay", left)}[left == 1])
	}
	return said, h.Do(ctx, by, func(a *newsroom.Command) error {
		x.State = store.TakenBack
		if err := a.Tx.MarkBatchUndone(a, x.ID, a.Now); err != nil {
			return err
		}
		if err := a.Log(store.Entry{DeskID: x.DeskID, Act: "took back", What: "took back " + said}); err != nil {
			return err
		}
		return a.Tx.SaveBatch(a, x.Batch)
	})
}

// cameWith gives what drops each idea or piece that came in with a list, as dropIdea and
// dropPiece do.
func (h Imports) cameWith(ctx context.Context, x Bringing) ([]func(*newsroom.Command) (bool, error), error) {
	var drops []func(*newsroom.Command) (bool, error)
	if x.Kind == bring.Lineup || x.Kind == bring.History {
		pieces, err := store.PiecesOfBatch(ctx, h.DB.View(), x.ID)
		for _, p := range pieces {
			drops = append(drops, func(a *newsroom.Command) (bool, error) { return dropPiece(a, p) })
		}
		return drops, err
	}
	all, err := At(h.Newsroom).allIdeas(ctx)
	for _, i := range all {
		if i.BatchID == x.ID {
			drops = append(drops, func(a *newsroom.Command) (bool, error) { return dropIdea(a, i.ID) })
		}
	}
	return drops, err
}

// dropIdea takes back an idea that came in with a list, if nobody has changed it since.
func dropIdea(a *newsroom.Command, id ref.Idea) (bool, error) {
	i, err := heldIdea(a, id, idea.ActSee)
	if err != nil || i.Version > 1 || i.State != idea.Waiting {
		return false, err
	}
	a.Ideas[id] = idea.Idea{ID: id}
	return true, a.Tx.DropIdea(a, id)
}

// dropPiece takes back a piece that came in with a list, if nobody has changed it since.
func dropPiece(a *newsroom.Command, id ref.Piece) (bool, error) {
	row, err := store.Piece(a, a.Tx, id)
	if err != nil || row.Version > 1 || row.Stage == relay.Withdrawn {
		return false, err
	}
	if row.Stage == relay.Out { // which it was before it was kept here
		return true, planning.DropPast(a, row)
	}
	return true, planning.DropPiece(a, row)
}
