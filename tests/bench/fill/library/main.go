// Command library fills an empty, migrated database with a library of real size, to look at pages and
// queries by hand: library DATABASE-ADDRESS.
package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/tests/bench/fill"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: library DATABASE-ADDRESS")
		os.Exit(2)
	}
	ctx, began := context.Background(), time.Now()
	db, err := pgx.Connect(ctx, os.Args[1])
	if err == nil {
		err = fill.Library(ctx, db, fill.Large, func(what string) { fmt.Printf("%6.1fs %s\n", time.Since(began).Seconds(), what) })
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
