package store

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
)

// trip is the way of one kind of row into its table and back: the method of Tx that adds
// it, those that save it when it is there, and the columns that these leave alone, each of
// which is written by a method of its own.
type trip struct {
	table string
	add   any
	saves []any
	later string         // columns that are not stored with a new row
	keeps string         // columns that saving does not change
	says  map[string]any // what stands in columns that hold few values
}

var trips = []trip{
	{table: "visit", add: (*Tx).AddVisit, later: "ended_at"},
	{table: "attachment", add: (*Tx).AddAttachment, saves: []any{(*Tx).SaveAttachment}, later: "dropped version at file_id by", keeps: "piece_id version at file_id by"},
	{table: "attachment_version", add: (*Tx).AddAttachmentVersion},
	{table: "batch", add: (*Tx).AddBatch, saves: []any{(*Tx).SaveBatch}, later: "came done every", keeps: "desk_id kind name sheet by at"},
	{table: "brief", add: (*Tx).PutBrief, saves: []any{(*Tx).PutBrief}, later: "says", keeps: "says"},
	{table: "guide", add: (*Tx).AddGuide},
	{table: "candidate", add: (*Tx).AddCandidate, saves: []any{(*Tx).SaveCandidate}, later: "dropped", keeps: "piece_id kind text file_id by at"},
	{table: "finding", add: (*Tx).AddFinding, later: "dropped"},
	{table: "copy_edit", add: (*Tx).AddEdit},
	{table: "copy_read", add: (*Tx).SaveCopyRead, saves: []any{(*Tx).SaveCopyRead}},
	{table: "copy", add: (*Tx).AddCopy, says: map[string]any{"text": `[{"insert":"a\n"}]`}},
	{table: "file", add: (*Tx).AddFile},
	{table: "file_small", add: (*Tx).AddSmall},
	{table: "field", add: (*Tx).AddField, saves: []any{(*Tx).SaveField}},
	{table: "format", add: (*Tx).AddFormat, saves: []any{(*Tx).SaveFormat, (*Tx).SaveFormatBrief, (*Tx).SaveFormatChecks, (*Tx).SaveFormatUsual}, later: "priority owner answers retired brief_form checks outline titled", keeps: "desk_id"},
	{table: "route", add: (*Tx).AddRoute, later: "legs"},
	{table: "desk", add: (*Tx).AddDesk, saves: []any{(*Tx).SaveDesk, (*Tx).SaveAnnounce}, later: "announce"},
	{table: "holiday", add: (*Tx).AddHoliday},
	{table: "channel", add: (*Tx).AddChannel, saves: []any{(*Tx).SaveChannel, (*Tx).SaveAsks, (*Tx).SaveOutlet}, later: "retired asks outlet", keeps: "desk_id slug"},
	{table: "slot", add: (*Tx).AddSlot, saves: []any{(*Tx).SaveSlot}, later: "retired", keeps: "channel_id"},
	{table: "person", add: (*Tx).AddPerson, saves: []any{(*Tx).SavePerson}, later: "retired digested barred_at digest_at quiet_from quiet_to quiet_off otp otp_used sessions", keeps: "password otp otp_used digested digest_at barred_at quiet_from quiet_to quiet_off sessions"},
	{table: "absence", add: (*Tx).AddAbsence},
	{table: "idea", add: (*Tx).SaveIdea, saves: []any{(*Tx).SaveIdea}},
	{table: "logbook", add: (*Tx).Log, later: "prev seq hash"},
	{table: "person_told", add: (*Tx).SetTold, saves: []any{(*Tx).SetTold}},
	{table: "hook", add: (*Tx).SaveHook},
	{table: "wording", add: (*Tx).SetWording, saves: []any{(*Tx).SetWording}},
	{table: "leg_run", add: (*Tx).AddRun, later: "id"},
	{table: "step", add: (*Tx).AddStep, later: "done_at done_by"},
	{table: "lack", add: (*Tx).AddLack, later: "id"},
	{table: "pitch", add: (*Tx).SavePitch, saves: []any{(*Tx).SavePitch}},
	{table: "inbox", add: (*Tx).AddItem, later: "read_at aside_at"},
	{table: "outbox", add: (*Tx).AddMessage, later: "tries sent_at problem"},
	{table: "room_mail", add: (*Tx).KeepRoomMail, later: "id at"},
	{table: "query", add: (*Tx).AddQuery, saves: []any{(*Tx).SaveQuery}, later: "settled_at settled_by", keeps: "piece_id about quote file_id x y text for_id only note by at"},
	{table: "answer", add: (*Tx).AddAnswer},
	{table: "form", add: (*Tx).SaveForm, saves: []any{(*Tx).SaveForm}, later: "asks"},
	{table: "request", add: (*Tx).SaveRequest, saves: []any{(*Tx).SaveRequest}, later: "answers", keeps: "answers"},
	{table: "word", add: (*Tx).AddWord},
	{table: "reviewer", add: (*Tx).SaveReviewer, saves: []any{(*Tx).SaveReviewer}},
	{table: "verdict", add: (*Tx).AddVerdict},
	{table: "link", add: (*Tx).AddLink, later: "used_at revoked_at"},
	{table: "partner", add: (*Tx).SavePartner, saves: []any{(*Tx).SavePartner}},
	{table: "rule", add: (*Tx).SaveRule, saves: []any{(*Tx).SaveRule}},
	{table: "rule_run", add: (*Tx).AddRuleRun},
	{table: "site_page", add: (*Tx).PutSitePage, saves: []any{(*Tx).PutSitePage}, keeps: "published"},
	{table: "printing", add: (*Tx).AddPrinting},
	{table: "delivery", add: (*Tx).PutDelivery, saves: []any{(*Tx).PutDelivery}},
	{table: "reader", add: (*Tx).AddSubscriber, later: "stopped_at"},
	{table: "letter", add: (*Tx).AddLetter},
	{table: "topic", add: (*Tx).SaveTopic, saves: []any{(*Tx).SaveTopic}},
	{table: "campaign", add: (*Tx).SaveCampaign, saves: []any{(*Tx).SaveCampaign}},
	{table: "measure", add: (*Tx).SaveMeasure, saves: []any{(*Tx).SaveMeasure}},
	{table: "figure", add: putFigure, saves: []any{putFigure}},
	{table: "figure_sum", add: (*Tx).PutFigureSum, saves: []any{(*Tx).PutFigureSum}},
	{table: "figure_month", add: (*Tx).AddFigureMonth},
	{table: "aim", add: (*Tx).SaveAim, saves: []any{(*Tx).SaveAim}},
	{table: "outcome", add: (*Tx).SaveOutcome, saves: []any{(*Tx).SaveOutcome}},
	{table: "goal", add: (*Tx).SaveGoal, saves: []any{(*Tx).SaveGoal}},
	{table: "rate", add: (*Tx).SaveRate, saves: []any{(*Tx).SaveRate}},
	{table: "fee", add: (*Tx).SaveFee, saves: []any{(*Tx).SaveFee}},
	{table: "statement", add: (*Tx).AddStatement, later: "paid_day paid_by"},
	{table: "statement_line", add: (*Tx).AddStatementLine},
	{table: "budget", add: (*Tx).SaveBudget, saves: []any{(*Tx).SaveBudget}},
	{table: "cost", add: (*Tx).SaveCost, saves: []any{(*Tx).SaveCost}},
	{table: "promise", add: (*Tx).PutPromise, saves: []any{(*Tx).PutPromise}},
	{table: "own_step", add: (*Tx).SaveOwnStep, saves: []any{(*Tx).SaveOwnStep}},
	{table: "regular", add: (*Tx).SaveRegular, saves: []any{(*Tx).SaveRegular}},
	{table: "regular_date", add: (*Tx).PutRegularDate, saves: []any{(*Tx).PutRegularDate}},
	{table: "undo", add: (*Tx).AddUndo, later: "undone_at"},
	{table: "view", add: (*Tx).SaveView, saves: []any{(*Tx).SaveView}},
	{table: "short_link", add: (*Tx).AddShortLink, later: "clicks last_at"},
	{table: "release_sheet", add: (*Tx).SaveSheet, saves: []any{(*Tx).SaveSheet}},
	{table: "calendar", add: (*Tx).AddCalendar, later: "used_at ended_at shown"},
	{table: "token", add: (*Tx).AddToken, later: "used_at used_from ended_at"},
	{table: "once", add: (*Tx).AnswerOnce, saves: []any{(*Tx).AnswerOnce}, keeps: "asked at"},
	{table: "receiver", add: (*Tx).SaveReceiver, saves: []any{(*Tx).SaveReceiver}},
	{table: "sketch", add: (*Tx).SaveSketch, saves: []any{(*Tx).SaveSketch}},
}

