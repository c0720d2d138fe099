package regular

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/regular"
	"greenbaton/core/relay"
	"greenbaton/core/words"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// MostAhead is the most weeks ahead that pieces are made.
const MostAhead = 26

// Encoded puts a rule and who runs which leg into a regular, as they are stored.
func Encoded(r store.Regular, rule regular.Rule, people map[string]ref.Person) (store.Regular, error) {
	x, err := json.Marshal(rule)
	if err != nil {
		return r, err
	}
	y, err := json.Marshal(people)
	r.Rule, r.People = string(x), string(y)
	return r, err
}

// KeepN is the number of the next piece of a regular whose form leaves it as it is.
const KeepN = -1

// check refuses what a regular of somebody cannot be, as its pieces would be refused, and sets from
// when its dates count: from today, or from before where its rule is the same as it was.
func check(b *newsroom.Setup, by ref.Person, r *store.Regular, was store.Regular, now day.Moment) error {
	if r.NextN == KeepN && r.ID != 0 {
		r.NextN = was.NextN
	}
	r.Name, r.Title, r.Brief = strings.TrimSpace(r.Name), strings.TrimSpace(r.Title), strings.TrimSpace(r.Brief)
	if r.Name == "" {
		r.Name = english.UpperFirst(strings.Trim(strings.TrimSpace(words.Fill(r.Title, nil)), " ,:–-."))
	}
	bad := newsroom.Invalid
	if err := words.Check(r.Title, Fields); err != nil {
		return bad("title", "%s.", english.UpperFirst(err.Error()))
	}
	switch {
	case r.Title == "":
		return bad("title", "Give its pieces a title, with {n} where their number stands, or {date} for their day.")
	case len([]rune(r.Title)) > 160:
		return bad("title", "Keep the title under 160 characters.")
	case r.Name == "" || len([]rune(r.Name)) > 60:
		return bad("name", "Give the regular a name of up to 60 characters.")
	case b.Format(r.FormatID).DeskID != r.DeskID:
		return bad("format", "Choose a format; it brings the route with it.")
	case r.At < -1 || r.At >= 24*60:
		return bad("at", "The time lies between 00:00 and 23:59.")
	case r.Ahead < 1 || r.Ahead > MostAhead:
		return bad("ahead", "Pieces are made 1 to %d weeks ahead.", MostAhead)
	case r.NextN < 0 || r.NextN > 100_000:
		return bad("n", "The number of the next piece lies between 0 and 100,000.")
	}
	d, err := draftOf(*r, Coming{Title: r.Title})
	if err != nil {
		return err
	}
	m, err := planning.DraftMove(b, by, d, now)
	if err == nil {
		err = planning.Check(b, &m.Piece)
	}
	if err != nil {
		return err
	}
	if err := checkPeople(b, r); err != nil {
		return err
	}
	rule, err := r.Recurs()
	if err == nil {
		err = rule.Check()
	}
	var wrong *regular.Problem
	if errors.As(err, &wrong) {
		return bad(wrong.Field, "%s", wrong.Text)
	} else if err != nil {
		return err
	}
	r.Paused, r.Ended, r.MadeDay, r.Since = was.Paused, was.Ended, was.MadeDay, was.Since
	if r.Rule != was.Rule || r.ID == 0 {
		r.Since = now.Date(b.Zones[r.DeskID])
	}
	return nil
}

// alone refuses a second regular of a name that runs: a form that was sent twice begins one.
func alone(a *newsroom.Command, r *store.Regular) error {
	all, err := store.Regulars(a, a.Tx, r.DeskID)
	for _, x := range all {
		if x.ID != r.ID && !x.Ended && strings.EqualFold(x.Name, r.Name) {
			return newsroom.Invalid("name", "There is a regular “%s” already. Give this one another name, or change that one.", x.Name)
		}
	}
	return err
}

// checkPeople refuses people who cannot run the legs they are named for.
func checkPeople(b *newsroom.Setup, r *store.Regular) error {
	people, err := r.LegPeople()
	if err != nil {
		return err
	}
	way := b.Latest(r.FormatID).Way
	for _, l := range slices.Concat(way.Legs, way.After) {
		if why := b.MayHold(people[l.Key], r.DeskID, l.Role); people[l.Key] != 0 && why != "" {
			return newsroom.Invalid("holder-"+l.Key, "%s: %s", l.Name, english.LowerFirst(why))
		}
	}
	return nil
}

// Kept is what came of keeping a regular.
type Kept struct {
	ID   ref.Regular
	Made []ref.Piece // the pieces that were made at once
	Gone int         // and those that were taken back, since nobody had begun them
}

// Change is how a regular is saved.
type Change struct {
	Anew bool   // what is made and nobody has begun is taken back and made anew
	Seen string // the stamp of the regular that was changed, "" for whatever it is now
}

// Stamp tells one state of a regular from another; that pieces of it are made does not change it.
func Stamp(r store.Regular) string {
	r.MadeDay, r.NextN = 0, 0
	sum := fnv.New64a()
	fmt.Fprintf(sum, "%+v", r)
	return strconv.FormatUint(sum.Sum64(), 36)
}

