package rooms_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/rooms"
	"greenbaton/post"
	"greenbaton/store"
)

// The people of the test house, by id.
const (
	lead ref.Person = iota + 1
	editor
	writer
	freelance
	pictures
	outside
	stranger // leads another desk
)

type testHouse struct {
	*rooms.Newsroom
	t   testing.TB
	now time.Time
}

var ctx = context.Background()

// newHouse makes a small house: brief and draft, then pictures and copy side by
// side, a Welsh leg if needed, and the release. It is Tuesday 24 November 2026.
func newHouse(t testing.TB) *testHouse {
	t.Helper()
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, store.FileName), smallHouse(t), 0o600); err != nil {
		t.Fatal(err)
	}
	db, err := store.Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return houseOn(t, db)
}

// small is the data file of the small house, made once.
var small struct {
	sync.Once
	data []byte
}

func smallHouse(t testing.TB) []byte {
	small.Do(func() {
		dir, err := os.MkdirTemp("", "house")
		if err != nil {
			t.Fatal(err)
		}
		defer os.RemoveAll(dir)
		db, err := store.Open(ctx, dir)
		if err != nil {
			t.Fatal(err)
		}
		x := houseOn(t, db)
		x.furnish()
		file := filepath.Join(dir, "small.db")
		if err := errors.Join(store.Backup(ctx, db.Path(), file), db.Close()); err != nil {
			t.Fatal(err)
		}
		if small.data, err = os.ReadFile(file); err != nil {
			t.Fatal(err)
		}
	})
	return small.data
}

func houseOn(t testing.TB, db *store.DB) *testHouse {
	x := &testHouse{Newsroom: rooms.Open(db, slog.New(slog.NewTextHandler(io.Discard, nil))), t: t, now: time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)}
	x.Clock = func() time.Time { return x.now }
	x.Mail, x.Carriers, x.Briefs, x.Base = post.Room{}, post.Carriers(db, t.TempDir(), false), post.Briefs{}, "http://house.example"
	return x
}

// furnish fills an empty house.
func (x *testHouse) furnish() {
	x.must(x.DB.Write(ctx, func(tx *store.Tx) error {
		for _, n := range []string{"Desk", "Other desk"} {
			if _, err := tx.AddDesk(ctx, store.Desk{Name: n, Zone: "Europe/London", Weekdays: "0111110", QuietAfter: 3, PassBy: relay.ByHolder}); err != nil {
				return err
			}
		}
		for i, p := range []store.Person{
			{Name: "Lea Lead", Access: relay.Lead, Roles: []string{"lead"}}, {Name: "Edi Editor", Access: relay.Staff, Roles: []string{"edit", "lead"}},
			{Name: "Wim Writer", Access: relay.Staff, Roles: []string{"write"}}, {Name: "Fred Lance", Access: relay.Freelance, Roles: []string{"write", "pictures"}},
			{Name: "Pia Pictures", Access: relay.Staff, Roles: []string{"pictures"}}, {Name: "Ola Outside", Access: relay.Outside, Roles: []string{"partner"}},
			{Name: "Sam Stranger", Access: relay.Lead, Roles: []string{"lead"}},
		} {
			p.Mail, p.Hours, p.Desks, p.Initials = fmt.Sprintf("p%d@house.example", i+1), "0,420,420,420,420,420,0", []ref.Desk{1}, newsroom.Initials(p.Name)
			if p.Name == "Sam Stranger" {
				p.Desks = []ref.Desk{2}
			}
			if _, err := tx.AddPerson(ctx, p); err != nil {
				return err
			}
		}
		if _, err := tx.AddChannel(ctx, store.Channel{DeskID: 1, Name: "Web", Slug: "web"}); err != nil {
			return err
		}
		if err := tx.AddSlot(ctx, store.Slot{ChannelID: 1, Rule: "FREQ=WEEKLY;BYDAY=MO,WE,FR", Start: 20000, At: 480}); err != nil {
			return err
		}
		if _, err := tx.AddFormat(ctx, store.Format{DeskID: 1, ChannelID: 1, Name: "Feature", WordsFrom: 3, WordsTo: 9}); err != nil {
			return err
		}
		way, err := route.Route{Legs: []route.Leg{
			{Key: "brief", Name: "Brief", Role: "lead", Usual: editor, Allowance: 1, Effort: 60},
			{Key: "draft", Name: "Draft", Role: "write", Usual: writer, Allowance: 3, Least: 1, Effort: 300, After: []string{"brief"}, Words: true, Steps: []route.Step{{Text: "Names checked", Must: true}}},
			{Key: "pics", Name: "Pictures", Role: "pictures", Usual: pictures, Allowance: 2, Effort: 60, After: []string{"draft"}, Skip: route.SkipMay},
			{Key: "copy", Name: "Copy edit", Role: "edit", Usual: editor, Allowance: 1, Effort: 60, After: []string{"draft"}},
			{Key: "welsh", Name: "Welsh", Role: "welsh", Allowance: 2, After: []string{"pics", "copy"}, Skip: route.SkipUnless},
			{Key: "yes", Name: "Their yes", Role: "partner", Usual: outside, Allowance: 1, After: []string{"welsh"}},
		}}.Check()
		if err != nil {
			return err
		}
		_, err = tx.AddRoute(ctx, store.Route{FormatID: 1, Version: 1, Way: way})
		return err
	}))
}

