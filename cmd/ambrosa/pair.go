package main

import (
	"runtime/debug"

	"github.com/spf13/cobra"

	"ambrosa/internal/listpairing"
)

func pairCommand() *cobra.Command {
	var files listpairing.Files
	command := &cobra.Command{
		Use:   "pair --catalog products.csv --files files.txt",
		Short: "Read file names against a catalog, without a database",
		Args:  cobra.NoArgs,
		RunE: func(command *cobra.Command, _ []string) error {
			// One short run: collecting garbage only starts where memory would
			// otherwise pass the measure of 1 GiB.
			debug.SetGCPercent(-1)
			debug.SetMemoryLimit(700 << 20)
			return listpairing.Run(files, command.InOrStdin(), command.OutOrStdout())
		},
	}
	flags := command.Flags()
	flags.StringVar(&files.Catalog, "catalog", "", "products in CSV: sku, product, title, gtin, codes; other columns are attributes")
	flags.StringVar(&files.Names, "files", "", "one path a line, - for standard input")
	flags.StringVar(&files.Clues, "clues", "", "clue list in JSON")
	flags.StringVar(&files.Out, "out", "-", "where the verdicts go, in CSV")
	_ = command.MarkFlagRequired("catalog")
	_ = command.MarkFlagRequired("files")
	return command
}
