package archive

import (
	"fmt"
	"sync"
)

// Budget is how much may still be expanded of what came together: one upload with
// all archives within, or all that comes through one link. It may be used by many
// goroutines.
type Budget struct {
	mu    sync.Mutex
	files int
	bytes int64
	whole int64
	says  string
	outer *Budget // that this one is a part of; may be nil
}

// NewBudget allows so many files and bytes. says is what a person reads when it
// is used up, behind "it holds more than"; empty for the amount.
func NewBudget(files int, bytes int64, says string) *Budget {
	return &Budget{files: files, bytes: bytes, whole: bytes, says: says}
}

// Within makes the budget a part of another one, which it uses up as well.
func (b *Budget) Within(outer *Budget) *Budget {
	b.outer = outer
	return b
}

// OverBudget means that what came together expands to more than is allowed. What
// was read of the file at hand is not kept, and nothing behind it is read.
type OverBudget struct{ Reason string }

func (o OverBudget) Error() string { return o.Reason }

func (b *Budget) take(bytes int64) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.bytes -= bytes; b.bytes < 0 {
		return b.over(fmt.Sprintf("%.1f MB when it is unpacked", float64(b.whole)/1e6))
	}
	if b.outer != nil {
		return b.outer.take(bytes)
	}
	return nil
}

func (b *Budget) takeFile() error {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.files--; b.files < 0 {
		return b.over("the files that are allowed")
	}
	if b.outer != nil {
		return b.outer.takeFile()
	}
	return nil
}

// Take counts a file that comes as it is.
func (b *Budget) Take(bytes int64) error {
	if err := b.takeFile(); err != nil {
		return err
	}
	return b.take(bytes)
}

func (b *Budget) over(amount string) error {
	if b.says != "" {
		amount = b.says
	}
	return OverBudget{"it holds more than " + amount + "; the rest is not read"}
}
