package app

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"os"
)

// NewLog returns the log of a process, on its standard error; AMBROSA_DEBUG in the environment has it say more.
func NewLog() *slog.Logger {
	level := slog.LevelInfo
	if os.Getenv("AMBROSA_DEBUG") != "" {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

// Run opens the application with the pages of its interface, has it work and, if it shall, serve; then it calls
// ready and goes on until the context ends.
func Run(ctx context.Context, config Config, pages fs.FS, serves bool, ready func(*App) error) error {
	a, err := Open(ctx, config, pages, NewLog())
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
