package core

import (
	"encoding/json"
	"errors"
	"io"
	"os/exec"
	"strings"
	"testing"
)

type pkg struct {
	ImportPath string
	Imports    []string
	Deps       []string
}

func packages(t *testing.T, pattern string) (list []pkg) {
	t.Helper()
	out, err := exec.Command("go", "list", "-deps=false", "-json=ImportPath,Imports,Deps", pattern).Output()
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

// TestCoreIsPure reads the import graph: the rules of the job touch no file, no
// network, no database, no clock and no log.
func TestCoreIsPure(t *testing.T) {
	forbidden := []string{"os", "net", "net/http", "time", "log", "log/slog", "database/sql", "os/exec", "io/ioutil", "syscall"}
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
			if strings.Contains(imported, ".") && !strings.HasPrefix(imported, "golang.org/x/") {
				t.Errorf("%s imports the driver or framework %s", p.ImportPath, imported)
			}
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
