// Command ambrosa-decode reads foreign formats for Ambrosa, whose server starts
// it: pictures, archives and sheets. Of what is deployed it alone is linked with libvips.
package main

import (
	"fmt"
	"os"

	"ambrosa/internal/decoder"
)

func main() {
	if err := decoder.Main(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "ambrosa-decode:", err)
		os.Exit(2)
	}
}
