package demo

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/rooms"
	"greenbaton/newsroom/rules"
	"greenbaton/post"
	"greenbaton/store"
)

var ctx = context.Background()

// played is a data file with the history, played once for all tests.
var played = sync.OnceValues(func() ([]byte, error) {
	dir, err := os.MkdirTemp("", "greenbaton")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	s, err := openIn(dir)
	if err != nil {
		return nil, err
	}
	b, err := os.ReadFile(s.startFile())
	return b, errors.Join(err, s.Newsroom.DB.Close())
})

func openIn(dir string) (*Stage, error) {
	db, err := store.Open(ctx, dir)
	if err != nil {
		return nil, err
	}
	h := rooms.Open(db, slog.New(slog.NewTextHandler(io.Discard, nil)))
	h.Mail, h.Carriers, h.Briefs = post.Room{DB: db}, post.Carriers(db, "", false), post.Briefs{}
	return Open(ctx, h, dir)
}

// stage opens a demo in a folder of its own.
func stage(t testing.TB) *Stage {
	t.Helper()
	b, err := played()
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	for _, f := range []string{store.FileName, "start.db"} {
		if err := os.WriteFile(filepath.Join(dir, f), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	s, err := openIn(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Newsroom.DB.Close() })
	return s
}

func (s *Stage) count(t testing.TB, query string) int {
	t.Helper()
	var n int
	if err := s.Newsroom.DB.Get(ctx, &n, query); err != nil {
		t.Fatal(err)
	}
	return n
}

func TestTheDemoHasEveryStateAPieceCanBeIn(t *testing.T) {
	s := stage(t)
	for what, query := range map[string]string{
		"in hand":            "SELECT COUNT(*) FROM piece WHERE pace = 'in hand'",
		"no room":            "SELECT COUNT(*) FROM piece WHERE pace = 'no room'",
		"short":              "SELECT COUNT(*) FROM piece WHERE pace = 'short'",
		"ready":              "SELECT COUNT(*) FROM piece WHERE pace = 'ready'",
		"without a day":      "SELECT COUNT(*) FROM piece WHERE pace = 'no day' AND could_go_out > 0",
		"quiet":              "SELECT COUNT(*) FROM piece WHERE is_quiet = 1",
		"open":               "SELECT COUNT(*) FROM piece WHERE open_leg = 1",
		"missed its time":    "SELECT COUNT(*) FROM piece WHERE stage = 'running' AND missed_at = goes_out AND missed_at > 0",
		"sent back twice":    "SELECT COUNT(*) FROM leg WHERE state = 'running' AND run = 3 AND rework > 0",
		"waits for partner":  "SELECT COUNT(*) FROM leg WHERE state = 'running' AND role = 'partner'",
		"two legs at once":   "SELECT COUNT(*) FROM (SELECT 1 FROM leg WHERE state IN ('running', 'passed') AND key IN ('pictures', 'copyedit') GROUP BY piece_id HAVING COUNT(*) = 2)",
		"needed the Welsh":   "SELECT COUNT(*) FROM leg WHERE key = 'welsh' AND state <> 'skipped'",
		"skipped the Welsh":  "SELECT COUNT(*) FROM leg WHERE key = 'welsh' AND state = 'skipped'",
		"unread in an inbox": "SELECT COUNT(*) FROM inbox WHERE read_at = 0",
	} {
		if s.count(t, query) == 0 {
			t.Errorf("no piece is %s", what)
		}
	}
	if n := s.count(t, "SELECT COUNT(*) FROM piece WHERE stage = 'running'"); n < 34 || n > 46 {
		t.Errorf("%d pieces are under way, about 40 are wanted", n)
	}
	if n := s.count(t, "SELECT COUNT(*) FROM piece WHERE stage = 'out'"); n < 360 || n > 440 {
		t.Errorf("%d pieces are out, about 400 are wanted", n)
	}
	if n := s.count(t, "SELECT COUNT(*) FROM outbox WHERE sent_at = 0 AND next_at <= (SELECT MAX(at) FROM logbook)"); n != 0 {
		t.Errorf("%d messages wait", n)
	}
	if n, err := store.Verify(ctx, s.Newsroom.DB); err != nil || n < 4000 {
		t.Errorf("the logbook has %d entries: %v", n, err)
	}
}

// Logbook, runs and pieces agree: a leg that was passed has as many runs on
// record as it was begun, and every piece that is out has a page.
func TestTheHistoryAgreesWithItself(t *testing.T) {
	s := stage(t)
	for what, query := range map[string]string{
		"legs passed without a run on record":   "SELECT COUNT(*) FROM leg WHERE state = 'passed' AND run <> (SELECT COUNT(*) FROM leg_run WHERE leg_run.piece_id = leg.piece_id AND leg_run.key = leg.key)",
		"pieces out without a page":             "SELECT COUNT(*) - 1 FROM piece WHERE stage = 'out' AND NOT EXISTS (SELECT 1 FROM site_page WHERE site_page.piece_id = piece.id AND gone = 0)", // one failed
		"pieces out without a sheet":            "SELECT COUNT(*) FROM piece WHERE stage = 'out' AND (summary = '' OR NOT EXISTS (SELECT 1 FROM release_sheet WHERE release_sheet.piece_id = piece.id AND fields LIKE '%say-short%'))",
		"deliveries failed, but one":            "SELECT COUNT(*) - 1 FROM delivery WHERE wants <> has AND tries > 0",
		"pieces out with a leg not over":        "SELECT COUNT(*) FROM piece JOIN leg ON piece_id = piece.id WHERE stage = 'out' AND later = 0 AND state NOT IN ('passed', 'skipped')",
		"pieces out earlier than planned":       "SELECT COUNT(*) FROM piece WHERE stage = 'out' AND out_at < goes_out",
		"passes in the logbook without a run":   "SELECT (SELECT COUNT(*) FROM logbook WHERE act = 'passed') - (SELECT COUNT(*) FROM leg_run WHERE outcome = 'passed')",
		"entries of the logbook out of order":   "SELECT COUNT(*) FROM logbook AS a JOIN logbook AS b ON b.seq = a.seq + 1 WHERE b.at < a.at",
		"standings that are not of the day":     "SELECT COUNT(*) FROM piece WHERE stage = 'running' AND worked_out <> (SELECT MAX(worked_out) FROM piece)",
		"pieces that need words and have fewer": "SELECT COUNT(*) FROM piece JOIN copy ON copy.piece_id = piece.id AND copy.version = copy_version WHERE stage = 'out' AND words < words_from",
	} {
		if n := s.count(t, query); n != 0 {
			t.Errorf("%d %s", n, what)
		}
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := store.Pieces(ctx, s.Newsroom.DB, "SELECT * FROM piece WHERE stage = 'running'")
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range rows {
		h := b.Planned[r.DeskID]
		pr := h.Forward(&r.Piece, s.Newsroom.Now().Date(h.Zone))
		if pr.Pace != r.Pace || pr.Pace != plan.Unplaced && pr.InHand != r.InHand {
			t.Errorf("%s is stored as %s %d and is %s %d", r.Title, r.Pace, r.InHand, pr.Pace, pr.InHand)
		}
	}
}

func TestMovingTheClockMakesThingsHappenAtTheirTimeAndBack(t *testing.T) {
	s := stage(t)
	everything := func() string {
		out := ""
		for _, table := range []string{"piece", "leg", "logbook", "inbox", "outbox", "site_page", "setting"} {
			x, err := store.Dump(ctx, s.Newsroom.DB, "SELECT * FROM "+table)
			if err != nil {
				t.Fatal(err)
			}
			out += x
		}
		return out
	}
	before := everything()
	if err := s.NextDay(ctx); err != nil {
		t.Fatal(err)
	}
	if got := s.Newsroom.Clock().Format("Mon 15:04"); got != "Wed 09:00" {
		t.Errorf("the next working day begins %s", got)
	}
	if n := s.count(t, "SELECT COUNT(*) FROM piece WHERE title = 'Six ovens, one village' AND stage = 'out' AND out_at = goes_out"); n != 1 {
		t.Error("what was ready did not go out at its time")
	}
	if err := s.NextWeek(ctx); err != nil {
		t.Fatal(err)
	}
	if got := s.Newsroom.Clock().Format("Mon 2 Jan 15:04"); got != "Mon 30 Nov 09:00" {
		t.Errorf("next week begins %s", got)
	}
	if n := s.count(t, "SELECT COUNT(*) FROM inbox WHERE kind = 'missed' AND person_id = 1 AND read_at = 0"); n == 0 {
		t.Error("nobody was told of what was not ready")
	}
	if err := s.Newsroom.DB.Write(ctx, func(tx *store.Tx) error {
		return tx.KeepSessions(ctx, []store.Session{{Token: "t", Data: []byte("x"), Ends: 9e12}})
	}); err != nil {
		t.Fatal(err)
	}
	if err := s.BackToStart(ctx); err != nil {
		t.Fatal(err)
	}
	if d := s.Newsroom.Clock().Sub(Start); d < 0 || d > time.Minute {
		t.Errorf("the clock is %v off", d)
	}
	if everything() != before {
		t.Error("something is not as it was")
	}
	if s.count(t, "SELECT COUNT(*) FROM session") != 1 {
		t.Error("somebody was signed out")
	}
	if r, err := s.Newsroom.Planning.List(ctx, 1, planning.Filter{Look: planning.Look{Desks: []ref.Desk{1}}}); err != nil || len(r.Rows) == 0 {
		t.Error("the house does not go on", err)
	}
}

// Each rule in use, tried on the last thirty days of the history, would have done what it
// is on record to have done in them.
func TestTrialsSayWhatTheRulesInUseDid(t *testing.T) {
	s := stage(t)
	maren := byInitials("MH")
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		t.Fatal(err)
	}
	of := b.Desks[0].ID
	sheet, err := s.Newsroom.Rules.Rules(ctx, maren, of)
	if err != nil || len(sheet.Rules) != 8 {
		t.Fatalf("%d rules, %v", len(sheet.Rules), err)
	}
	for _, r := range sheet.Rules {
		trial, err := s.Newsroom.Rules.TryRule(ctx, maren, r.Rule, 30, nil)
		if err != nil {
			t.Fatal(err)
		}
		_, runs, err := s.Newsroom.Rules.RuleHistory(ctx, maren, of, r.ID, 0, 1_000)
		if err != nil {
			t.Fatal(err)
		}
		var would, did []string
		for _, w := range trial.Would {
			would = append(would, fmt.Sprintf("%s: %s", w.Title, w.Event.Line()))
		}
		for _, x := range runs {
			if x.At > trial.From {
				did = append(did, fmt.Sprintf("%s: %s", x.About, x.Event))
			}
		}
		slices.Sort(would)
		slices.Sort(did)
		if len(did) == 0 || !slices.Equal(would, did) {
			t.Errorf("%s\nwould have done\n  %s\nand did\n  %s", r.Say(rules.Known(b, of)), strings.Join(would, "\n  "), strings.Join(did, "\n  "))
		}
	}
}
