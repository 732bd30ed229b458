package main

import (
	"encoding/csv"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"ambrosa/internal/store"
	"ambrosa/internal/upkeeping"
)

// ofFiles are the kinds that the command looks for: each finding is of a file.
var ofFiles = []string{"orphans", "twice", "alike", "broken"}

func sweepCommand() *cobra.Command {
	var kinds []string
	var out string
	command := &cobra.Command{
		Use:   "sweep [--kinds orphans,twice,alike,broken] [--out findings.csv]",
		Short: "Find what nothing needs in the configured database, changing nothing",
		Args:  cobra.NoArgs,
		RunE: func(command *cobra.Command, _ []string) (err error) {
			for _, kind := range kinds {
				if !slices.Contains(ofFiles, kind) {
					return fmt.Errorf("%q is nothing that is looked for: %v are", kind, ofFiles)
				}
			}
			to := command.OutOrStdout()
			if out != "" && out != "-" {
				file, err := os.Create(out)
				if err != nil {
					return err
				}
				defer func() {
					if closed := file.Close(); err == nil {
						err = closed
					}
				}()
				to = file
			}
			return sweep(command, kinds, to)
		},
	}
	command.Flags().StringSliceVar(&kinds, "kinds", ofFiles, "what is looked for")
	command.Flags().StringVar(&out, "out", "-", "where the findings go, in CSV; - for standard output")
	return command
}

func sweep(command *cobra.Command, kinds []string, to io.Writer) error {
	config, err := configured()
	if err != nil {
		return err
	}
	s, err := store.Open(command.Context(), config.Database)
	if err != nil {
		return err
	}
	defer s.Close()
	how, err := s.Upkeep(command.Context())
	if err != nil {
		return err
	}
	w := csv.NewWriter(to)
	header := []string{"kind", "reason", "file", "path", "lot", "sha256", "bytes", "frees", "group", "since", "detail"}
	if err := w.Write(header); err != nil {
		return err
	}
	number := func(n int64) string { return strconv.FormatInt(n, 10) }
	line := func(f store.Swept) error {
		group := ""
		if f.Group != 0 {
			group = number(f.Group)
		}
		return w.Write([]string{f.Kind, f.Reason, number(f.File), f.Path, f.Name, f.Sum, number(f.Bytes), number(f.Frees), group,
			f.Since.UTC().Format(time.RFC3339), f.Detail})
	}
	keeper := &upkeeping.Upkeeper{Store: s}
	if i := slices.Index(kinds, "broken"); i >= 0 {
		// All is read here and now, and not what a sweep of the application found.
		kinds = slices.Delete(slices.Clone(kinds), i, i+1)
		blobs, err := config.Objects(command.Context())
		if err != nil {
			return err
		}
		defer blobs.Close()
		keeper.Blobs = blobs
		if err := keeper.CheckAll(command.Context(), line); err != nil {
			return err
		}
	}
	err = keeper.Find(command.Context(), kinds, how, time.Now(), line)
	w.Flush()
	if err == nil {
		err = w.Error()
	}
	return err
}
