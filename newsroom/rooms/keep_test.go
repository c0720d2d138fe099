package rooms_test

import (
	"fmt"
	"strings"
	"testing"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// What only grows goes when it is old, and nothing else does: not what is newer, not
// what still waits for somebody, not what is kept for good.
func TestWhatIsOldGoes(t *testing.T) {
	h := newHouse(t)
	id := h.ready("12-02")
	h.must(h.Tick(ctx))
	const day = 86400
	now := int64(h.Now())
	exec := func(query string, args ...any) {
		t.Helper()
		h.must(h.DB.Write(ctx, func(tx *store.Tx) error {
			_, err := tx.Exec(ctx, query, args...)
			return err
		}))
	}
	exec("DELETE FROM inbox")
	exec("DELETE FROM outbox")
	for i, days := range []int64{3000, 1000, 370, 360, 100, 80, 40, 20, 1} {
		at := now - days*day
		exec("INSERT INTO visit (person_id, began_at, agent, host, ended_at, used_at) VALUES (1, 1, '', '', 0, ?)", at)
		exec("INSERT INTO device (hash, person_id, at) VALUES (?, 1, ?)", fmt.Sprint("d", i), at)
		exec(`INSERT INTO outbox (key, kind, piece_id, "to", subject, body, at, next_at, sent_at) VALUES (?, 'mail', 0, 'a@b.example', '', '', 1, 1, ?)`, fmt.Sprint("sent ", i), at)
		exec(`INSERT INTO outbox (key, kind, piece_id, "to", subject, body, at, next_at, tries) VALUES (?, 'mail', 0, 'a@b.example', '', '', ?, ?, 99)`, fmt.Sprint("given up ", i), at, at)
		exec(`INSERT INTO room_mail (key, "to", subject, text, html, at) VALUES (?, 'a@b.example', '', '', '', 0)`, fmt.Sprint("sent ", i))
		for _, x := range [][2]int64{{at, 0}, {at, at}, {0, 0}} {
			exec("INSERT INTO inbox (person_id, piece_id, kind, text, why, at, read_at, aside_at) VALUES (1, 0, 'x', '', '', ?, ?, ?)", at, x[0], x[1])
		}
		exec("INSERT INTO link_tried (address, problem, at) VALUES (?, '', ?)", fmt.Sprint("https://x.example/", i), at)
	}
	logged, versions := h.count("SELECT COUNT(*) FROM logbook"), h.count("SELECT COUNT(*) FROM copy")
	look := func(when string, want map[string]int) {
		t.Helper()
		for _, table := range []string{"visit", "device", "outbox WHERE sent_at > 0", "outbox WHERE sent_at = 0", "room_mail", "inbox WHERE read_at > 0 AND aside_at = 0", "inbox WHERE aside_at > 0", "inbox WHERE read_at = 0", "link_tried"} {
			if got := h.count("SELECT COUNT(*) FROM " + table); got != want[table] {
				t.Errorf("%s: %d of %s, want %d", when, got, table, want[table])
			}
		}
	}
	all := map[string]int{"visit": 9, "device": 9, "outbox WHERE sent_at > 0": 9, "outbox WHERE sent_at = 0": 9, "room_mail": 9, "inbox WHERE read_at > 0 AND aside_at = 0": 9, "inbox WHERE aside_at > 0": 9, "inbox WHERE read_at = 0": 9, "link_tried": 9}
	h.must(h.Tick(ctx))
	look("within the hour", all)
	h.now = h.now.Add(61 * 60e9)
	h.must(h.Tick(ctx))
	left := map[string]int{"visit": 4, "device": 7, "outbox WHERE sent_at > 0": 4, "outbox WHERE sent_at = 0": 9, "room_mail": 4, "inbox WHERE read_at > 0 AND aside_at = 0": 6, "inbox WHERE aside_at > 0": 9, "inbox WHERE read_at = 0": 9, "link_tried": 2}
	look("an hour later", left)

	// Many are dropped a part at a time, in the ticks that follow.
	exec("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ?) INSERT INTO link_tried (address, problem, at) SELECT 'https://y.example/' || i, '', 1 FROM n", 2*store.DropMost+1)
	h.now = h.now.Add(61 * 60e9)
	for i := range 3 {
		h.must(h.Tick(ctx))
		if got, want := h.count("SELECT COUNT(*) FROM link_tried WHERE at = 1"), max(0, (1-i)*store.DropMost+1); got != want && i < 2 || i == 2 && got != 0 {
			t.Errorf("after %d ticks %d are left, want %d", i+1, got, want)
		}
	}

	if err := h.Settings.SaveKeeps(ctx, writer, 1, map[string]int{"visits": 40}); !refused(err, relay.ErrNotYours) {
		t.Errorf("set by who is no lead: %v", err)
	}
	for _, days := range []int{29, 0, -1, 3651} {
		if err := h.Settings.SaveKeeps(ctx, lead, 1, map[string]int{"visits": days}); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "30 to 3650 days") {
			t.Errorf("%d days: %v", days, err)
		}
	}
	h.must(h.Settings.SaveKeeps(ctx, lead, 1, map[string]int{"visits": 30, "inbox": 365, "no such thing": 1}))
	if got := h.count("SELECT COUNT(*) FROM logbook WHERE what = 'keeps visits that ended for 30 days instead of 90'"); got != 1 {
		t.Errorf("it stands %d times in the logbook", got)
	}
	h.now = h.now.Add(61 * 60e9)
	h.must(h.Tick(ctx))
	left["visit"], left["link_tried"] = 2, 2
	look("with less kept", left)
	if got := h.count("SELECT COUNT(*) FROM logbook WHERE what NOT LIKE 'keeps %'"); got != logged {
		t.Errorf("%d entries of the logbook, %d before", got, logged)
	}
	if got := h.count("SELECT COUNT(*) FROM copy"); got != versions || h.piece(id).ID == 0 {
		t.Errorf("%d versions of copies, %d before", got, versions)
	}
}

// Each table says why it does not grow without end.
func TestEveryTableSaysWhatBoundsIt(t *testing.T) {
	bounds := map[string]string{
		"for good, as the history of the desk": "logbook printing copy copy_edit brief guide leg_run verdict aside regular_date figure figure_sum figure_month promise fee statement statement_line cost",
		"what people made":                     "piece leg step own_step aim outcome idea pitch request word answer query candidate vote finding file file_small attachment attachment_version picture batch field_value reviewer copy_read follow lack release_sheet short_link delivery",
		"what is set up":                       "desk holiday channel slot person person_role person_desk absence format route field topic campaign regular measure goal rate budget form view rule partner hook wording setting person_told reader receiver",
		"pages that went out":                  "site_page letter",
		"dropped when old":                     "visit device outbox room_mail inbox rule_run link_tried sketch calendar token once",
		"ended ones go with the next":          "session guess undo",
		"goes with what it leads to":           "link",
		"one line for each piece and rule":     "rule_turn",
		"the index of what is searched":        "copy_words query_words",
		"the migrations that were carried out": "goose_db_version",
	}
	said := map[string]bool{}
	for _, tables := range bounds {
		for _, table := range strings.Fields(tables) {
			said[table] = true
		}
	}
	h := newHouse(t)
	var tables []string
	h.must(h.DB.Select(ctx, &tables, "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'"))
	for _, table := range tables {
		if !said[table] && !strings.HasPrefix(table, "copy_words_") && !strings.HasPrefix(table, "query_words_") {
			t.Errorf("nothing is said of what bounds %s", table)
		}
		delete(said, table)
	}
	for table := range said {
		t.Errorf("there is no table %s", table)
	}
}