func (x *testHouse) must(err error) {
	x.t.Helper()
	if err != nil {
		x.t.Fatal(err)
	}
}

// make makes a piece that goes out on a date of 2026 at eight ("" is no day), owned by the lead.
func (x *testHouse) make(date string) ref.Piece {
	x.t.Helper()
	d := planning.Draft{Title: "The tide mill", Format: 1, Owner: lead, WordsFrom: 3, WordsTo: 9}
	if date != "" {
		on, err := day.ParseDate("2026-" + date)
		x.must(err)
		london, err := time.LoadLocation("Europe/London")
		x.must(err)
		d.GoesOut = day.Wall(on, 480, london)
	}
	id, err := x.Intake.Create(ctx, lead, d)
	x.must(err)
	return id
}

// Place moves a piece to another time.
func (x *testHouse) Place(ctx context.Context, by ref.Person, piece ref.Piece, at day.Moment, version int) error {
	_, err := x.Planning.ChangePlan(ctx, by, planning.Change{Changes: []plan.Change{{Do: plan.DoMove, Piece: piece, At: at}}, Version: version})
	return err
}

// SetPassBy says whether holders may pass their legs on, or only owners and leads.
func (x *testHouse) SetPassBy(ctx context.Context, by ref.Person, id ref.Desk, rule relay.PassBy) error {
	d := x.books().Desk(id)
	d.PassBy = rule
	_, err := x.Settings.SaveDesk(ctx, by, d)
	return err
}

func (x *testHouse) piece(id ref.Piece) store.Row {
	x.t.Helper()
	r, err := store.Piece(ctx, x.DB, id)
	x.must(err)
	return r
}

func (x *testHouse) pass(by ref.Person, id ref.Piece, leg string) {
	x.t.Helper()
	x.must(x.Planning.PassLeg(ctx, by, planning.Pass{Piece: id, Leg: leg}))
}

// write saves a copy on the newest version and ticks what must be ticked.
func (x *testHouse) write(by ref.Person, id ref.Piece, text string) {
	x.t.Helper()
	_, err := x.Copyroom.SaveCopy(ctx, by, id, copyroom.OnNewest, copy.FromPlain(text).JSON())
	x.must(err)
	steps, err := store.Steps(ctx, x.DB, id)
	x.must(err)
	p := x.piece(id)
	for _, s := range steps {
		if l := p.Leg(s.Leg); l.State == relay.Running {
			x.must(x.Planning.TickStep(ctx, by, id, s.ID, true))
		}
	}
}

// ready brings a piece to where all legs are passed.
func (x *testHouse) ready(date string) ref.Piece {
	x.t.Helper()
	id := x.make(date)
	x.pass(editor, id, "brief")
	x.write(writer, id, "four words are enough")
	x.pass(writer, id, "draft")
	x.pass(pictures, id, "pics")
	x.pass(editor, id, "copy")
	x.pass(outside, id, "yes")
	return id
}

// count gives a number from the data.
func (x *testHouse) count(query string, args ...any) int {
	x.t.Helper()
	var n int
	x.must(x.DB.Get(ctx, &n, query, args...))
	return n
}

// everything is a fingerprint of all that acts can change.
func (x *testHouse) everything() string {
	x.t.Helper()
	var b strings.Builder
	for _, table := range []string{"piece", "leg", "step", "copy", "aside", "leg_run", "logbook", "inbox", "outbox", "desk", "person", "idea"} {
		rows, err := x.rows("SELECT * FROM " + table)
		x.must(err)
		b.WriteString(table + rows)
	}
	return b.String()
}

func (x *testHouse) rows(query string) (string, error) {
	return store.Dump(ctx, x.DB, query)
}

func refused(err error, kind error) bool {
	var r *relay.Refusal
	return errors.Is(err, kind) && errors.As(err, &r) && r.Text != ""
}
