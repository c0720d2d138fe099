package regular

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// MakeDue makes the pieces of regulars whose weeks have begun, once at the beginning of each
// working day of their desk. One that fails holds no other back, and is tried again.
func (h Room) MakeDue(ctx context.Context) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	var failed error
	for _, d := range b.Desks {
		today := h.Now().Date(b.Zones[d.ID])
		if d.Retired || !b.Planned[d.ID].Calendar.Working(today) {
			continue
		}
		due, err := store.RegularsDue(ctx, h.DB.View(), d.ID, today)
		if err != nil {
			return err
		}
		for _, r := range due {
			e := newsroom.Errand{What: "make the pieces of “" + r.Name + "”", Link: linkTo(r.ID)}
			failed = errors.Join(failed, h.Alone(ctx, e, func() error { return h.makeDue(ctx, r.ID) }))
		}
	}
	return failed
}

func linkTo(id ref.Regular) string { return fmt.Sprintf("/regulars/%d", id) }

// makeDue makes what is due of one regular.
func (h Room) makeDue(ctx context.Context, id ref.Regular) error {
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		r, err := store.RegularByID(a, a.Tx, id)
		if err != nil || !r.Runs() {
			return err
		}
		_, err = makeDue(a, r)
		return err
	})
}

// makeDue makes the pieces of a regular whose weeks have begun and that have none yet, in the
// order of their days, notes what could not be made, and tells of it.
func makeDue(a *newsroom.Command, r store.Regular) ([]ref.Piece, error) {
	known, err := store.RegularDates(a, a.Tx, r.ID)
	if err != nil {
		return nil, err
	}
	today := a.Now.Date(a.Setup.Zones[r.DeskID])
	var made []ref.Piece
	var past, taken []Coming
	for {
		board, err := planning.BoardNow(a)
		if err != nil {
			return made, err
		}
		s := scene{a.Setup, board, a.Now}
		all, err := s.look(r, known, today+day.Date(7*r.Ahead))
		if err != nil {
			return made, err
		}
		i := slices.IndexFunc(all, func(c Coming) bool {
			return c.State == Due || (c.State == Taken || c.State == Past) && known[c.Key].State == ""
		})
		if i < 0 {
			break
		}
		c := all[i]
		d := store.RegularDate{RegularID: r.ID, Key: c.Key}
		switch c.State {
		case Due:
			if d.PieceID, err = makeOne(a, r, c, board); err != nil {
				return made, err
			}
			d.State, d.N = store.RegularMade, c.N
			r.NextN = c.N + 1
			made = append(made, d.PieceID)
		case Past:
			d.State = store.RegularPast
			past = append(past, c)
		case Taken:
			d.State, d.PieceID = store.RegularTaken, c.With[0].ID
			taken = append(taken, c)
		}
		known[c.Key] = d
		if err := a.Tx.PutRegularDate(a, d); err != nil {
			return made, err
		}
	}
	r.MadeDay = today
	if _, err := a.Tx.SaveRegular(a, r); err != nil {
		return made, err
	}
	if a.Actor != 0 { // whoever keeps it has seen its days
		return made, nil
	}
	return made, tell(a, r, past, taken)
}

// makeOne makes the piece of a regular for a day; whoever owns it makes it, where nobody does.
func makeOne(a *newsroom.Command, r store.Regular, c Coming, board *plan.Board) (ref.Piece, error) {
	d, err := draftOf(r, c)
	if err != nil {
		return 0, err
	}
	if a.Actor == 0 {
		by := r.Owner
		if by == 0 || !planning.MayCreate(a.Setup.Who(by, r.DeskID)) {
			by = newsroom.FirstOf(a.Setup.Leads(r.DeskID))
		}
		a.Actor = by
		defer func() { a.Actor = 0 }()
	}
	return planning.CreateOn(a, board, d)
}

// tell tells the owner of a regular and the leads of its desk of days for which no piece was made.
func tell(a *newsroom.Command, r store.Regular, past, taken []Coming) error {
	var says []string
	if n := len(past); n > 0 {
		says = append(says, fmt.Sprintf("No piece was made for %s: %s over before the program could.", sayDays(past), english.Verb(n, "it was", "they were")))
	}
	for _, c := range taken {
		says = append(says, fmt.Sprintf("On %s “%s” has its time already, so no second piece was made.", english.Date(c.On), c.With[0].Title))
	}
	if len(says) == 0 {
		return nil
	}
	people := a.Setup.Leads(r.DeskID)
	if r.Owner != 0 && !slices.Contains(people, r.Owner) {
		people = append(slices.Clone(people), r.Owner)
	}
	for _, id := range people {
		for _, text := range says {
			if err := a.Notify(store.Item{PersonID: id, Kind: "regular", Text: r.Name + ": " + text, Link: linkTo(r.ID), At: a.Now}, true); err != nil {
				return err
			}
		}
	}
	return nil
}

// sayDays names days, of many the first and how many more there are.
func sayDays(all []Coming) string {
	var days []string
	for _, c := range all {
		days = append(days, english.Date(c.On))
	}
	if n := len(days); n > 5 {
		days = append(days[:4:4], english.Plural(n-4, "more day"))
	}
	return english.And(days)
}
