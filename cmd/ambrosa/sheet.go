package main

import (
	"github.com/spf13/cobra"

	"ambrosa/internal/offlinesheet"
)

func sheetCommand() *cobra.Command {
	var files offlinesheet.Files
	command := &cobra.Command{
		Use:   "sheet --sheet FILE [--catalog products.csv]",
		Short: "Map and judge a spreadsheet against a catalog, without a database",
		Args:  cobra.NoArgs,
		RunE: func(command *cobra.Command, _ []string) error {
			return offlinesheet.Run(files, command.OutOrStdout())
		},
	}
	flags := command.Flags()
	flags.StringVar(&files.Sheet, "sheet", "", "XLSX or CSV")
	flags.StringVar(&files.Worksheet, "worksheet", "", "of an XLSX; the first by default")
	flags.StringVar(&files.Catalog, "catalog", "", "what is there, in CSV or XLSX")
	flags.StringVar(&files.Mapping, "mapping", "", "mapping in JSON; one is proposed by default")
	flags.StringVar(&files.MappingOut, "mapping-out", "", "where the mapping goes, in JSON")
	flags.StringVar(&files.Out, "out", "", "where the judged rows go, in CSV; - for standard output")
	_ = command.MarkFlagRequired("sheet")
	return command
}
