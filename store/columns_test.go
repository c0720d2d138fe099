package store

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// writes gives, by table, the columns that the code of this package writes: those named in
// put, set and save, in lists of columns, and in statements of its own.
func writes(t *testing.T) map[string]map[string]bool {
	t.Helper()
	out := map[string]map[string]bool{}
	note := func(table string, columns ...string) {
		for _, c := range columns {
			if out[table] == nil {
				out[table] = map[string]bool{}
			}
			out[table][c] = true
		}
	}
	names, err := filepath.Glob("*.go")
	if err != nil {
		t.Fatal(err)
	}
	var files []*ast.File
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, file)
	}
	lists := map[string][]string{}
	each := func(f func(ast.Node) bool) {
		for _, file := range files {
			ast.Inspect(file, f)
		}
	}
	said := func(e ast.Expr) string {
		if l, ok := e.(*ast.BasicLit); ok && l.Kind == token.STRING {
			s, _ := strconv.Unquote(l.Value)
			return s
		}
		return ""
	}
	each(func(n ast.Node) bool {
		if v, ok := n.(*ast.ValueSpec); ok && len(v.Values) == 1 {
			if c, ok := v.Values[0].(*ast.CompositeLit); ok {
				for _, e := range c.Elts {
					lists[v.Names[0].Name] = append(lists[v.Names[0].Name], said(e))
				}
			}
		}
		return true
	})
	insert := regexp.MustCompile(`(?s)INTO (\w+) \(([^)]*)\)`)
	whole := regexp.MustCompile(`INTO (\w+) (?:VALUES|SELECT)`) // refused if one is missing
	update := regexp.MustCompile(`(?s)UPDATE (\w+) SET (.*)`)
	set := regexp.MustCompile(`"?(\w+)"? = `)
	each(func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.CallExpr:
			f := n.Fun
			if x, ok := f.(*ast.IndexExpr); ok { // put[ref.Desk]
				f = x.X
			}
			name, ok := f.(*ast.Ident)
			if !ok || !slices.Contains([]string{"put", "set", "save"}, name.Name) || len(n.Args) < 5 || said(n.Args[2]) == "" {
				return true
			}
			for _, a := range n.Args[4:] {
				if id, ok := a.(*ast.Ident); ok {
					note(said(n.Args[2]), lists[id.Name]...)
				} else if c := said(a); c != "" {
					note(said(n.Args[2]), c)
				}
			}
		case *ast.BasicLit:
			text := said(n)
			for _, m := range insert.FindAllStringSubmatch(text, -1) {
				for _, c := range strings.Split(m[2], ",") {
					note(m[1], strings.Trim(strings.TrimSpace(c), `"`))
				}
			}
			for _, m := range whole.FindAllStringSubmatch(text, -1) {
				note(m[1], "*")
			}
			for _, m := range update.FindAllStringSubmatch(text, -1) {
				for _, c := range set.FindAllStringSubmatch(m[2], -1) {
					note(m[1], c[1])
				}
			}
		}
		return true
	})
	return out
}

// No column of the data file is one that nothing writes: what a migration adds has to be
// stored too.
func TestEveryColumnIsWritten(t *testing.T) {
	db := fresh(t)
	var tables []string
	if err := db.Select(ctx, &tables, "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'goose_%' AND sql NOT LIKE '%VIRTUAL%' AND name NOT LIKE '%_words_%'"); err != nil {
		t.Fatal(err)
	}
	written, columns := writes(t), 0
	for _, table := range tables {
		if table == "session" || table == "aside" { // by the keeper of sessions; by older releases
			continue
		}
		var have []string
		if err := db.Select(ctx, &have, "SELECT name FROM pragma_table_info(?) WHERE NOT (pk = 1 AND name = 'id')", table); err != nil {
			t.Fatal(err)
		}
		for _, c := range have {
			if columns++; !written[table][c] && !written[table]["*"] {
				t.Errorf("nothing writes %s of %s", c, table)
			}
		}
	}
	if columns < 300 {
		t.Errorf("only %d columns were looked at", columns)
	}
}

// What refers to a row is found by an index, whichever table refers to it.
func TestEveryForeignKeyBeginsAnIndex(t *testing.T) {
	db := fresh(t)
	var keys []struct{ Table, Column string }
	if err := db.Select(t.Context(), &keys, `SELECT m.name AS "table", f."from" AS "column" FROM sqlite_master m, pragma_foreign_key_list(m.name) f WHERE m.type = 'table'`); err != nil {
		t.Fatal(err)
	}
	if len(keys) < 50 {
		t.Fatalf("%d foreign keys", len(keys))
	}
	for _, k := range keys {
		var first int
		if err := db.Get(t.Context(), &first, `SELECT COUNT(*) FROM pragma_index_list(?1) i, pragma_index_info(i.name) c WHERE c.seqno = 0 AND c.name = ?2`, k.Table, k.Column); err != nil {
			t.Fatal(err)
		}
		var primary int
		if err := db.Get(t.Context(), &primary, `SELECT COUNT(*) FROM pragma_table_info(?) WHERE name = ? AND pk = 1`, k.Table, k.Column); err != nil {
			t.Fatal(err)
		}
		if first+primary == 0 {
			t.Errorf("%s.%s begins no index", k.Table, k.Column)
		}
	}
}
