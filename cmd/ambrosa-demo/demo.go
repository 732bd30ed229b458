package main

import (
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strconv"

	"github.com/caarlos0/env/v11"
	"github.com/spf13/cobra"

	"ambrosa/demo"
	"ambrosa/internal/app"
	"ambrosa/internal/postgres"
	"ambrosa/internal/standin"
	"ambrosa/ui"
)

// demoPort is where the demo's own PostgreSQL listens unless
// AMBROSA_POSTGRES_PORT says otherwise.
const demoPort = 54391

// samplePort is where the first of the sample drives listens unless
// AMBROSA_SAMPLE_PORT says otherwise; the others are at the ports behind it.
const samplePort = 8091

func portFrom(name string, otherwise int) (int, error) {
	text := os.Getenv(name)
	if text == "" {
		return otherwise, nil
	}
	port, err := strconv.Atoi(text)
	if err != nil {
		return 0, fmt.Errorf("%s: %w", name, err)
	}
	return port, nil
}

func demoCommand() *cobra.Command {
	return &cobra.Command{Use: "demo", Short: "Serve the sample data on a PostgreSQL of its own", Args: cobra.NoArgs,
		RunE: func(command *cobra.Command, _ []string) (err error) {
			ctx := command.Context()
			var config app.Config
			if err := env.Parse(&config); err != nil {
				return err
			}
			if err := os.MkdirAll(config.Data, 0o755); err != nil {
				return err
			}
			mark := filepath.Join(config.Data, "demo.pid")
			if err := os.WriteFile(mark, []byte(strconv.Itoa(os.Getpid())), 0o644); err != nil {
				return err
			}
			defer os.Remove(mark)
			port, err := portFrom("AMBROSA_POSTGRES_PORT", demoPort)
			if err != nil {
				return err
			}
			drives, err := portFrom("AMBROSA_SAMPLE_PORT", samplePort)
			if err != nil {
				return err
			}
			server, err := postgres.Start(ctx, postgres.Options{Folder: filepath.Join(config.Data, "postgres"), Port: port})
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, server.Stop()) }()
			if err := server.Create(ctx, "ambrosa"); err != nil {
				return err
			}
			config.Database = server.URL("ambrosa")
			at := func(n int) string { return net.JoinHostPort("127.0.0.1", strconv.Itoa(drives+n)) }
			if config.Drop == "" {
				config.Drop = at(3)
			}
			for n := range 6 { // the sample drives, the sample supplier's site and barcode service
				config.Allow = append(config.Allow, at(n))
			}
			config.Allow = append(config.Allow, at(8)) // the sample shop
			if config.SMTP == "" {
				_, page, err := new(standin.Mailbox).Open(ctx, at(6), at(7))
				if err != nil {
					return err
				}
				config.SMTP, config.Mailbox = "smtp://"+at(6), "http://"+page.String()
			}
			pages, err := ui.Pages()
			if err != nil {
				return err
			}
			return app.Run(ctx, config, pages, true, func(a *app.App) error {
				if err := demo.Seed(ctx, a.URL, config.Data, os.Stdout); err != nil {
					return err
				}
				if err := demo.Drives(ctx, a.URL, config.Data, drives, os.Stdout); err != nil {
					return err
				}
				if err := demo.Upkeep(ctx, a.URL, config.Data, os.Stdout); err != nil {
					return err
				}
				if err := demo.Dispatch(ctx, a.URL, config.Data, drives+8, os.Stdout); err != nil {
					return err
				}
				fmt.Printf(
					"\nAmbrosa is ready: %s\nThe suppliers' archives to try are in %s. Ctrl-C ends everything.\n",
					a.URL,
					filepath.Join(config.Data, "samples"),
				)
				return nil
			})
		}}
}
