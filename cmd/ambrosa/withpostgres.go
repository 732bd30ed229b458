package main

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"

	"github.com/spf13/cobra"

	"ambrosa/internal/postgres"
)

// withPostgresCommand runs a command beside a PostgreSQL server of its own,
// whose address the command finds in AMBROSA_TEST_DATABASE; the server and its
// data go when the command ends.
func withPostgresCommand() *cobra.Command {
	return &cobra.Command{
		Use:    "with-postgres -- command …",
		Short:  "Run a command beside a throwaway PostgreSQL",
		Hidden: true,
		Args:   cobra.MinimumNArgs(1),
		RunE: func(command *cobra.Command, args []string) (err error) {
			folder, err := os.MkdirTemp("", "ambrosa-postgres-*")
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
			if err := os.Chmod(folder, 0o755); err != nil {
				return err
			}
			server, err := postgres.Start(command.Context(), postgres.Options{Folder: filepath.Join(folder, "postgres"), Throwaway: true})
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, server.Stop()) }()
			child := exec.CommandContext(command.Context(), args[0], args[1:]...)
			child.Stdin, child.Stdout, child.Stderr = os.Stdin, os.Stdout, os.Stderr
			child.Env = append(os.Environ(), "AMBROSA_TEST_DATABASE="+server.URL("postgres"))
			return child.Run()
		},
	}
}
