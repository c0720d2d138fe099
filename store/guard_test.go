package store

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/relay"
)

// Each guard refuses what it is there for, a new row and a changed one, and says which
// column it is; what stood there before, and what is no matter of it, it lets be.
func TestGuardsRefuse(t *testing.T) {
	db := unguarded(t)
	db.write.MustExec("PRAGMA foreign_keys = OFF")
	for _, tr := range trips { // rows in which hardly anything is as it should be
		tr.added(t, db)
	}
	piece := filledPiece(t, 7)
	err := db.Write(ctx, func(tx *Tx) (err error) {
		id, err := tx.AddPiece(ctx, piece)
		if err == nil {
			_, err = tx.TakeTurn(ctx, 1, id+1, "x", 1, 1)
		}
		if err == nil {
			err = tx.SetFollow(ctx, 7, id, Follows)
		}
		if err == nil {
			_, err = tx.AddPrinting(ctx, Printing{PieceID: id})
		}
		if err == nil {
			err = tx.PutDelivery(ctx, Delivery{PieceID: id, ChannelID: 1, Part: MainPlace, Kind: "site"})
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	bad := map[string]string{} // by column
	for column := range references {
		bad[column] = "987654"
	}
	for column := range oneOf {
		bad[column] = "'nonsense'"
	}
	for _, column := range flags {
		bad[column] = "2"
	}
	for column := range lists {
		bad[column] = "'a,,b'"
	}
	all := wrongs()
	if len(all) != len(bad) {
		t.Fatalf("%d columns are guarded, %d tried", len(all), len(bad))
	}
	for column, wrong := range bad {
		if err := guard(ctx, db.write.DB, guards(map[string]string{column: all[column]})); err != nil {
			t.Fatal(err)
		}
		table, name, says := tableOf(column), nameOf(column), column+" cannot be that"
		if _, err := db.write.Exec(fmt.Sprintf("UPDATE %s SET %s = %s", table, name, name)); err != nil {
			t.Errorf("%s: what was there before is refused: %v", column, err)
		}
		set := fmt.Sprintf("UPDATE %s SET %s = %s", table, name, wrong)
		if res, err := db.write.Exec(set); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: set to %s: %v, %v", column, wrong, res, err)
		}
		if err := guard(ctx, db.write.DB, nil); err != nil {
			t.Fatal(err)
		}
		db.write.MustExec(set)
		if err := guard(ctx, db.write.DB, guards(map[string]string{column: all[column]})); err != nil {
			t.Fatal(err)
		}
		if _, err := db.write.Exec(fmt.Sprintf("INSERT INTO %s SELECT * FROM %s LIMIT 1", table, table)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: a new row with %s: %v", column, wrong, err)
		}
	}
	if err := guard(ctx, db.write.DB, guards(nil)); err != nil {
		t.Fatal(err)
	}
	db.write.MustExec("UPDATE pitch SET idea_id = (SELECT id FROM idea)")
	if _, err := db.write.Exec("DELETE FROM idea"); err == nil || !strings.Contains(err.Error(), "pitch.idea_id points at it") {
		t.Errorf("an idea that was pitched is dropped: %v", err)
	}
}

// Every column that points at a row or holds one of a few words is guarded, but for those
// that are not, on purpose.
func TestEveryColumnIsGuarded(t *testing.T) {
	free := map[string]string{
		"logbook.desk_id": "what was recorded stays", "logbook.piece_id": "what was recorded stays", "logbook.actor": "what was recorded stays",
		"link.about": "of several tables, by its kind", "outbox.link_about": "of several tables, by its kind",
		"copy_edit.client": "an open page", "aside.by": "nothing is written there any more", "aside.based_on": "a version", "step.before": "a place", "reviewer.instead": "yes or no",
		"inbox.kind": "open ended", "outbox.kind": "mail and chat, and what came before", "outbox.link_kind": "as of a link, or none",
		"view.page": "whatever pages have views", "figure.source": "a list or an hour of a log too", "idea.source": "open ended",
	}
	db := fresh(t)
	var columns []struct{ Table, Column, Type string }
	err := db.Select(ctx, &columns, `SELECT m.name AS "table", c.name AS "column", c.type FROM pragma_table_list m JOIN pragma_table_info(m.name) c
		WHERE m.schema = 'main' AND m.type = 'table' AND m.name NOT LIKE 'sqlite%' AND m.name NOT LIKE 'goose%'
		AND NOT EXISTS (SELECT 1 FROM pragma_foreign_key_list(m.name) f WHERE f."from" = c.name)`)
	if err != nil || len(columns) < 300 {
		t.Fatal(len(columns), err)
	}
	points := []string{"by", "holder", "owner", "partner", "format", "example", "about", "actor", "instead", "client", "based_on", "before"}
	holds := []string{"kind", "state", "stage", "how", "may", "say", "access", "pass_by", "page", "source", "skip"}
	for _, c := range columns {
		name := c.Table + "." + c.Column
		asks := c.Type == "INTEGER" && (slices.Contains(points, c.Column) || strings.HasSuffix(c.Column, "_id") || strings.HasSuffix(c.Column, "_by")) ||
			c.Type == "TEXT" && (slices.Contains(holds, c.Column) || strings.HasSuffix(c.Column, "_kind"))
		_, points := references[name]
		_, holds := oneOf[name]
		if _, free := free[name]; asks && !points && !holds && !free && c.Table != "copy_read" && name != "logbook.state" && name != "undo.state" {
			t.Errorf("%s is not guarded", name)
		}
	}
}

// A data file that is opened has the guards of this program, whatever it had.
func TestGuardsAreBroughtUpToDate(t *testing.T) {
	dir := t.TempDir()
	db, err := Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	old := map[string]string{"guard_of_before": "CREATE TRIGGER guard_of_before BEFORE INSERT ON desk BEGIN SELECT RAISE(ABORT, 'no'); END"}
	if err := guard(ctx, db.write.DB, old); err != nil {
		t.Fatal(err)
	}
	db.Close()
	if db, err = Open(ctx, dir); err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var names []string
	if err := db.Select(ctx, &names, "SELECT name FROM sqlite_master WHERE type = 'trigger' AND name GLOB 'guard_*' ORDER BY name"); err != nil {
		t.Fatal(err)
	}
	if want := slices.Sorted(maps.Keys(guards(wrongs()))); !slices.Equal(names, want) {
		t.Errorf("it has %d guards, want %d", len(names), len(want))
	}
	if _, err := db.write.Exec("UPDATE piece SET stage = ?", string(relay.Out)); err != nil {
		t.Error(err)
	}
}

// A data file of before is brought to what guards hold to; rows that were astray already stay,
// are named, and can be changed elsewhere.
func TestDataOfBeforeGuards(t *testing.T) {
	dir := t.TempDir()
	oldData(t, dir, 19,
		`INSERT INTO desk (id, name, zone, weekdays) VALUES (1, 'D', 'UTC', '0111110')`, `INSERT INTO channel (id, desk_id, name, slug) VALUES (1, 1, 'W', 'w')`,
		`INSERT INTO person (id, name, initials, mail, access, hours) VALUES (1, 'A', 'A', 'a@b', 'lead', ''), (2, 'B', 'B', 'b@b', 'lead', '')`,
		`INSERT INTO format (id, desk_id, channel_id, name) VALUES (1, 1, 1, 'F')`, `INSERT INTO route (id, format_id, version, legs) VALUES (1, 1, 1, '{"legs":[]}')`,
		`INSERT INTO piece (id, number, desk_id, format_id, route_id, channel_id, title, owner, stage, created_at) VALUES
			(1, 1, 1, 1, 1, 1, 'one', 1, 'under way', 1), (2, 2, 1, 1, 1, 1, 'two', 1, 'out', 1)`,
		`UPDATE piece SET topic_id = 77 WHERE id = 2`,
		`INSERT INTO copy (piece_id, version, text, words, by, at, people) VALUES (1, 1, '[{"insert":"\n"}]', 0, 1, 1, '1 2'), (1, 2, '[{"insert":"\n"}]', 0, 1, 1, '2')`,
		`INSERT INTO undo (at, actor, what, state) VALUES (1, 1, 'x', '{"Pieces":[{"ID":1,"Stage":"under way"},{"ID":2,"Stage":"out"}]}')`)
	db, err := Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for query, want := range map[string]string{
		"SELECT group_concat(stage) FROM (SELECT stage FROM piece ORDER BY id)":            "running,out",
		"SELECT group_concat(people, '|') FROM (SELECT people FROM copy ORDER BY version)": "1,2|2",
		"SELECT state FROM undo": `{"Pieces":[{"ID":1,"Stage":"running"},{"ID":2,"Stage":"out"}]}`,
	} {
		var got string
		if err := db.Get(ctx, &got, query); err != nil || got != want {
			t.Errorf("%s gives %s, want %s: %v", query, got, want, err)
		}
	}
	if astray, err := Astray(ctx, db); err != nil || !slices.Equal(astray, []string{"piece.topic_id is wrong in 1 of its rows"}) {
		t.Errorf("astray is %q: %v", astray, err)
	}
	if _, err := db.write.Exec("UPDATE piece SET title = 'two!', topic_id = 77 WHERE id = 2"); err != nil {
		t.Error(err)
	}
}
