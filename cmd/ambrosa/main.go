// Command ambrosa keeps a catalog supplied with pictures. This package only
// wires: each command is a few lines around a package that does the work.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"
)

func main() {
	root := &cobra.Command{
		Use:           "ambrosa",
		Short:         "Pairs suppliers' pictures with products, and can take everything back",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(serveCommand(), workCommand(), migrateCommand(), pairCommand(), sheetCommand(), sweepCommand(), openAPICommand())
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "ambrosa:", err)
		os.Exit(2)
	}
}
