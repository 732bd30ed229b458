package archive

import (
	"archive/tar"
	stdzip "archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"

	"ambrosa/internal/budget"
)

// walked is what a walk gave: paths with their bytes, or with their problem.
func walked(t testing.TB, content []byte, limits Limits) (map[string]string, error) {
	t.Helper()
	name := filepath.Join(t.TempDir(), "archive")
	if err := os.WriteFile(name, content, 0o600); err != nil {
		t.Fatal(err)
	}
	file, err := os.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	found := map[string]string{}
	err = walkHere(context.Background(), file, limits, func(e Entry) error {
		for found[e.Path] != "" {
			e.Path += "'"
		}
		if e.Problem != "" {
			found[e.Path] = "problem: " + e.Problem
			return nil
		}
		reader, err := e.Open()
		if err != nil {
			found[e.Path] = "open: " + err.Error()
			return nil
		}
		defer reader.Close()
		text, err := io.ReadAll(reader)
		if err != nil {
			found[e.Path] = "read: " + err.Error()
			return nil
		}
		found[e.Path] = "is " + string(text)
		return nil
	})
	return found, err
}

type zipped struct{ name, content string }

func makeZip(t testing.TB, entries ...zipped) []byte {
	t.Helper()
	var out bytes.Buffer
	w := stdzip.NewWriter(&out)
	for _, e := range entries {
		entry, err := w.CreateHeader(&stdzip.FileHeader{Name: e.name, Method: stdzip.Deflate, NonUTF8: true})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := entry.Write([]byte(e.content)); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// byProgram makes an archive with an independent program from Debian.
func byProgram(t *testing.T, target, program string, args ...string) []byte {
	t.Helper()
	folder := t.TempDir()
	for name, text := range map[string]string{"a.txt": "one", "deep/er/b ü.txt": "two"} {
		if err := errors.Join(os.MkdirAll(filepath.Dir(filepath.Join(folder, name)), 0o755),
			os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600)); err != nil {
			t.Fatal(err)
		}
	}
	command := exec.Command(program, args...)
	command.Dir = folder
	if out, err := command.CombinedOutput(); err != nil {
		t.Fatalf("%s: %v: %s", program, err, out)
	}
	content, err := os.ReadFile(filepath.Join(folder, target))
	if err != nil {
		t.Fatal(err)
	}
	return content
}

// Archives written by Info-ZIP, 7-Zip and GNU tar.
func TestArchivesOfOtherPrograms(t *testing.T) {
	for _, c := range []struct {
		target, program string
		args            []string
	}{
		{"x.zip", "zip", []string{"-qr", "x.zip", "a.txt", "deep"}},
		{"x.zip", "zip", []string{"-qr0", "x.zip", "a.txt", "deep"}},
		{"x.zip", "7z", []string{"a", "-bd", "x.zip", "a.txt", "deep"}},
		{"x.7z", "7z", []string{"a", "-bd", "x.7z", "a.txt", "deep"}},
		{"x.tar", "tar", []string{"cf", "x.tar", "a.txt", "deep"}},
		{"x.tgz", "tar", []string{"czf", "x.tgz", "a.txt", "deep"}},
	} {
		found, err := walked(t, byProgram(t, c.target, c.program, c.args...), DefaultLimits)
		if err != nil || len(found) != 2 || found["a.txt"] != "is one" || found["deep/er/b ü.txt"] != "is two" {
			t.Errorf("%s %v: %v, %v", c.program, c.args, found, err)
		}
	}
}

func TestEncryptedArchives(t *testing.T) {
	found, err := walked(t, byProgram(t, "x.zip", "zip", "-qr", "-P", "secret", "x.zip", "a.txt", "deep"), DefaultLimits)
	if err != nil || len(found) != 2 || !strings.Contains(found["a.txt"], "encrypted") {
		t.Errorf("ZIP: %v, %v", found, err)
	}
	_, err = walked(t, byProgram(t, "x.7z", "7z", "a", "-bd", "-psecret", "-mhe=on", "x.7z", "a.txt"), DefaultLimits)
	var refused Refused
	if !errors.As(err, &refused) || !strings.Contains(refused.Reason, "encrypted") {
		t.Errorf("7z: %v", err)
	}
}

func TestBrokenArchives(t *testing.T) {
	good := makeZip(t, zipped{"a.txt", strings.Repeat("text ", 500)}, zipped{"b.txt", "two"})
	var packed bytes.Buffer
	squeezed := gzip.NewWriter(&packed)
	row := tar.NewWriter(squeezed)
	for i := range 40 {
		noise := fmt.Appendf(nil, "%d %x", i, i*7919*104729)
		_ = row.WriteHeader(&tar.Header{Name: fmt.Sprintf("f%d", i), Size: int64(len(noise)), Mode: 0o600})
		_, _ = row.Write(noise)
	}
	_ = errors.Join(row.Close(), squeezed.Close())
	for name, c := range map[string]struct {
		content []byte
		want    string
	}{
		"not an archive": {[]byte("just a text"), "not an archive"},
		"empty":          {nil, "not an archive"},
		"truncated ZIP":  {good[:len(good)-40], "incomplete or damaged"},
		"truncated TAR":  {packed.Bytes()[:packed.Len()*2/3], "ends early"},
	} {
		found, err := walked(t, c.content, DefaultLimits)
		var refused Refused
		if !errors.As(err, &refused) || !strings.Contains(refused.Reason, c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
		if name == "truncated TAR" && len(found) == 0 {
			t.Error("what stands before the cut was not read")
		}
	}
}

func TestEntriesThatAreRefused(t *testing.T) {
	for name, want := range map[string]string{"../up.jpg": "out of the archive", "/etc/passwd": "out of the archive",
		"C:\\x\\y.jpg": "out of the archive", "a/../../b": "out of the archive"} {
		found, err := walked(t, makeZip(t, zipped{name, "x"}, zipped{"ok.jpg", "fine"}), DefaultLimits)
		if err != nil || found["ok.jpg"] != "is fine" || len(found) != 2 {
			t.Errorf("%s: %v, %v", name, found, err)
		}
		for path, text := range found {
			if path != "ok.jpg" && (!strings.Contains(text, want) || strings.Contains(path, "..")) {
				t.Errorf("%s became %s: %s", name, path, text)
			}
		}
	}
	var links bytes.Buffer
	w := tar.NewWriter(&links)
	_ = w.WriteHeader(&tar.Header{Name: "link.jpg", Typeflag: tar.TypeSymlink, Linkname: "/etc/passwd"})
	_ = w.WriteHeader(&tar.Header{Name: "device", Typeflag: tar.TypeChar})
	_ = w.Close()
	found, err := walked(t, links.Bytes(), DefaultLimits)
	if err != nil || !strings.Contains(found["link.jpg"], "link or device") || !strings.Contains(found["device"], "link or device") {
		t.Errorf("links: %v, %v", found, err)
	}
}

func TestExpansionIsBounded(t *testing.T) {
	bomb := makeZip(t, zipped{"zeros.jpg", strings.Repeat("\x00", 30<<20)}, zipped{"ok.jpg", "fine"})
	found, err := walked(t, bomb, DefaultLimits)
	if err != nil || !strings.Contains(found["zeros.jpg"], "would expand") || found["ok.jpg"] != "is fine" {
		t.Errorf("%v, %v", clipped(found), err)
	}
	// An archive that lies about its entry's size is stopped while reading.
	lying := bytes.Clone(bomb)
	for at := 0; ; {
		i := bytes.Index(lying[at:], []byte("PK\x01\x02"))
		if i < 0 {
			break
		}
		at += i + 4
		copy(lying[at+20:], []byte{16, 0, 0, 0})
	}
	found, _ = walked(t, lying, DefaultLimits)
	if strings.HasPrefix(found["zeros.jpg"], "is ") && len(found["zeros.jpg"]) > 2<<20 {
		t.Error("a lying entry was read whole")
	}
	few := DefaultLimits
	few.Entries = 1
	if _, err := walked(t, bomb, few); err == nil || !strings.Contains(err.Error(), "more than 1 files") {
		t.Errorf("too many entries: %v", err)
	}
}

func clipped(found map[string]string) (short []string) {
	for path, text := range found {
		short = append(short, path+": "+text[:min(len(text), 80)])
	}
	slices.Sort(short)
	return short
}

func TestNamesInOldEncodings(t *testing.T) {
	dos, _ := charmap.CodePage437.NewEncoder().String("Räucher_ÄÖÜß.jpg")
	windows, _ := charmap.Windows1252.NewEncoder().String("Räucher_ÄÖÜ.jpg")
	for raw, want := range map[string]string{dos: "Räucher_ÄÖÜß.jpg", windows: "Räucher_ÄÖÜ.jpg", "Räucher.jpg": "Räucher.jpg",
		"a\u0308.jpg": "a\u0308.jpg"} {
		found, err := walked(t, makeZip(t, zipped{raw, "x"}), DefaultLimits)
		if err != nil || found[want] != "is x" {
			t.Errorf("%q: %v, %v; want %q", raw, found, err, want)
		}
	}
}

func TestTwoEntriesOfOneName(t *testing.T) {
	found, err := walked(t, makeZip(t, zipped{"a.jpg", "one"}, zipped{"a.jpg", "two"}), DefaultLimits)
	if err != nil || found["a.jpg"] != "is one" || found["a.jpg'"] != "is two" {
		t.Errorf("%v, %v", found, err)
	}
}

func TestLeftoversOfOperatingSystems(t *testing.T) {
	found, err := walked(
		t,
		makeZip(t, zipped{"__MACOSX/._a.jpg", "x"}, zipped{".DS_Store", "x"}, zipped{"x/Thumbs.db", "x"}, zipped{"a.jpg", "one"}),
		DefaultLimits,
	)
	if err != nil || len(found) != 1 {
		t.Errorf("%v, %v", found, err)
	}
}

func FuzzWalk(f *testing.F) {
	f.Add(makeZip(f, zipped{"a.jpg", "one"}, zipped{"../b", "two"}))
	f.Add([]byte("PK\x03\x04"))
	f.Add([]byte("7z\xbc\xaf\x27\x1c\x00\x04"))
	f.Add([]byte("\x1f\x8b\x08"))
	f.Fuzz(func(t *testing.T, content []byte) {
		budget.Of(len(content)).Check(t, func() {
			small := Limits{Entries: 100, Entry: 1 << 20, Total: 4 << 20, Ratio: 100}
			found, _ := walked(t, content, small)
			for path := range found {
				if strings.HasPrefix(path, "/") || strings.Contains("/"+path+"/", "/../") {
					t.Fatalf("the path %q leaves the archive", path)
				}
			}
		})
	})
}