// Save keeps a regular, a new one where it has no id, and makes the pieces whose weeks have
// begun. Anew, those that were made by the rule before and that nobody has begun are
// taken back and made again as it says now; otherwise they stay as they are.
func (h Room) Save(ctx context.Context, by ref.Person, r store.Regular, c Change) (Kept, error) {
	var out Kept
	err := h.SetUpAct(ctx, by, r.DeskID, func(a *newsroom.Command) error {
		was, known, err := kept(a, a.Tx, r)
		if err != nil {
			return err
		}
		if c.Seen != "" && c.Seen != Stamp(was) {
			return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("Somebody changed “%s” while you were at it. What you did is still here; open the page in another tab to see theirs.", was.Name)}
		}
		if err := errors.Join(check(a.Setup, by, &r, was, a.Now), alone(a, &r)); err != nil {
			return err
		}
		if c.Anew && r.ID != 0 && r.Runs() {
			if out.Gone, err = takeBack(a, &r, was, known); err != nil {
				return err
			}
		}
		if r.ID, err = saved(a, r, was); err != nil {
			return err
		}
		out.ID = r.ID
		if !r.Runs() {
			return nil
		}
		out.Made, err = makeDue(a, r)
		return err
	})
	return out, err
}

// saved stores a regular and says in the logbook what was changed.
func saved(a *newsroom.Command, r, was store.Regular) (ref.Regular, error) {
	id, err := a.Tx.SaveRegular(a, r)
	if err != nil {
		return 0, err
	}
	r.ID = max(r.ID, id)
	before, after := newsroom.Differ(was, r)
	return r.ID, a.Log(store.Entry{DeskID: r.DeskID, Act: "set up", What: "changed the regular " + r.Name, Before: before, After: after})
}

// takeBack takes the coming pieces of a regular back that nobody has begun, so that they are made
// anew. Their numbers are given again, unless one behind them stays, or somebody chose the next.
func takeBack(a *newsroom.Command, r *store.Regular, was store.Regular, known map[day.Date]store.RegularDate) (gone int, err error) {
	stays, free := 0, []int{}
	for _, key := range slices.Sorted(maps.Keys(known)) {
		d := known[key]
		if d.State != store.RegularMade {
			continue
		}
		row, err := a.Load(newsroom.Order{Act: relay.ActSee, Piece: d.PieceID})
		if err != nil {
			return gone, err
		}
		fresh, err := notBegun(a, a.Tx, &row.Piece)
		if err != nil {
			return gone, err
		}
		if !fresh || row.GoesOut <= a.Now {
			if row.GoesOut > a.Now {
				stays = max(stays, d.N)
			}
			continue
		}
		if err := errors.Join(planning.DropPiece(a, row), a.Tx.DropRegularDate(a, r.ID, key)); err != nil {
			return gone, err
		}
		free = append(free, d.N)
		gone++
	}
	for _, n := range free {
		if n > stays && r.NextN == was.NextN {
			r.NextN = n
			break
		}
	}
	return gone, nil
}

// notBegun reports whether a piece is under way and nobody has done anything with it since it
// was made.
func notBegun(ctx context.Context, r store.Reader, p *relay.Piece) (bool, error) {
	if p.Stage != relay.UnderWay || p.CopyVersion > 1 {
		return false, nil
	}
	for l := range p.Every() {
		if l.State == relay.Passed {
			return false, nil
		}
	}
	touched, err := store.Touched(ctx, r, p.ID)
	return !touched, err
}

// Set pauses a regular, lets it go on, or ends it. What it made stays; the days that passed
// while it was paused are not made up for.
func (h Room) Set(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Regular, paused, ended bool) ([]ref.Piece, error) {
	var made []ref.Piece
	err := h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		was, _, err := kept(a, a.Tx, store.Regular{ID: id, DeskID: desk})
		if err != nil {
			return err
		}
		r := was
		r.Paused, r.Ended = paused, ended
		goesOn := r.Runs() && !was.Runs()
		if goesOn {
			r.Since = max(r.Since, a.Now.Date(a.Setup.Zones[desk]))
		}
		if _, err := saved(a, r, was); err != nil || !goesOn {
			return err
		}
		made, err = makeDue(a, r)
		return err
	})
	return made, err
}

// comesOn reports whether a day follows from the rule of a regular.
func comesOn(r store.Regular, key day.Date) bool {
	rule, err := r.Recurs()
	return err == nil && slices.ContainsFunc(rule.Between(key, key, day.Free{}), func(c regular.Comes) bool { return c.Key == key })
}

// Adopt says that the piece that has the time of a day is that of the regular. It counts on.
func (h Room) Adopt(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Regular, key day.Date, piece ref.Piece) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		r, known, err := kept(a, a.Tx, store.Regular{ID: id, DeskID: desk})
		if err != nil {
			return err
		}
		row, err := store.Piece(a, a.Tx, piece)
		switch {
		case err != nil || row.DeskID != desk:
			return newsroom.ErrNotFound
		case known[key].State == store.RegularMade:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "That day has its piece already."}
		case known[key].State == "" && !comesOn(r, key):
			return newsroom.ErrNotFound
		}
		if other, _, err := store.RegularOf(a, a.Tx, piece); err == nil {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("“%s” is a piece of %s already.", row.Title, other.Name)}
		} else if !errors.Is(err, store.ErrNone) {
			return err
		}
		if err := a.Tx.PutRegularDate(a, store.RegularDate{RegularID: r.ID, Key: key, State: store.RegularMade, PieceID: piece, N: r.NextN}); err != nil {
			return err
		}
		n := r.NextN
		r.NextN++
		if _, err := a.Tx.SaveRegular(a, r); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, PieceID: piece, Act: "set up", What: fmt.Sprintf("said that “%s” is No. %d of %s", row.Title, n, r.Name), Version: row.Version})
	})
}
