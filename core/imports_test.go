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
	"regexp"
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
var pure = []string{"github.com/bmatcuk/doublestar/v4", "github.com/PuerkitoBio/goquery", "github.com/andybalholm/cascadia",
	"github.com/gosimple/slug", "github.com/gosimple/unidecode"}

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

// statement tells that a text is one that a database carries out.
var statement = regexp.MustCompile(`(?i)^\s*(select\s|insert\s+into\s|update\s+\w+\s+(\w+\s+)?set\s|delete\s+from\s|with\s+\w+\s+as\s*\()`)

// speaksSQL are the packages that may: the store, the door with its record, and what makes databases.
var speaksSQL = []string{"ambrosa/internal/store", "ambrosa/internal/door", "ambrosa/internal/postgres", "ambrosa/internal/testdb"}

// TestOnlyTheStoreSpeaksSQL looks for statements in all that is not the store, and
// keeps the interface free of the database and of decoding.
func TestOnlyTheStoreSpeaksSQL(t *testing.T) {
	for _, p := range packages(t, "ambrosa/...") {
		inside := strings.HasPrefix(p.ImportPath, "ambrosa/internal/") || strings.HasPrefix(p.ImportPath, "ambrosa/core/")
		if !inside || slices.Contains(speaksSQL, p.ImportPath) {
			continue
		}
		eachNode(t, p, func(name string, n ast.Node) {
			if text, ok := n.(*ast.BasicLit); ok && text.Kind == token.STRING && statement.MatchString(strings.Trim(text.Value, "`\"")) {
				t.Errorf("%s/%s has a statement: %.60s", p.ImportPath, name, text.Value)
			}
		})
	}
	for _, p := range packages(t, "ambrosa/internal/api") {
		for _, imported := range p.Imports {
			if strings.Contains(imported, "jackc/pgx") || strings.Contains(imported, "govips") || strings.Contains(imported, "riverqueue") {
				t.Errorf("%s imports %s", p.ImportPath, imported)
			}
		}
	}
}

// floors are the packages that decide, from the top; each may import those below
// it only.
var floors = [][]string{
	{"ambrosa/internal/app"},
	{"ambrosa/internal/api"},
	{"ambrosa/internal/run"},
	{"ambrosa/internal/planning"},
	{"ambrosa/internal/deciding", "ambrosa/internal/receiving", "ambrosa/internal/reading"},
	{"ambrosa/internal/store"},
}

// TestImportsPointDown keeps use cases from knowing who calls them, and the store
// from knowing use cases.
func TestImportsPointDown(t *testing.T) {
	floor := map[string]int{}
	for i, of := range floors {
		for _, p := range of {
			floor[p] = i
		}
	}
	for _, p := range packages(t, "ambrosa/internal/...") {
		at, known := floor[p.ImportPath]
		if !known {
			continue
		}
		for _, imported := range p.Imports {
			if below, decides := floor[imported]; decides && below <= at {
				t.Errorf("%s imports %s, which stands beside or above it", p.ImportPath, imported)
			}
		}
	}
}

// rules are what core's packages judge with: the store may know their types, and
// asks none of them.
var rules = []string{
	"plan.Arrange", "plan.Diff", "plan.Reverse", "plan.Warn", "plan.ByHand", "naming.AltText", "gtin.Normalise",
	"pairing.Lot", "time.Now",
}

// speechless are the packages that hold rows or hand on what others say.
var speechless = []string{"ambrosa/internal/store"}

// TestTheStoreJudgesNothing looks into the store for rules, for words that people
// read, and for functions that it is given to call.
func TestTheStoreJudgesNothing(t *testing.T) {
	for _, of := range speechless {
		for _, p := range packages(t, of) {
			eachNode(t, p, func(name string, n ast.Node) {
				switch n := n.(type) {
				case *ast.SelectorExpr:
					if of, ok := n.X.(*ast.Ident); ok && slices.Contains(rules, of.Name+"."+n.Sel.Name) {
						t.Errorf("%s/%s judges: %s.%s", p.ImportPath, name, of.Name, n.Sel.Name)
					}
				case *ast.BasicLit:
					// A sentence: it begins large and ends with a full stop.
					text := strings.Trim(n.Value, "`\"")
					if n.Kind == token.STRING && sentence.MatchString(text) {
						t.Errorf("%s/%s speaks to people: %.60s", p.ImportPath, name, text)
					}
				case *ast.FuncType:
					for _, field := range n.Params.List {
						if called, ok := field.Type.(*ast.FuncType); ok && takes(called, "Tx") && len(called.Params.List) > 1 {
							t.Errorf("%s/%s is given work to do in its transaction", p.ImportPath, name)
						}
					}
				}
			})
		}
	}
}

var sentence = regexp.MustCompile(`^[A-Z][a-z]+ .*[.]$`)

// takes tells whether a function takes a value of a package's type of this name.
func takes(f *ast.FuncType, name string) bool {
	return slices.ContainsFunc(f.Params.List, func(p *ast.Field) bool {
		s, ok := p.Type.(*ast.SelectorExpr)
		return ok && s.Sel.Name == name
	})
}

// eachNode goes through the syntax of a package's files.
func eachNode(t *testing.T, p pkg, each func(file string, n ast.Node)) {
	t.Helper()
	for _, name := range p.GoFiles {
		file, err := parser.ParseFile(token.NewFileSet(), filepath.Join(p.Dir, name), nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(file, func(n ast.Node) bool {
			each(name, n)
			return true
		})
	}
}
