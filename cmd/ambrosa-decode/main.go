// Command ambrosa-decode decodes pictures for Ambrosa, whose server starts it:
// tasks come in, a line each, and results go out. It alone is linked with
// libvips. "ambrosa-decode samples FOLDER" draws the sample data.
package main

import (
	"fmt"
	"os"

	"ambrosa/demo/draw"
	"ambrosa/internal/decoder"
)

func main() {
	var err error
	switch args := os.Args[1:]; {
	case len(args) == 0:
		err = decoder.Serve(os.Stdin, os.Stdout)
	case len(args) == 2 && args[0] == "samples":
		err = draw.WriteSamples(args[1])
	default:
		err = fmt.Errorf("it takes no arguments, or: samples FOLDER")
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "ambrosa-decode:", err)
		os.Exit(2)
	}
}
