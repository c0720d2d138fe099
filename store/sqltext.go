package store

import (
	"reflect"
	"strings"
	"sync"
)

var inserts sync.Map // table and columns → SQL

// insertSQL writes the INSERT of the columns, quoted.
func insertSQL(table string, columns []string) string {
	names := strings.Join(columns, `","`)
	key := table + " " + names
	if s, ok := inserts.Load(key); ok {
		return s.(string)
	}
	s := `INSERT INTO ` + table + ` ("` + names + `") VALUES (?` + strings.Repeat(",?", len(columns)-1) + `)`
	inserts.Store(key, s)
	return s
}

// updateSQL writes the UPDATE of the columns of one row, found by others.
func updateSQL(table string, columns []string, by ...string) string {
	return `UPDATE ` + table + ` SET "` + strings.Join(columns, `" = ?, "`) + `" = ? WHERE "` + strings.Join(by, `" = ? AND "`) + `" = ?`
}

func reflectValue(row any) reflect.Value { return reflect.Indirect(reflect.ValueOf(row)) }

// marks writes n placeholders for an IN list.
func marks(n int) string { return "?" + strings.Repeat(",?", n-1) }

// list makes arguments of ids.
func list[T any](ids []T) []any {
	out := make([]any, len(ids))
	for i, id := range ids {
		out[i] = id
	}
	return out
}
