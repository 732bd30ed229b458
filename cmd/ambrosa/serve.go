package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"

	"github.com/caarlos0/env/v11"
	"github.com/spf13/cobra"

	"ambrosa/internal/api"
	"ambrosa/internal/app"
	"ambrosa/ui"
)

func configured() (c app.Config, err error) {
	if err := env.Parse(&c); err != nil {
		return c, err
	}
	if c.Database == "" {
		return c, errors.New("AMBROSA_DATABASE is not set: give the address of a PostgreSQL database, or use `make demo`")
	}
	return c, nil
}

func runConfigured(command *cobra.Command, serves bool) error {
	config, err := configured()
	if err != nil {
		return err
	}
	pages, err := ui.Pages()
	if err != nil {
		return err
	}
	return app.Run(command.Context(), config, pages, serves, func(a *app.App) error {
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
			a, err := app.Open(command.Context(), config, nil, app.NewLog())
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
