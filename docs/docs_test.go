// Package docs holds what is written about the program, and looks that it is so.
package docs

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// names are what the Go files of the program declare: by itself, and below its package and
// its type.
func names(t *testing.T) map[string]bool {
	t.Helper()
	out := map[string]bool{}
	add := func(pkg, of, name string) {
		for _, n := range []string{name, pkg + "." + name, of + "." + name, pkg + "." + of + "." + name} {
			out[n] = true
		}
	}
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git") {
			return errOr(err, filepath.SkipDir)
		}
		if filepath.Ext(path) != ".go" {
			return nil
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.SkipObjectResolution)
		if err != nil {
			return err
		}
		pkg := f.Name.Name
		for _, d := range f.Decls {
			switch d := d.(type) {
			case *ast.FuncDecl:
				of := ""
				if d.Recv != nil {
					x := d.Recv.List[0].Type
					if star, ok := x.(*ast.StarExpr); ok {
						x = star.X
					}
					if id, ok := x.(*ast.Ident); ok {
						of = id.Name
					}
				}
				add(pkg, of, d.Name.Name)
			case *ast.GenDecl:
				for _, s := range d.Specs {
					switch s := s.(type) {
					case *ast.ValueSpec:
						for _, n := range s.Names {
							add(pkg, "", n.Name)
						}
					case *ast.TypeSpec:
						add(pkg, "", s.Name.Name)
						if x, ok := s.Type.(*ast.StructType); ok {
							for _, field := range x.Fields.List {
								for _, n := range field.Names {
									add(pkg, s.Name.Name, n.Name)
								}
							}
						}
					}
				}
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func errOr(err, otherwise error) error {
	if err != nil {
		return err
	}
	return otherwise
}

// Every path and every name in the picture of the program is there.
func TestWhatIsWrittenAboutTheProgramIsThere(t *testing.T) {
	known := names(t)
	code := regexp.MustCompile("`[^`\n]+`")
	name := regexp.MustCompile(`^[A-Za-z_]\w*(\.[A-Za-z_]\w*)+$|^[A-Z]\w+$`)
	checked := 0
	for _, file := range []string{"ARCHITECTURE.md", "glossary.md"} {
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for _, word := range code.FindAllString(string(b), -1) {
			word = strings.Trim(word, "`")
			ext := filepath.Ext(word)
			switch {
			case strings.ContainsAny(word, " :…*<") || strings.HasPrefix(word, "/") || strings.HasPrefix(word, "--"):
				continue // an address, a flag, a sentence
			case ext == ".go" || ext == ".js" || ext == ".css" || ext == ".md" || ext == ".txt" || strings.Contains(word, "/"):
				found := false
				for _, below := range []string{"..", "../web/assets/src", "../web/assets/src/copy", "../core/copy", "../core/rule", "../newsroom", "."} {
					_, err := os.Stat(filepath.Join(below, word))
					found = found || err == nil
				}
				if checked++; !found {
					t.Errorf("%s: there is no %s", file, word)
				}
			case name.MatchString(word):
				if checked++; !known[word] {
					t.Errorf("%s: nothing is called %s", file, word)
				}
			}
		}
	}
	if checked < 80 {
		t.Errorf("only %d paths and names were looked at", checked)
	}
}
