package regular

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
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

// check refuses what a regular cannot be, and sets from when its dates count: from today, or
// from before where its rule is the same as it was.
func check(b *newsroom.Setup, r *store.Regular, was store.Regular, now day.Moment) error {
	f := b.Format(r.FormatID)
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
	case f.ID == 0 || f.DeskID != r.DeskID || f.Retired:
		return bad("format", "Choose a format; it brings the route with it.")
	case r.Title == "":
		return bad("title", "Give its pieces a title, with {n} where their number stands, or {date} for their day.")
	case len([]rune(r.Title)) > 160:
		return bad("title", "Keep the title under 160 characters.")
	case r.Name == "" || len([]rune(r.Name)) > 60:
		return bad("name", "Give the regular a name of up to 60 characters.")
	case r.ChannelID != 0 && (b.Channel(r.ChannelID).DeskID != r.DeskID || b.Channel(r.ChannelID).Retired):
		return bad("channel", "Choose one of the desk's channels.")
	case r.ChannelID != 0 && !f.GoesOn(r.ChannelID):
		return bad("channel", "%s does not go out on %s. Choose another channel, or another format.", english.UpperFirst(english.A(strings.ToLower(f.Name))), b.Channel(r.ChannelID).Name)
	case r.At < -1 || r.At >= 24*60:
		return bad("at", "The time lies between 00:00 and 23:59.")
	case r.Ahead < 1 || r.Ahead > MostAhead:
		return bad("ahead", "Pieces are made 1 to %d weeks ahead.", MostAhead)
	case r.NextN < 0 || r.NextN > 100_000:
		return bad("n", "The number of the next piece lies between 0 and 100,000.")
	case r.Owner != 0 && !slices.ContainsFunc(b.Owners(r.DeskID), func(p store.Person) bool { return p.ID == r.Owner }):
		return bad("owner", "The owner is one of the desk's leads or staff. Choose one.")
	case r.TopicID != 0 && b.Topic(r.TopicID).DeskID != r.DeskID:
		return bad("topic", "Choose one of the desk's topics.")
	case r.CampaignID != 0 && b.Campaign(r.CampaignID).DeskID != r.DeskID:
		return bad("campaign", "Choose one of the desk's campaigns.")
	case len(r.Brief) > 20_000:
		return bad("brief", "Keep the brief under 20,000 characters.")
	case r.WordsFrom < 0 || r.WordsTo < 0 || r.WordsFrom > 100_000 || r.WordsTo > 100_000:
		return bad("words", "The words asked for lie between 0 and 100,000.")
	case r.WordsTo != 0 && r.WordsTo < r.WordsFrom:
		return bad("words", "The most words asked for are fewer than the least. Turn them round.")
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
	today := now.Date(b.Zones[r.DeskID])
	r.Paused, r.Ended, r.MadeDay, r.Since = was.Paused, was.Ended, was.MadeDay, was.Since
	if r.Rule != was.Rule || r.ID == 0 {
		r.Since = today
	}
	return nil
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

// Save keeps a regular, a new one where it has no id, and makes the pieces whose weeks have
// begun. With anew, those that were made by the rule before and that nobody has begun are
// taken back and made again as it says now; otherwise they stay as they are.
func (h Room) Save(ctx context.Context, by ref.Person, r store.Regular, anew bool) (Kept, error) {
	var out Kept
	err := h.SetUpAct(ctx, by, r.DeskID, func(a *newsroom.Command) error {
		was, known, err := kept(a, a.Tx, r)
		if err != nil {
			return err
		}
		if err := check(a.Setup, &r, was, a.Now); err != nil {
			return err
		}
		if anew && r.ID != 0 {
			if out.Gone, err = takeBack(a, &r, known); err != nil {
				return err
			}
		}
		if r.ID, err = saved(a, r, was); err != nil {
			return err
		}
		out.ID = r.ID
		if r.Paused || r.Ended {
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

// takeBack takes the coming pieces of a regular back that nobody has begun, so that they are
// made anew, with the numbers they had.
func takeBack(a *newsroom.Command, r *store.Regular, known map[day.Date]store.RegularDate) (gone int, err error) {
	for _, key := range slices.SortedFunc(maps.Keys(known), func(x, y day.Date) int { return int(x - y) }) {
		d := known[key]
		if d.State != store.RegularMade || d.PieceID == 0 {
			continue
		}
		row, err := store.Piece(a, a.Tx, d.PieceID)
		if err != nil {
			return gone, err
		}
		fresh, err := notBegun(a, a.Tx, &row.Piece)
		if err != nil || !fresh || row.GoesOut <= a.Now {
			if err != nil {
				return gone, err
			}
			continue
		}
		if err := planning.DropPiece(a, row); err != nil {
			return gone, err
		}
		if err := a.Tx.DropRegularDate(a, r.ID, key); err != nil {
			return gone, err
		}
		if r.NextN > d.N {
			r.NextN = d.N
		}
		gone++
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
		goesOn := !paused && !ended && (was.Paused || was.Ended)
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
