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

// floors are all packages of internal, from the top: each may import those below it, and none beside or above it. What only
// tests and the demo use stands aside.
var floors = [][]string{
	{"app"},
	{"api"},
	{"run"},
	{"gathering"},
	{"planning", "importing", "shelving", "dispatching", "upkeeping", "texting", "covering", "receiving", "sourcing", "reading", "workshop"},
	{"deciding", "drives"},
	{"store"},
	{"door"},
	{"database"},
	// What touches the world, or understands what came from it, and knows nothing of what Ambrosa keeps.
	{"decoder"},
	{"archive", "blob", "codephoto", "dropfolder", "listpairing", "mail", "offlinesheet", "outlet/kinds", "picture", "vault"},
	{"outlet/drive", "outlet/letter", "outlet/parcel", "outlet/shop", "origin/kinds", "sheetfile"},
	{"outlet", "origin/lookup", "origin/page", "origin/s3", "origin/sftp", "origin/webdav"},
	{"origin"},
	{"contained", "foreignjson", "outgoing", "task"},
}

// aside are packages of tests and of the demo.
var aside = []string{"budget", "client", "postgres", "standin", "testdb", "testprogram"}

// TestImportsPointDown keeps use cases from knowing who calls them, the store from knowing use cases, and what touches the world
// from knowing the store. A package without a floor fails.
func TestImportsPointDown(t *testing.T) {
	const internal = "ambrosa/internal/"
	floor := map[string]int{}
	for i, of := range floors {
		for _, p := range of {
			floor[internal+p] = i
		}
	}
	for _, p := range packages(t, internal+"...") {
		at, known := floor[p.ImportPath]
		name := strings.TrimPrefix(p.ImportPath, internal)
		if !known {
			if !slices.Contains(aside, name) {
				t.Errorf("%s has no floor", name)
			}
			continue
		}
		for _, imported := range p.Imports {
			of, inside := strings.CutPrefix(imported, internal)
			if !inside {
				continue
			}
			if slices.Contains(aside, of) {
				t.Errorf("%s imports %s, which is for tests and the demo", name, of)
			} else if floor[imported] <= at {
				t.Errorf("%s imports %s, which stands beside or above it", name, of)
			}
		}
	}
	// What is deployed has nothing of the demo.
	for _, p := range packages(t, "ambrosa/cmd/...") {
		for _, dep := range p.Deps {
			deployed := p.ImportPath == "ambrosa/cmd/ambrosa" || p.ImportPath == "ambrosa/cmd/ambrosa-decode"
			of, inside := strings.CutPrefix(dep, internal)
			if deployed && (inside && slices.Contains(aside, of) || strings.HasPrefix(dep, "ambrosa/demo")) {
				t.Errorf("%s is deployed, and has %s in it", p.ImportPath, dep)
			}
		}
	}
}

// worldly are the fields of use cases that reach outside the database.
var worldly = []string{"Blobs", "Drives", "Mail", "Pictures", "Readers", "Program", "Kinds", "Client", "Workshop"}

// underLock are the functions that reach the object store in a transaction, and have to: bytes go while the lock of their sum keeps
// those away who bring the same.
var underLock = []string{"DropLeaving", "dropStray"}

// TestTransactionsStayInside looks into what is done in transactions: it reaches no object store, no network and no other process, and
// no handler begins one.
func TestTransactionsStayInside(t *testing.T) {
	for _, p := range packages(t, "ambrosa/internal/...") {
		eachNode(t, p, func(name string, n ast.Node) {
			f, ok := n.(*ast.FuncDecl)
			if !ok || f.Body == nil || slices.Contains(underLock, f.Name.Name) {
				return
			}
			ast.Inspect(f.Body, func(n ast.Node) bool {
				work, ok := n.(*ast.FuncLit)
				if !ok || !takesPointer(work.Type, "Tx") {
					return true
				}
				if p.ImportPath == "ambrosa/internal/api" {
					t.Errorf("%s/%s: the handler %s begins a transaction", p.ImportPath, name, f.Name.Name)
				}
				ast.Inspect(work.Body, func(n ast.Node) bool {
					if s, ok := n.(*ast.SelectorExpr); ok {
						if of, ok := s.X.(*ast.SelectorExpr); ok && slices.Contains(worldly, of.Sel.Name) {
							t.Errorf("%s/%s: %s reaches %s.%s in a transaction", p.ImportPath, name, f.Name.Name, of.Sel.Name, s.Sel.Name)
						}
					}
					return true
				})
				return false
			})
		})
	}
}

// takesPointer tells whether a function takes a pointer to a package's type of this name.
func takesPointer(f *ast.FuncType, name string) bool {
	return slices.ContainsFunc(f.Params.List, func(p *ast.Field) bool {
		star, ok := p.Type.(*ast.StarExpr)
		if !ok {
			return false
		}
		s, ok := star.X.(*ast.SelectorExpr)
		return ok && s.Sel.Name == name
	})
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
