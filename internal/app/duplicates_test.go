package app

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// TestTwiceIsWhatOthersCallTwice gathers a folder as a lot and finds in it the same groups of
// the same bytes as jdupes and rdfind (Debian's jdupes 1.21, rdfind 1.5) do on the folder.
func TestTwiceIsWhatOthersCallTwice(t *testing.T) {
	t.Parallel()
	for _, program := range []string{"jdupes", "rdfind"} {
		if _, err := exec.LookPath(program); err != nil {
			t.Skipf("%s is not installed; `make test` installs it", program)
		}
	}
	l := start(t)
	l.products(5)
	folder, random := t.TempDir(), rand.New(rand.NewPCG(2, 4))
	var entries []entry
	for n := range 60 {
		path, content := fmt.Sprintf("%d/AT-00%d-%d.jpg", random.IntN(4), random.IntN(5), n), jpg(t, random.IntN(25))
		l.do(os.MkdirAll(filepath.Join(folder, filepath.Dir(path)), 0o755))
		l.do(os.WriteFile(filepath.Join(folder, path), content, 0o600))
		entries = append(entries, entry{path, content})
	}
	l.gathered("folder.zip", zipped(t, entries...))
	l.sweeps("twice")
	byGroup := map[int64][]string{}
	for _, f := range l.findings("twice") {
		byGroup[f.Group] = append(byGroup[f.Group], f.Path)
	}
	var found []string
	for _, paths := range byGroup {
		found = append(found, group(paths))
	}
	slices.Sort(found)
	if theirs := jdupes(t, folder); !slices.Equal(found, theirs) || len(found) < 10 {
		t.Errorf("found %d groups, jdupes %d:\n%s\n\n%s", len(found), len(theirs), strings.Join(found, "\n"), strings.Join(theirs, "\n"))
	}
	if theirs := rdfind(t, folder); !slices.Equal(found, theirs) {
		t.Errorf("found %d groups, rdfind %d:\n%s\n\n%s", len(found), len(theirs), strings.Join(found, "\n"), strings.Join(theirs, "\n"))
	}
}

// group is one in which the order of its files does not matter.
func group(paths []string) string {
	slices.Sort(paths)
	return strings.Join(paths, " ")
}

// jdupes returns the groups that it lists: a file a line, groups apart by an empty one.
func jdupes(t *testing.T, folder string) (groups []string) {
	t.Helper()
	out, err := exec.Command("jdupes", "-r", "-q", folder).Output()
	if err != nil {
		t.Fatal(err)
	}
	for block := range strings.SplitSeq(strings.TrimSpace(string(out)), "\n\n") {
		groups = append(groups, group(strings.Split(strings.ReplaceAll(block, folder+"/", ""), "\n")))
	}
	slices.Sort(groups)
	return groups
}

// rdfind returns the groups that it lists: a file a line, with the number of its group, which
// is less than zero for all but the first of it.
func rdfind(t *testing.T, folder string) (groups []string) {
	t.Helper()
	list := filepath.Join(t.TempDir(), "results.txt")
	if out, err := exec.Command("rdfind", "-outputname", list, folder).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	text, err := os.ReadFile(list)
	if err != nil {
		t.Fatal(err)
	}
	byNumber := map[string][]string{}
	for line := range strings.Lines(string(text)) {
		// duptype id depth size device inode priority name
		if fields := strings.SplitN(strings.TrimSpace(line), " ", 8); len(fields) == 8 && !strings.HasPrefix(line, "#") {
			number := strings.TrimPrefix(fields[1], "-")
			byNumber[number] = append(byNumber[number], strings.TrimPrefix(fields[7], folder+"/"))
		}
	}
	for _, paths := range byNumber {
		groups = append(groups, group(paths))
	}
	slices.Sort(groups)
	return groups
}
