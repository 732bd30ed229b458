package dispatching

import (
	"context"
	"encoding/json"
	"sync"
	"time"

	"ambrosa/core/dispatch"
)

// The bounds of what is kept in memory: pictures of choices, some 500 bytes each, and how long
// after one was kept.
const (
	mostKept  = 1_000_000
	keptUntil = 10 * time.Minute
)

// choices keeps what was read of the last choices, as long as nothing of it changes: a template is
// changed letter by letter, and each time all of it is looked at.
type choices struct {
	mu    sync.Mutex
	stamp int64
	of    map[string][]dispatch.Item
	kept  int // pictures
	ends  *time.Timer
}

// items are those that settings choose. What is returned is shared, and must not be changed.
func (d *Dispatcher) items(ctx context.Context, settings dispatch.Settings) ([]dispatch.Item, error) {
	key, err := choiceOf(settings)
	if err != nil {
		return nil, err
	}
	stamp, quiet, err := d.Store.HandedStamp(ctx)
	if err != nil {
		return nil, err
	}
	if items, known := d.choices.get(stamp, key); known {
		return items, nil
	}
	items, err := d.Store.ToDispatch(ctx, settings)
	if err == nil && quiet {
		d.choices.put(stamp, key, items)
	}
	return items, err
}

// choiceOf tells settings apart as far as they choose: names and forms aside.
func choiceOf(s dispatch.Settings) (string, error) {
	key, err := json.Marshal([]any{s.Query, s.Category, s.SKUs, s.Lot, s.Shared, s.OfCats, s.Language})
	return string(key), err
}

func (c *choices) get(stamp int64, key string) (items []dispatch.Item, known bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.stamp != stamp {
		c.of, c.kept = nil, 0
		return nil, false
	}
	items, known = c.of[key]
	return items, known
}

func (c *choices) put(stamp int64, key string, items []dispatch.Item) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(items) > mostKept || c.stamp > stamp {
		return
	}
	if c.stamp != stamp || c.kept+len(items) > mostKept || c.of == nil {
		c.of, c.kept = map[string][]dispatch.Item{}, 0
	}
	c.stamp = stamp
	if _, known := c.of[key]; !known {
		c.of[key] = items
		c.kept += len(items)
	}
	if c.ends != nil {
		c.ends.Stop()
	}
	c.ends = time.AfterFunc(keptUntil, c.forget)
}

func (c *choices) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.of, c.kept = nil, 0
}
