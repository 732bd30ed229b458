package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"

	"github.com/caarlos0/env/v11"
	"github.com/spf13/cobra"

	"ambrosa/internal/api"
	"ambrosa/internal/app"
	"ambrosa/ui"
)

func newLog() *slog.Logger {
	level := slog.LevelInfo
	if os.Getenv("AMBROSA_DEBUG") != "" {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

func configured() (c app.Config, err error) {
	if err := env.Parse(&c); err != nil {
		return c, err
	}
	if c.Database == "" {
		return c, errors.New("AMBROSA_DATABASE is not set: give the address of a PostgreSQL database, or use `make demo`")
	}
	return c, nil
}

// run opens the application, has it work and, if it shall, serve; then it calls
// ready and goes on until the context ends.
func run(ctx context.Context, config app.Config, serves bool, ready func(*app.App) error) error {
	pages, err := ui.Pages()
	if err != nil {
		return err
	}
	a, err := app.Open(ctx, config, pages, newLog())
	if err != nil {
		return err
	}
	err = a.Work(ctx)
	if err == nil && serves {
		err = a.ServeDrop(ctx, config)
	}
	if err == nil && serves {
		err = a.Serve(ctx, config.Listen)
	}
	if err == nil {
		err = ready(a)
	}
	if err == nil {
		<-ctx.Done()
	}
	return errors.Join(err, a.Close(ctx))
}

func runConfigured(command *cobra.Command, serves bool) error {
	config, err := configured()
	if err != nil {
		return err
	}
	return run(command.Context(), config, serves, func(a *app.App) error {
		if serves {
			fmt.Println(a.URL)
		}
		return nil
	})
}

func serveCommand() *cobra.Command {
	return &cobra.Command{Use: "serve", Short: "Serve the application and do its work", Args: cobra.NoArgs,
		RunE: func(command *cobra.Command, _ []string) error { return runConfigured(command, true) }}
}

func workCommand() *cobra.Command {
	return &cobra.Command{Use: "work", Short: "Do background work beside another process that serves", Args: cobra.NoArgs,
		RunE: func(command *cobra.Command, _ []string) error { return runConfigured(command, false) }}
}

func migrateCommand() *cobra.Command {
	return &cobra.Command{Use: "migrate", Short: "Bring the database to the newest form", Args: cobra.NoArgs,
		RunE: func(command *cobra.Command, _ []string) error {
			config, err := configured()
			if err != nil {
				return err
			}
			a, err := app.Open(command.Context(), config, nil, newLog())
			if err != nil {
				return err
			}
			return a.Close(command.Context())
		}}
}

func openAPICommand() *cobra.Command {
	return &cobra.Command{Use: "openapi", Short: "Write the interface's description (OpenAPI 3.1)", Hidden: true, Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			out := json.NewEncoder(os.Stdout)
			out.SetIndent("", "  ")
			return out.Encode(api.Operations().OpenAPI())
		}}
}
