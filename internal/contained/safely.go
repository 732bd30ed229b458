package contained

import (
	"fmt"
	"log/slog"
	"runtime/debug"
)

// Panic is a panic that was caught, as an error.
type Panic struct {
	Value any
	Stack string
}

func (p *Panic) Error() string { return fmt.Sprintf("panic: %v\n%s", p.Value, p.Stack) }

// Safely returns work that cannot end the process: a panic becomes its error, a *Panic.
// Every goroutine that touches what came from outside runs such work.
func Safely(work func() error) func() error {
	return func() (err error) {
		defer func() {
			if failed := recover(); failed != nil {
				err = &Panic{failed, string(debug.Stack())}
			}
		}()
		return work()
	}
}

// Background runs work in a goroutine of its own; what goes wrong is logged.
func Background(log *slog.Logger, what string, work func()) {
	go func() {
		err := Safely(func() error {
			work()
			return nil
		})()
		if err != nil {
			log.Error(what, "error", err)
		}
	}()
}
