// Command ambrosa-decode reads foreign formats for Ambrosa, whose server starts
// it: pictures, archives and sheets. It alone is linked with libvips. "ambrosa-decode samples FOLDER" draws the sample data.
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
	case len(args) == 2 && args[0] == "samples":
		err = draw.WriteSamples(args[1])
	default:
		err = decoder.Main(args)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "ambrosa-decode:", err)
		os.Exit(2)
	}
}
