package main

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"

	"github.com/spf13/cobra"

	"ambrosa/internal/postgres"
)

// withPostgresCommand runs a command beside a PostgreSQL server of its own,
// whose address the command finds in AMBROSA_TEST_DATABASE; the server, its
// data and the command's temporary files go when the command ends.
func withPostgresCommand() *cobra.Command {
	return &cobra.Command{
		Use:    "with-postgres -- command …",
		Short:  "Run a command beside a throwaway PostgreSQL",
		Hidden: true,
		Args:   cobra.MinimumNArgs(1),
		RunE: func(command *cobra.Command, args []string) (err error) {
			folder, err := os.MkdirTemp(inMemory(), "ambrosa-postgres-*")
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
			temporary := filepath.Join(folder, "tmp")
			if err := errors.Join(os.Chmod(folder, 0o755), os.Mkdir(temporary, 0o755), os.Chmod(temporary, 0o777|os.ModeSticky)); err != nil {
				return err
			}
			server, err := postgres.Start(command.Context(), postgres.Options{Folder: filepath.Join(folder, "postgres"), Throwaway: true})
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, server.Stop()) }()
			child := exec.CommandContext(command.Context(), args[0], args[1:]...)
			child.Stdin, child.Stdout, child.Stderr = os.Stdin, os.Stdout, os.Stderr
			child.Env = append(os.Environ(), "AMBROSA_TEST_DATABASE="+server.URL("postgres"), "TMPDIR="+temporary)
			return child.Run()
		},
	}
}

// roomInMemory is how much memory has to be free for files before throwaway ones
// are put there.
const roomInMemory = 6 << 30

// inMemory returns where files are kept in memory, or nothing where that has too
// little room or runs no programs. A test makes a database of 900 files, and
// each new file costs a disk ten times what it costs there.
func inMemory() string {
	const folder = "/dev/shm"
	var fs syscall.Statfs_t
	if syscall.Statfs(folder, &fs) != nil || uint64(fs.Bavail)*uint64(fs.Bsize) < roomInMemory {
		return ""
	}
	probe, err := os.CreateTemp(folder, "ambrosa-runs-*")
	if err != nil {
		return ""
	}
	defer os.Remove(probe.Name())
	_, err = probe.WriteString("#!/bin/sh\n")
	if errors.Join(err, probe.Chmod(0o700), probe.Close()) != nil || exec.Command(probe.Name()).Run() != nil {
		return ""
	}
	return folder
}
