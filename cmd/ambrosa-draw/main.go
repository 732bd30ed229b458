// Command ambrosa-draw draws the pictures of the sample data: "ambrosa-draw FOLDER".
package main

import (
	"fmt"
	"os"

	"ambrosa/demo/draw"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "ambrosa-draw: give the folder to draw into")
		os.Exit(2)
	}
	if err := draw.WriteSamples(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, "ambrosa-draw:", err)
		os.Exit(1)
	}
}
