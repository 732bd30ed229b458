package upkeeping

import (
	"context"
	"fmt"
	"time"

	"ambrosa/core/upkeep"
	"ambrosa/internal/store"
)

// findBelow calls for the pictures that stand and are below the rule.
func (u *Upkeeper) findBelow(ctx context.Context, days int, at time.Time, each func(store.Swept) error) error {
	return u.Store.EachBelow(ctx, at.AddDate(0, 0, days), func(f store.StandingFile) error {
		reason, detail := upkeep.Below(f.Standing, at, days)
		if reason == "" {
			return nil
		}
		if f.Shown > 1 {
			detail += fmt.Sprintf("; shown by %d", f.Shown)
		}
		since := f.Since
		if reason == upkeep.RightsEnd || reason == upkeep.RightsEnded {
			since = *f.Expires
		}
		return each(store.Swept{Kind: "below", Reason: reason, File: f.ID, Lot: f.Lot, Path: f.Path, Sum: f.Sum, Bytes: f.Bytes,
			Product: f.Product, Since: since, Detail: detail})
	})
}

// findLying calls for the lots that nobody touched for some days, the products that show
// nothing, and the retired ones that show something.
func (u *Upkeeper) findLying(ctx context.Context, days int, at time.Time, each func(store.Swept) error) error {
	err := u.Store.EachLyingLot(ctx, func(l store.Lying) error {
		if !upkeep.Untouched(l.Touched, at, days) {
			return nil
		}
		return each(store.Swept{Kind: "lying", Reason: upkeep.LotLying, Lot: l.Lot, Path: l.Name, Bytes: l.Bytes, Since: l.Touched,
			Detail: counted(l.Files, "file")})
	})
	if err != nil {
		return err
	}
	return u.Store.EachLyingProduct(ctx, func(l store.Lying) error {
		reason, detail := upkeep.WithoutPicture, ""
		if l.Retired {
			reason, detail = upkeep.RetiredShowing, counted(l.Files, "picture")
		}
		return each(store.Swept{Kind: "lying", Reason: reason, Product: l.Product, Path: l.Name, Since: l.Touched, Detail: detail})
	})
}

func counted(n int64, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}
