package decoder

import (
	"fmt"
	"os"

	"ambrosa/internal/archive"
	"ambrosa/internal/sheetfile"
)

// Main is the program that reads foreign formats for the server: pictures, one
// after the other, without arguments; else one archive or sheet.
func Main(arguments []string) error {
	switch {
	case len(arguments) == 0:
		return Serve(os.Stdin, os.Stdout)
	case arguments[0] == "archive":
		path, limits, err := archive.FromArguments(arguments[1:])
		if err != nil {
			return err
		}
		return archive.Serve(path, limits, os.Stdin, os.Stdout)
	case arguments[0] == "count" && len(arguments) == 2:
		return archive.ServeCount(arguments[1], os.Stdout)
	case arguments[0] == "cells" && len(arguments) == 3:
		return sheetfile.ServeCells(arguments[1], arguments[2], os.Stdout)
	case arguments[0] == "append" && len(arguments) == 3:
		return sheetfile.ServeAppend(arguments[1], arguments[2], os.Stdin, os.Stdout)
	}
	return fmt.Errorf("%q is nothing that is read", arguments)
}
