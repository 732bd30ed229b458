// Package testprogram gives tests the programs as they ship.
package testprogram

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
)

// Main is the server; Decode is the program that reads foreign formats, and Draw the one that draws sample pictures: these need C.
const (
	Main   = "ambrosa"
	Decode = "ambrosa-decode"
	Draw   = "ambrosa-draw"
)

// Folder returns a folder in which programs are: where make test has built them, or a temporary one that they are built
// into, which the caller removes. It ends the process where they cannot be built.
func Folder(programs ...string) (folder string, temporary []string) {
	if built := os.Getenv("AMBROSA_BUILT"); built != "" {
		return built, nil
	}
	folder, err := os.MkdirTemp("", "ambrosa-built-*")
	if err != nil {
		fail(err)
	}
	for _, name := range programs {
		c := "CGO_ENABLED=0"
		if name != Main {
			c = "CGO_ENABLED=1"
		}
		build := exec.Command("go", "build", "-o", filepath.Join(folder, name), "ambrosa/cmd/"+name)
		build.Env = append(os.Environ(), c)
		if out, err := build.CombinedOutput(); err != nil {
			fail(fmt.Errorf("build %s: %w\n%s", name, err, out))
		}
	}
	return folder, []string{folder}
}

func fail(err error) {
	fmt.Fprintln(os.Stderr, err)
	os.Exit(1)
}
