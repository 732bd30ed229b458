package dropfolder

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"
)

func serve(t *testing.T) (s *Server, address string) {
	t.Helper()
	s = &Server{
		Folder: t.TempDir(),
		Quota:  1 << 30,
		Log:    slog.New(slog.DiscardHandler),
		Admit: func(_ context.Context, person, password string) bool {
			return (person == "mara" || person == "jo/../x") && password == "clover"
		},
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	s.Serve(listener)
	t.Cleanup(func() { _ = s.Close() })
	return s, "http://" + listener.Addr().String()
}

func ask(t *testing.T, method, address string, body io.Reader, headers ...string) (int, string) {
	t.Helper()
	request, err := http.NewRequest(method, address, body)
	if err != nil {
		t.Fatal(err)
	}
	request.SetBasicAuth("mara", "clover")
	for i := 0; i+1 < len(headers); i += 2 {
		request.Header.Set(headers[i], headers[i+1])
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	if err != nil {
		t.Fatal(err)
	}
	return response.StatusCode, string(text)
}

// TestLitmus runs the WebDAV server test suite of Debian's package litmus (RFC
// 4918) over the drop folder.
func TestLitmus(t *testing.T) {
	litmus, err := exec.LookPath("litmus")
	if err != nil {
		t.Fatal("litmus is missing: make test installs it")
	}
	_, address := serve(t)
	for _, suite := range []string{"basic", "copymove", "props", "locks", "http"} {
		command := exec.Command(litmus, "-k", address+"/", "mara", "clover")
		command.Dir = t.TempDir()
		command.Env = append(os.Environ(), "TESTS="+suite)
		out, err := command.CombinedOutput()
		summary := ""
		for line := range strings.Lines(string(out)) {
			if strings.Contains(line, "<- summary") || strings.Contains(line, "FAIL") {
				summary += line
			}
		}
		t.Log(strings.TrimSpace(summary))
		if err != nil || !strings.Contains(summary, "0 failed") {
			t.Errorf("%s: %v\n%s", suite, err, out)
		}
	}
}

func TestStrangersStayOutside(t *testing.T) {
	s, address := serve(t)
	for _, who := range [][2]string{{"mara", "wrong"}, {"", ""}, {"nobody", "clover"}} {
		request, _ := http.NewRequest(http.MethodPut, address+"/a.jpg", strings.NewReader("x"))
		request.SetBasicAuth(who[0], who[1])
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		_ = response.Body.Close()
		if response.StatusCode != http.StatusUnauthorized || response.Header.Get("WWW-Authenticate") == "" {
			t.Errorf("%v: %s", who, response.Status)
		}
	}
	// A name that would lead elsewhere is a folder like any other.
	request, _ := http.NewRequest(http.MethodPut, address+"/../../a.jpg", strings.NewReader("x"))
	request.SetBasicAuth("jo/../x", "clover")
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	_ = response.Body.Close()
	if outside, _ := filepath.Glob(filepath.Join(s.Folder, "..", "a.jpg")); response.StatusCode != http.StatusCreated || len(outside) > 0 {
		t.Errorf("%s, outside: %v", response.Status, outside)
	}
	if w, err := s.Waiting("jo/../x"); err != nil || w.Files != 1 {
		t.Errorf("%+v %v", w, err)
	}
}

func TestNamesKeepTheirCaseAndAreFoundWithoutIt(t *testing.T) {
	s, address := serve(t)
	for _, step := range []struct {
		method, path, body string
		want               int
	}{
		{"MKCOL", "/Spring", "", 201},
		{"PUT", "/Spring/HB-10 Größe.JPG", "first", 201},
		{"PUT", "/spring/hb-10 grÖße.jpg", "second", 201},
		{"GET", "/SPRING/Hb-10 größe.jpg", "", 200},
		{"MKCOL", "/SPRING", "", 405},
		{"DELETE", "/spring/nothing.jpg", "", 404},
	} {
		var body io.Reader
		if step.body != "" {
			body = strings.NewReader(step.body)
		}
		status, text := ask(t, step.method, address+strings.ReplaceAll(step.path, " ", "%20"), body)
		if status != step.want || (step.method == "GET" && text != "second") {
			t.Errorf("%s %s: %d %s", step.method, step.path, status, text)
		}
	}
	names, err := filepath.Glob(filepath.Join(s.Folder, "*", "Spring", "*"))
	if err != nil || len(names) != 1 || filepath.Base(names[0]) != "HB-10 Größe.JPG" {
		t.Errorf("%q %v", names, err)
	}
	if status, _ := ask(t, "MOVE", address+"/spring", nil, "Destination", address+"/SPRING"); status != 201 && status != 204 {
		t.Errorf("a change of case only: %d", status)
	}
	if _, err := os.Stat(filepath.Join(s.Folder, folderOf("mara"), "SPRING")); err != nil {
		t.Error(err)
	}
}

func TestTakingWaitsForWriters(t *testing.T) {
	s, address := serve(t)
	if status, _ := ask(t, "PUT", address+"/a.jpg", strings.NewReader("first")); status != 201 {
		t.Fatal(status)
	}
	reader, writer := io.Pipe()
	answered := make(chan int)
	go func() {
		status, _ := ask(t, "PUT", address+"/b.jpg", reader)
		answered <- status
	}()
	if _, err := writer.Write([]byte("half of it")); err != nil {
		t.Fatal(err)
	}
	to := filepath.Join(t.TempDir(), "taken", "1")
	for end := time.Now().Add(time.Minute); ; {
		if w, err := s.Waiting("mara"); err == nil && w.Files == 2 {
			break
		} else if time.Now().After(end) {
			t.Fatalf("%+v %v", w, err)
		}
	}
	if err := s.Take("mara", to); !errors.Is(err, ErrBusy) {
		t.Errorf("taken while a file is written: %v", err)
	}
	_ = writer.Close()
	if status := <-answered; status != 201 {
		t.Errorf("the writer: %d", status)
	}
	if err := s.Take("mara", to); err != nil {
		t.Fatal(err)
	}
	if content, err := os.ReadFile(filepath.Join(to, "b.jpg")); string(content) != "half of it" || err != nil {
		t.Errorf("%q %v", content, err)
	}
	if w, err := s.Waiting("mara"); err != nil || w.Files != 0 {
		t.Errorf("left: %+v %v", w, err)
	}
	if status, _ := ask(t, "PUT", address+"/a.jpg", strings.NewReader("next")); status != 201 {
		t.Errorf("afterwards: %d", status)
	}
}

// TestALargeFileIsNotHeldInMemory puts 256 MiB and looks at the heap; the
// benchmark does it with 2 GiB and the resident memory.
func TestALargeFileIsNotHeldInMemory(t *testing.T) {
	_, address := serve(t)
	const size = 256 << 20
	runtime.GC()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	if status, text := ask(t, "PUT", address+"/large.tif", io.LimitReader(zeros{}, size)); status != 201 {
		t.Fatalf("%d %s", status, text)
	}
	runtime.ReadMemStats(&after)
	if grown := int64(after.Sys) - int64(before.Sys); grown > 32<<20 {
		t.Errorf("memory grew by %d MiB", grown>>20)
	}
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	clear(p)
	return len(p), nil
}