// Every field of everything that is stored is stored when it is new, and stored again when
// all of it has changed; and every column of a table is a field of its rows.
func TestEveryFieldGoesRound(t *testing.T) {
	db := unguarded(t)
	db.write.MustExec("PRAGMA foreign_keys = OFF")
	for _, tr := range trips {
		t.Run(tr.table, func(t *testing.T) {
			var columns, keys []string
			if err := db.write.Select(&columns, "SELECT name FROM pragma_table_info(?)", tr.table); err != nil || len(columns) == 0 {
				t.Fatal("no table", err)
			}
			if err := db.write.Select(&keys, "SELECT name FROM pragma_table_info(?) WHERE pk > 0", tr.table); err != nil {
				t.Fatal(err)
			}
			first := tr.added(t, db)
			for _, c := range columns {
				if _, ok := first[c]; !ok && !named(tr.later, c) {
					t.Errorf("no field of a row is its column %s", c)
				}
			}
			kept := tr.look(t, db, first, "new", tr.later)
			if tr.saves == nil {
				return
			}
			second := tr.filled(t, db, 60)
			for _, k := range keys {
				second[k].Set(first[k])
			}
			for _, save := range tr.saves {
				tr.call(t, db, save, second)
			}
			is := tr.look(t, db, second, "changed", tr.keeps)
			for _, c := range strings.Fields(tr.keeps) {
				if is[c] != kept[c] {
					t.Errorf("saving changes %s from %v to %v", c, kept[c], is[c])
				}
			}
		})
	}
}

