// Command ambrosa-demo serves sample data, with stand-ins for what Ambrosa speaks to: drives, a supplier's site, a barcode service, a
// shop, a mailbox. It also starts throwaway databases for tests. Nothing of it is in the program that is deployed.
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
		Use:           "ambrosa-demo",
		Short:         "Serves the sample data, and starts databases for tests",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(demoCommand(), withPostgresCommand())
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "ambrosa-demo:", err)
		os.Exit(2)
	}
}
