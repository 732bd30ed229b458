package core

import (
	"encoding/json"
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

type pkg struct {
	ImportPath string
	Dir        string
	GoFiles    []string
	Imports    []string
	Deps       []string
}

func packages(t *testing.T, pattern string) (list []pkg) {
	t.Helper()
	out, err := exec.Command("go", "list", "-deps=false", "-json=ImportPath,Dir,GoFiles,Imports,Deps", pattern).Output()
	if err != nil {
		t.Fatal(err)
	}
	decoder := json.NewDecoder(strings.NewReader(string(out)))
	for {
		var p pkg
		if err := decoder.Decode(&p); errors.Is(err, io.EOF) {
			return list
		} else if err != nil {
			t.Fatal(err)
		}
		list = append(list, p)
	}
}

// pure are packages from outside that compute and touch nothing.
var pure = []string{"github.com/bmatcuk/doublestar/v4", "github.com/PuerkitoBio/goquery", "github.com/andybalholm/cascadia"}

// clock is what of package time asks what time it is, or waits; a time that is
// handed in is a value like another.
var clock = []string{"Now", "Since", "Until", "After", "AfterFunc", "Sleep", "Tick", "NewTicker", "NewTimer"}

// TestCoreIsPure reads the import graph: the rules of the job touch no file, no
// network, no database, no clock and no log.
func TestCoreIsPure(t *testing.T) {
	forbidden := []string{"os", "net", "net/http", "log", "log/slog", "database/sql", "os/exec", "io/ioutil", "syscall"}
	found := packages(t, "ambrosa/core/...")
	if len(found) < 5 {
		t.Fatalf("only %d packages below core", len(found))
	}
	for _, p := range found {
		for _, imported := range p.Imports {
			for _, f := range forbidden {
				if imported == f {
					t.Errorf("%s imports %s", p.ImportPath, f)
				}
			}
			if strings.HasPrefix(imported, "ambrosa/") && !strings.HasPrefix(imported, "ambrosa/core/") {
				t.Errorf("%s imports %s", p.ImportPath, imported)
			}
			if strings.Contains(imported, ".") && !strings.HasPrefix(imported, "golang.org/x/") && !slices.Contains(pure, imported) {
				t.Errorf("%s imports the driver or framework %s", p.ImportPath, imported)
			}
		}
		for _, name := range p.GoFiles {
			file, err := parser.ParseFile(token.NewFileSet(), filepath.Join(p.Dir, name), nil, 0)
			if err != nil {
				t.Fatal(err)
			}
			ast.Inspect(file, func(n ast.Node) bool {
				if s, ok := n.(*ast.SelectorExpr); ok && slices.Contains(clock, s.Sel.Name) {
					if of, ok := s.X.(*ast.Ident); ok && of.Name == "time" {
						t.Errorf("%s/%s looks at the clock: time.%s", p.ImportPath, name, s.Sel.Name)
					}
				}
				return true
			})
		}
	}
}

// TestOnlyTheStoreSpeaksSQL keeps the interface free of the database and of
// decoding.
func TestOnlyTheStoreSpeaksSQL(t *testing.T) {
	for _, p := range packages(t, "ambrosa/internal/api") {
		for _, imported := range p.Imports {
			if strings.Contains(imported, "jackc/pgx") || strings.Contains(imported, "govips") || strings.Contains(imported, "riverqueue") {
				t.Errorf("%s imports %s", p.ImportPath, imported)
			}
		}
	}
}
