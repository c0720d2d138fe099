package store

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// fill gives every field of a struct another value that is not its zero.
func fill(t *testing.T, into any, from int64) {
	t.Helper()
	v := reflect.ValueOf(into).Elem()
	for i := range v.NumField() {
		f, name := v.Field(i), v.Type().Field(i).Name
		switch f.Kind() {
		case reflect.Int, reflect.Int64, reflect.Int32:
			f.SetInt(from + int64(i))
		case reflect.String:
			f.SetString(strings.ToLower(name) + string(rune('a'+from%20)))
		case reflect.Bool:
			f.SetBool(true)
		case reflect.Slice:
		default:
			t.Fatalf("fill does not know how to fill %s, a %s", name, f.Kind())
		}
	}
}

// room makes what rows of a piece point at.
func room(t *testing.T, db *DB) {
	t.Helper()
	for _, q := range []string{
		`INSERT INTO desk (id, name, zone, weekdays) VALUES (7, 'D', 'UTC', '0111110'), (8, 'E', 'UTC', '0111110')`, `INSERT INTO channel (id, desk_id, name, slug) VALUES (7, 7, 'W', 'w'), (8, 8, 'X', 'x')`,
		`INSERT INTO person (id, name, initials, mail, access, hours) VALUES (7, 'A', 'A', 'a@b', 'lead', ''), (8, 'B', 'B', 'b@b', 'lead', '')`,
		`INSERT INTO format (id, desk_id, channel_id, name) VALUES (7, 7, 7, 'F'), (8, 8, 8, 'G')`, `INSERT INTO route (id, format_id, version, legs) VALUES (7, 7, 1, '{"legs":[]}'), (8, 8, 1, '{"legs":[]}')`,
	} {
		db.write.MustExec(q)
	}
}

// filledPiece is a piece of which no field is empty, with two legs likewise.
func filledPiece(t *testing.T, of int64) relay.Piece {
	var p relay.Piece
	fill(t, &p, 100*of)
	p.DeskID, p.FormatID, p.RouteID, p.ChannelID, p.Owner = ref.Desk(of), ref.Format(of), ref.Route(of), ref.Channel(of), ref.Person(of)
	p.Stage = map[int64]relay.Stage{7: relay.UnderWay, 8: relay.Out}[of]
	p.Legs = make([]relay.Leg, 2)
	for i := range p.Legs {
		fill(t, &p.Legs[i], 100*of+int64(i))
		p.Legs[i].Position, p.Legs[i].Holder, p.Legs[i].State = i, ref.Person(of), map[int64]relay.State{7: relay.Running, 8: relay.Passed}[of]
		p.Legs[i].Key, p.Legs[i].Later = []string{"a", "b"}[i], false
	}
	after := p.Legs[1]
	after.Key, after.Position, after.Later = "z", 2, true
	p.After = []relay.Leg{after}
	return p
}

// Every field of a piece, its legs and its standing is stored when it is new, and stored
// again when all of it has changed.
func TestEveryFieldOfAPieceIsStoredAndChanged(t *testing.T) {
	db := unguarded(t)
	room(t, db)
	first := filledPiece(t, 7)
	same := func(what string, want relay.Piece) {
		t.Helper()
		row, err := Piece(ctx, db, want.ID)
		if err != nil {
			t.Fatal(err)
		}
		if len(row.Legs) != len(want.Legs) || len(row.After) != len(want.After) {
			t.Fatalf("%s has %d legs and %d after release", what, len(row.Legs), len(row.After))
		}
		differ(t, what, row.Piece, want)
		for l := range want.Every() {
			l.PieceID = want.ID
			differ(t, what+", leg "+l.Key, *row.At(l.Position), *l)
		}
	}
	write := func(f func(tx *Tx) error) {
		t.Helper()
		if err := db.Write(ctx, f); err != nil {
			t.Fatal(err)
		}
	}
	write(func(tx *Tx) (err error) { first.ID, err = tx.AddPiece(ctx, first); return err })
	same("a new piece", first)

	second := filledPiece(t, 8)
	second.ID = first.ID
	write(func(tx *Tx) error { return tx.SavePiece(ctx, first, second) })
	same("a changed piece", second)

	third := second // on another route
	third.Legs = []relay.Leg{second.Legs[1]}
	third.Legs[0].Position, third.Legs[0].Key = 0, "c"
	third.After = slices.Clone(second.After)
	third.After[0].Position = 1
	write(func(tx *Tx) error { return tx.SavePiece(ctx, second, third) })
	same("a piece with other legs", third)

	var s Standing
	fill(t, &s, 40)
	s.Pace = plan.Short
	write(func(tx *Tx) error { return tx.SaveStanding(ctx, first.ID, s) })
	row, err := Piece(ctx, db, first.ID)
	if err != nil {
		t.Fatal(err)
	}
	differ(t, "a standing", row.Standing, s)
}

// differ reports the fields in which two values are not the same.
func differ(t *testing.T, what string, got, want any) {
	t.Helper()
	x, y := reflect.ValueOf(got), reflect.ValueOf(want)
	for i := range x.NumField() {
		if x.Field(i).Kind() == reflect.Slice {
			continue
		}
		if !reflect.DeepEqual(x.Field(i).Interface(), y.Field(i).Interface()) {
			t.Errorf("%s: %s is %v, stored was %v", what, x.Type().Field(i).Name, x.Field(i).Interface(), y.Field(i).Interface())
		}
	}
}

// The lists of columns name every column of their tables, and no other.
func TestListsOfColumnsAreWhole(t *testing.T) {
	db := fresh(t)
	var standing []string
	for i := range reflect.TypeFor[Standing]().NumField() {
		standing = append(standing, snake(reflect.TypeFor[Standing]().Field(i).Name))
	}
	for table, columns := range map[string][]string{"piece": append(append([]string{"id"}, pieceColumns...), standing...), "leg": legColumns} {
		var have []string
		if err := db.Select(ctx, &have, "SELECT name FROM pragma_table_info(?)", table); err != nil {
			t.Fatal(err)
		}
		slices.Sort(have)
		want := slices.Clone(columns)
		slices.Sort(want)
		if !slices.Equal(have, want) {
			t.Errorf("%s has the columns %v, the list %v", table, have, want)
		}
	}
}
