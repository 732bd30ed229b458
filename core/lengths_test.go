package core

import (
	"bufio"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"
)

// What is written is read on one screen: the longest line, in characters, and
// the longest file, in lines.
const (
	mostOfGo        = 140
	mostOfInterface = 110
	mostLines       = 500
)

// TestLinesAndFilesCanBeRead measures every file of Go and of the interface
// that a person wrote.
func TestLinesAndFilesCanBeRead(t *testing.T) {
	looked := 0
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == "client" || d.Name() == "dist" || strings.HasPrefix(d.Name(), ".a")) {
			return filepath.SkipDir
		}
		most := map[string]int{".go": mostOfGo, ".ts": mostOfInterface, ".tsx": mostOfInterface}[filepath.Ext(path)]
		if most == 0 {
			return nil
		}
		looked++
		return measure(t, path, most)
	})
	if err != nil || looked < 200 {
		t.Fatalf("%d files looked at: %v", looked, err)
	}
}

func measure(t *testing.T, path string, most int) error {
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	lines := bufio.NewScanner(file)
	lines.Buffer(nil, 1<<20)
	n := 0
	for lines.Scan() {
		n++
		if wide := utf8.RuneCountInString(lines.Text()); wide > most {
			t.Errorf("%s:%d is %d characters long", path, n, wide)
		}
	}
	if n > mostLines {
		t.Errorf("%s has %d lines", path, n)
	}
	return lines.Err()
}
