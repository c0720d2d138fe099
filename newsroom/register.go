package newsroom

import (
	"context"
	"reflect"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Hooks is what rooms register at the kernel, so that it needs to know none of them. Each
// list is gone through in the order in which it was registered.
type Hooks struct {
	Load    []func(a *Command, piece ref.Piece) error                                                    // before a piece is read to be changed
	Gates   []func(a *Command, piece ref.Piece, leg string, say relay.Say, why string) ([]string, error) // what is owed before a leg is passed, or sent back
	Held    []func(a *Command, piece ref.Piece) (why string, err error)                                  // why a ready piece does not go out by itself
	Lacks   []func(b *Setup, ctx context.Context, r store.Reader, row store.Row) ([]string, error)       // what is missing at a ready piece, for who sends it out by hand
	Moved   []func(a *Command, was relay.Piece, m relay.Move) error                                      // what follows from a move, once it is stored and logged
	Ends    []func(a *Command) error                                                                     // what follows when all else of a command is done
	Stored  []func(a *Command)                                                                           // what a command stored is there for others to see
	Dropped []func(a *Command)                                                                           // nothing of a command was stored
	Shown   []func(a *Command)                                                                           // pages were told of what was stored
	Restore []func(a *Command, was relay.Piece, u UndoPiece) error                                       // of a piece, before it is put back
	Undo    []func(a *Command, s *UndoState) (pieces []ref.Piece, err error)                             // of all else
	Batch   func(ctx context.Context, by ref.Person, batch ref.Batch) (string, error)                    // takes back what came in with a list
	Item    func(a *Command, i store.Item, mail bool) error                                              // tells somebody something
	Day     []func(a *Command, p relay.Piece) error                                                      // what is done at a piece when a day begins
	Before  []func(ctx context.Context) error                                                            // what is due by the clock, before pieces go out
	After   []func(ctx context.Context) error                                                            // and after them
	Expects []func(ctx context.Context, desk ref.Desk, until day.Date) ([]Expected, error)               // what will come to open times of a desk by itself
	Clicked []func(ctx context.Context, piece ref.Piece)                                                 // somebody followed a short link of a piece
	Keeps   []Keep                                                                                       // what would only grow, and is dropped after a while
	Forget  []func()                                                                                     // the data was changed behind the house's back
}

// Expected is something that will come to an open time of a channel by itself.
type Expected struct {
	Channel ref.Channel
	At      day.Moment
	Name    string
}

// ExpectedAt gives what will come to open times of a desk by itself up to a day.
func (h *Newsroom) ExpectedAt(ctx context.Context, desk ref.Desk, until day.Date) (func(ref.Channel, day.Moment) string, error) {
	var all []Expected
	for _, f := range h.Hooks.Expects {
		some, err := f(ctx, desk, until)
		if err != nil {
			return nil, err
		}
		all = append(all, some...)
	}
	return func(c ref.Channel, at day.Moment) string {
		for _, x := range all {
			if x.Channel == c && x.At == at {
				return x.Name
			}
		}
		return ""
	}, nil
}

// Keep is something that would only grow, and how long it is kept. The logbook, the copies
// with their versions, and what people made are kept for good and stand in no such list.
type Keep struct {
	Key   string // of what is set
	Name  string
	Says  string // what stays all the same
	Days  int    // that it is kept for unless set otherwise
	Least int    // days it must be kept for
	Drop  func(t *store.Tx, ctx context.Context, before day.Moment) (int64, error)
}

// PartOf gives what a room keeps in memory, its zero value where it was never asked for.
func PartOf[T any](h *Newsroom) *T {
	key := reflect.TypeFor[T]()
	if p, ok := h.parts.Load(key); ok {
		return p.(*T)
	}
	p, _ := h.parts.LoadOrStore(key, new(T))
	return p.(*T)
}

// Notify puts something into somebody's inbox, and tells them of it as they chose to be told:
// mail says whether it is worth a mail for who chose nothing.
func (a *Command) Notify(i store.Item, mail bool) error {
	if a.Newsroom.Hooks.Item == nil {
		return nil
	}
	return a.Newsroom.Hooks.Item(a, i, mail)
}

// Owes asks the gates what is owed before a leg is passed on, or sent back, by who acts.
func (a *Command) Owes(piece ref.Piece, leg string, say relay.Say, why string) ([]string, error) {
	var out []string
	for _, gate := range a.Newsroom.Hooks.Gates {
		owed, err := gate(a, piece, leg, say, why)
		if err != nil {
			return nil, err
		}
		out = append(out, owed...)
	}
	return out, nil
}

// Moved lets follow what follows from a move.
func (a *Command) Moved(was relay.Piece, m relay.Move) error {
	for _, f := range a.Newsroom.Hooks.Moved {
		if err := f(a, was, m); err != nil {
			return err
		}
	}
	return nil
}
