// Package sourcing is where files come from, and how their names are read: origins, the answers of
// barcode services, supplier links, people who drop files, and clue lists.
package sourcing

import (
	"context"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/pairing"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Sourcer is the use cases of sources.
type Sourcer struct {
	Store *store.Store
}

// SaveOrigin keeps an origin, a new one where it has no number, and returns its number. The errors are
// the store's.
func (s *Sourcer) SaveOrigin(ctx context.Context, who identity.Actor, o store.Origin) (id int64, err error) {
	deed, before := door.By(who, identity.OriginMake), any(nil)
	if o.ID != 0 {
		was, err := s.Store.Origin(ctx, o.ID)
		if err != nil {
			return 0, err
		}
		deed, before = door.By(who, identity.OriginChange, audit.Of(identity.Origin, o.ID)), told(was)
	}
	err = s.Store.Do(ctx, deed, func(tx *door.Tx) error {
		if id, err = store.SaveOrigin(ctx, tx, o); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Origin, id))
		tx.Changed(before, told(o))
		return nil
	})
	return id, err
}

// told is what the record has of an origin; never its secrets.
func told(o store.Origin) map[string]any {
	return map[string]any{"name": o.Name, "kind": o.Kind, "folder": o.Folder, "selection": o.Selection, "everyMinutes": o.EveryMinutes,
		"rights": o.Rights, "licence": o.Licence, "credit": o.Credit}
}

// ForgetOrigin forgets an origin; what it brought stays.
func (s *Sourcer) ForgetOrigin(ctx context.Context, who identity.Actor, id int64) error {
	was, err := s.Store.Origin(ctx, id)
	if err != nil {
		return err
	}
	return s.Store.Do(ctx, door.By(who, identity.OriginRemove, audit.Of(identity.Origin, id)), func(tx *door.Tx) error {
		tx.Changed(told(was), nil)
		return store.DeleteOrigin(ctx, tx, id)
	})
}

// Decline puts the pictures aside that a barcode service has for a code, or opens them again.
func (s *Sourcer) Decline(ctx context.Context, who identity.Actor, origin, code int64, decline bool) error {
	return s.Store.Do(ctx, door.By(who, identity.OriginDecline, audit.Of(identity.Origin, origin)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]any{"code": code, "declined": decline})
		return store.DeclineCandidates(ctx, tx, origin, code, decline)
	})
}

// AddLink makes a supplier's link, whose address ends with what has the SHA-256 token, and returns its number.
// store.ErrNotFound means that its category does not exist.
func (s *Sourcer) AddLink(ctx context.Context, who identity.Actor, k store.SupplierLink, token []byte) (id int64, err error) {
	err = s.Store.Do(ctx, door.By(who, identity.LinkMake), func(tx *door.Tx) error {
		if id, err = store.AddSupplierLink(ctx, tx, k, token); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Link, id))
		tx.Changed(nil, map[string]any{"supplier": k.Supplier, "category": k.Category, "expires": k.Expires, "files": k.MaxFiles})
		return nil
	})
	return id, err
}

// RenewLink gives a supplier's link another address and a later end.
func (s *Sourcer) RenewLink(ctx context.Context, who identity.Actor, id int64, token []byte, expires time.Time) error {
	return s.Store.Do(ctx, door.By(who, identity.LinkRenew, audit.Of(identity.Link, id)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]any{"expires": expires})
		return store.RenewSupplierLink(ctx, tx, id, token, expires)
	})
}

// RevokeLink ends a supplier's link; what came through it stays.
func (s *Sourcer) RevokeLink(ctx context.Context, who identity.Actor, id int64) error {
	return s.Store.Do(ctx, door.By(who, identity.LinkRevoke, audit.Of(identity.Link, id)), func(tx *door.Tx) error {
		return store.RevokeSupplierLink(ctx, tx, id)
	})
}

// AddDropPerson lets someone drop files; password is the SHA-256 of theirs. store.ErrChanged means that there is
// a person of the name.
func (s *Sourcer) AddDropPerson(ctx context.Context, who identity.Actor, name string, password []byte) error {
	return s.Store.Do(ctx, door.By(who, identity.DropAdd), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]string{"name": name})
		return store.AddDropPerson(ctx, tx, name, password)
	})
}

// RemoveDropPerson lets someone drop no more files.
func (s *Sourcer) RemoveDropPerson(ctx context.Context, who identity.Actor, name string) error {
	return s.Store.Do(ctx, door.By(who, identity.DropRemove), func(tx *door.Tx) error {
		tx.Changed(map[string]string{"name": name}, nil)
		return store.RemoveDropPerson(ctx, tx, name)
	})
}

// AddClues keeps a clue list under a name, and returns its number. store.ErrNameTaken means that there is another.
func (s *Sourcer) AddClues(ctx context.Context, who identity.Actor, name string, clues pairing.ClueList) (id int64, err error) {
	err = s.Store.Do(ctx, door.By(who, identity.ClueListMake), func(tx *door.Tx) error {
		if id, err = store.AddClueList(ctx, tx, name, clues); err != nil {
			return err
		}
		tx.About(audit.Of(identity.ClueList, id))
		tx.Changed(nil, map[string]any{"name": name, "clues": clues})
		return nil
	})
	return id, err
}

// ChangeClues writes a clue list over the version that a person saw; store.ErrChanged means that it was changed
// since.
func (s *Sourcer) ChangeClues(ctx context.Context, who identity.Actor, l store.NamedClues) error {
	return s.Store.Do(ctx, door.By(who, identity.ClueListChange, audit.Of(identity.ClueList, l.ID)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]any{"name": l.Name, "clues": l.List})
		return store.ChangeClueList(ctx, tx, l)
	})
}

// RemoveClues forgets a clue list; what was read with it stays.
func (s *Sourcer) RemoveClues(ctx context.Context, who identity.Actor, id int64) error {
	return s.Store.Do(ctx, door.By(who, identity.ClueListRemove, audit.Of(identity.ClueList, id)), func(tx *door.Tx) error {
		return store.RemoveClueList(ctx, tx, id)
	})
}

// ReadWith says with which clue list a lot is read from now on (0 for the usual one), and with always whatever else
// comes from its origin.
func (s *Sourcer) ReadWith(ctx context.Context, who identity.Actor, lot, clues int64, always bool) error {
	return s.Store.Do(ctx, door.By(who, identity.LotReadWith, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
		if clues != 0 {
			tx.About(audit.Of(identity.ClueList, clues))
		}
		tx.Changed(nil, map[string]bool{"always": always})
		return store.ReadWith(ctx, tx, lot, clues, always)
	})
}

// Teach adds a step to the clue list that a lot is read with, and returns the list; a lot that is read with the usual
// clues gets a list of its own.
func (s *Sourcer) Teach(ctx context.Context, who identity.Actor, lot int64, step pairing.Step) (clues int64, err error) {
	err = s.Store.Do(ctx, door.By(who, identity.LotTeach, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
		if clues, err = store.Teach(ctx, tx, lot, step); err != nil {
			return err
		}
		tx.About(audit.Of(identity.ClueList, clues))
		tx.Changed(nil, step)
		return nil
	})
	return clues, err
}