// unguarded is a data file that takes anything: what rows point at is another test's.
func unguarded(t *testing.T) *DB {
	t.Helper()
	db := fresh(t)
	if err := guard(ctx, db.write.DB, nil); err != nil {
		t.Fatal(err)
	}
	return db
}

// Every table has a trip, or holds nothing but what points at something and how it stands.
func TestEveryTableHasATrip(t *testing.T) {
	others := "piece leg" // in a test of their own
	pairs := "aside device field_value follow guess link_tried person_desk person_role picture rule_turn session setting vote"
	has := strings.Fields(others + " " + pairs)
	for _, tr := range trips {
		has = append(has, tr.table)
	}
	var tables []string
	if err := fresh(t).Select(ctx, &tables, "SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'goose_%'"); err != nil {
		t.Fatal(err)
	}
	slices.Sort(tables)
	slices.Sort(has)
	if !slices.Equal(tables, has) {
		t.Errorf("the tables are %v, the trips %v", tables, has)
	}
}

// added stores a new row, and gives its fields as of filled.
func (tr trip) added(t *testing.T, db *DB) map[string]reflect.Value {
	t.Helper()
	row := tr.filled(t, db, 20)
	id, ok := row["id"]
	if ok = ok && id.CanInt(); ok {
		id.SetInt(0) // it is new
	}
	tr.call(t, db, tr.add, row)
	if ok {
		var got int64
		if err := db.write.Get(&got, "SELECT id FROM "+tr.table); err != nil {
			t.Fatal(err)
		}
		id.SetInt(got)
	}
	return row
}

// filled gives the fields of a row, by their columns, none of them empty. The row itself is
// under the empty name.
func (tr trip) filled(t *testing.T, db *DB, from int64) map[string]reflect.Value {
	t.Helper()
	row := reflect.New(reflect.TypeOf(tr.add).In(2)).Elem()
	out := map[string]reflect.Value{"": row}
	for name, info := range db.write.Mapper.TypeMap(row.Type()).Names {
		f := row.FieldByIndex(info.Index)
		if name == "-" || f.Kind() == reflect.Struct || f.Kind() == reflect.Slice && f.Type().Elem().Kind() != reflect.Uint8 {
			continue
		}
		out[name] = f
		switch says, ok := tr.says[name]; {
		case ok:
			f.Set(reflect.ValueOf(says).Convert(f.Type()))
		case f.CanFloat():
			f.SetFloat(float64(from) + .5)
		case f.CanInt():
			f.SetInt(from + int64(info.Index[0]))
		case f.Kind() == reflect.String:
			f.SetString(fmt.Sprint(name, from))
		case f.Kind() == reflect.Bool:
			f.SetBool(true)
		case f.Kind() == reflect.Slice:
			f.SetBytes([]byte(fmt.Sprint(name, from)))
		default:
			t.Fatalf("%s is a %s", name, f.Type())
		}
	}
	return out
}

// call stores a row.
func (tr trip) call(t *testing.T, db *DB, method any, row map[string]reflect.Value) {
	t.Helper()
	err := db.Write(ctx, func(tx *Tx) error {
		got := reflect.ValueOf(method).Call([]reflect.Value{reflect.ValueOf(tx), reflect.ValueOf(ctx), row[""]})
		err, _ := got[len(got)-1].Interface().(error)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// look reports which fields of the last row are not as they were stored, but for some.
func (tr trip) look(t *testing.T, db *DB, row map[string]reflect.Value, what, but string) map[string]any {
	t.Helper()
	is := map[string]any{}
	rows, err := db.write.Queryx("SELECT * FROM " + tr.table)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		if err := rows.MapScan(is); err != nil {
			t.Fatal(err)
		}
	}
	for c, f := range row {
		var want any
		switch {
		case c == "" || named(but, c):
			continue
		case f.CanFloat():
			want = f.Float()
		case f.CanInt():
			want = f.Int()
		case f.Kind() == reflect.Bool:
			want = int64(1)
		default:
			want = string(f.Convert(reflect.TypeFor[[]byte]()).Bytes())
		}
		have := is[c]
		if b, ok := have.([]byte); ok {
			have = string(b)
		}
		if have != want {
			t.Errorf("a %s row has %s %v, stored was %v", what, c, have, want)
		}
	}
	return is
}

func named(list, column string) bool { return slices.Contains(strings.Fields(list), column) }

// putFigure stores one figure.
func putFigure(tx *Tx, ctx context.Context, f Figure) error { return tx.PutFigures(ctx, []Figure{f}) }
