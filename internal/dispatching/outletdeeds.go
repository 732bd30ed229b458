package dispatching

import (
	"context"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Forget forgets an outlet; its receipts stay.
func (d *Dispatcher) Forget(ctx context.Context, who identity.Actor, id int64) error {
	return d.Store.Do(ctx, door.By(who, identity.OutletRemove, audit.Of(identity.Outlet, id)), func(tx *door.Tx) error {
		return store.RemoveOutlet(ctx, tx, id)
	})
}

// Except lets bytes through the gate of an outlet from then on, and returns how many; store.ErrNotFound means that
// there is no such outlet, or that no file has any of the bytes.
func (d *Dispatcher) Except(ctx context.Context, who identity.Actor, outlet int64, sums []string, because string) (int64, error) {
	return door.Get(ctx, d.Store.Door, door.By(who, identity.OutletExcept, audit.Of(identity.Outlet, outlet)),
		func(tx *door.Tx) (int64, error) {
			tx.Changed(nil, map[string]any{"because": because, "pictures": sums})
			return store.Except(ctx, tx, outlet, sums, because)
		})
}

// EndExceptions has the gate of an outlet judge bytes as usual again; it returns of how many.
func (d *Dispatcher) EndExceptions(ctx context.Context, who identity.Actor, outlet int64, sums []string) (int64, error) {
	return door.Get(ctx, d.Store.Door, door.By(who, identity.OutletUnexcept, audit.Of(identity.Outlet, outlet)),
		func(tx *door.Tx) (int64, error) {
			tx.Changed(map[string]any{"pictures": sums}, nil)
			return store.EndExceptions(ctx, tx, outlet, sums)
		})
}

// GiveLink gives out a link to a package, in the stead of one before.
func (d *Dispatcher) GiveLink(ctx context.Context, who identity.Actor, id int64, token string, days int) error {
	return d.Store.Do(ctx, door.By(who, identity.DispatchLink, audit.Of(identity.Dispatch, id)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]int{"days": days})
		return store.GiveLink(ctx, tx, id, token, days)
	})
}

// EndLink ends the link to a package.
func (d *Dispatcher) EndLink(ctx context.Context, who identity.Actor, id int64) error {
	return d.Store.Do(ctx, door.By(who, identity.DispatchUnlink, audit.Of(identity.Dispatch, id)), func(tx *door.Tx) error {
		return store.EndLink(ctx, tx, id)
	})
}

// end records what a dispatch came to.
func (d *Dispatcher) end(ctx context.Context, who identity.Actor, to store.Dispatch, e store.Ending) error {
	deed := door.By(who, identity.DispatchEnd, audit.Of(identity.Outlet, to.OutletID), audit.Of(identity.Dispatch, to.ID))
	return d.Store.Do(ctx, deed, func(tx *door.Tx) error { return store.EndDispatch(ctx, tx, to.ID, e) })
}
