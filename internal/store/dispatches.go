package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/dispatch"
	"ambrosa/core/rights"
	"ambrosa/internal/door"
)

// Dispatch is what was handed on to an outlet at once.
type Dispatch struct {
	ID         int64             `json:"id"`
	OutletID   int64             `json:"outletId" doc:"0 for one that is gone"`
	Outlet     string            `json:"outlet" doc:"Its name then"`
	Settings   dispatch.Settings `json:"settings" doc:"As they were"`
	Actor      string            `json:"actor"`
	At         time.Time         `json:"at"`
	EndedAt    *time.Time        `json:"endedAt" doc:"Left out while it goes on"`
	Products   int               `json:"products"`
	Pictures   int               `json:"pictures" doc:"That went"`
	Held       int               `json:"held" doc:"That were held back"`
	Removed    int               `json:"removed" doc:"That were taken away there"`
	Kind       string            `json:"kind" doc:"Of its outlet then"`
	Bytes      int64             `json:"bytes" doc:"Of the pictures"`
	Size       int64             `json:"size" doc:"Of the package, bytes; 0 where nothing went"`
	TakeAway   int               `json:"takeAway" doc:"How many a person said that may be taken away, where that is much of what stands there"`
	RenameUpTo int               `json:"renameUpTo" doc:"How many a person said may get new names, where that is much of what is there"`
	LinkUntil  *time.Time        `json:"linkUntil" doc:"Until when its package is taken by a link that was given out; left out for none"`
	LetGoAt    *time.Time        `json:"letGoAt" doc:"When the package was, past its term; left out while it is there"`
	Parts      int               `json:"parts" doc:"Of the package"`
	MailedAt   *time.Time        `json:"mailedAt" doc:"When the link to its package was sent; left out where it was not"`
}

const dispatchQuery = `select id, coalesce(outlet_id, 0) as outlet_id, outlet, settings, actor_name(actor_id) as actor, at,
	ended_at, products, pictures, held,
	removed, kind, bytes, size, take_away, rename_up_to, link_until, let_go_at, parts, mailed_at from dispatch`

// Dispatches returns those of an outlet, or (0) all, the newest first.
func (s *Store) Dispatches(ctx context.Context, outlet int64, limit int) ([]Dispatch, error) {
	return list[Dispatch](ctx, s.pool, dispatchQuery+` where $1 = 0 or outlet_id = $1 order by id desc limit $2`, outlet, limit)
}

// Dispatch returns one.
func (s *Store) Dispatch(ctx context.Context, id int64) (Dispatch, error) {
	return one[Dispatch](ctx, s.pool, dispatchQuery+` where id = $1`, id)
}

// NewDispatch records one that is to be done, as its outlet wants it now; takeAway and renameUpTo are
// how many a person said may be taken away there, and get new names, at once.
func NewDispatch(ctx context.Context, tx *door.Tx, to Outlet, takeAway, renameUpTo int) (int64, error) {
	return number(ctx, tx, `insert into dispatch (outlet_id, outlet, kind, settings, actor_id, take_away, rename_up_to)
		values ($1, $2, $3, $4, $5, $6, $7) returning id`, to.ID, to.Name, to.Kind, to.Settings, tx.Who().ID, takeAway, renameUpTo)
}

// DispatchedPicture is a picture of a dispatch: what it was, how it is called there, or why it
// did not go.
type DispatchedPicture struct {
	N       int    `json:"n"`
	Product int64  `json:"product" doc:"0 for a picture of a category"`
	Of      int64  `json:"category" doc:"That shows it; 0 for a picture of a product"`
	Code    string `json:"code"`
	SKU     string `json:"sku"`
	Title   string `json:"title"`
	View    string `json:"view"`
	Place   int    `json:"place"`
	Alt     string `json:"alt"`
	File    int64  `json:"file"`
	Path    string `json:"path" doc:"As it came"`
	Sum     string `json:"sum" doc:"SHA-256 of its bytes"`
	Bytes   int64  `json:"bytes"`
	Name    string `json:"name" doc:"There"`
	Was     string `json:"was" doc:"The name that it had there before; empty where it was new"`
	Held    string `json:"held" doc:"Why it did not go; empty for those that did"`

	Form      string     `json:"form" doc:"The form that it went in"`
	Sent      string     `json:"sent" doc:"SHA-256 of what went; empty where nothing did"`
	SentBytes int64      `json:"sentBytes"`
	SentAt    *time.Time `json:"sentAt" doc:"Left out where nothing went"`
	Answer    string     `json:"answer" doc:"What the other side said"`
	Removed   bool       `json:"removed" doc:"It was taken away there"`
	Exception string     `json:"exception" doc:"By whom it went although it may not be handed on, and why"`
}

// ReceiptFilter chooses pictures of a dispatch.
type ReceiptFilter struct {
	Query string // part of its name there or as it came, its SKU, or its product's code or title
	Only  string // went, held or removed; empty for all
}

// became are the conditions of what became of a picture.
var became = map[string]string{"": "true", "went": "held = '' and not removed", "held": "held <> ''", "removed": "removed"}

func (f ReceiptFilter) where() string {
	return ` from dispatch_picture where dispatch_id = $1 and ` + became[f.Only] + ` and ($2 = '' or strpos(lower(name), lower($2)) > 0
		or strpos(lower(path), lower($2)) > 0 or strpos(lower(sku), lower($2)) > 0 or strpos(lower(code), lower($2)) > 0
		or strpos(lower(title), lower($2)) > 0)`
}

// CountDispatched counts the pictures of a dispatch that a filter chooses.
func (s *Store) CountDispatched(ctx context.Context, id int64, f ReceiptFilter) (int64, error) {
	return number(ctx, s.pool, `select count(*)`+f.where(), id, f.Query)
}

// DispatchedPictures returns some of a dispatch's pictures, product by product and place by place,
// from behind one of them, by its number, 0 for the first.
func (s *Store) DispatchedPictures(ctx context.Context, id int64, f ReceiptFilter, behind, limit int) ([]DispatchedPicture, error) {
	return list[DispatchedPicture](ctx, s.pool, `select n, product_id as product, category_id as of, code, sku, title, view, place,
			alt, file_id as file, path, encode(sha256, 'hex') as sum, bytes, name, was, held, form,
			coalesce(encode(sent, 'hex'), '') as sent, sent_bytes, sent_at, answer, removed, exception
		`+f.where()+` and ($3 = 0 or (code, sku, place, n) >
			(select code, sku, place, n from dispatch_picture where dispatch_id = $1 and n = $3))
		order by code, sku, place, n limit $4`, id, f.Query, behind, limit)
}

// Ending is what a dispatch came to.
type Ending struct {
	Outcomes []dispatch.Outcome // that are not in the receipt yet
	Gone     []dispatch.Sent    // that its sheet says are not wanted there any more
	Totals   dispatch.Totals
	Size     int64                      // of the package, bytes; 0 for none
	Parts    int                        // of the package
	Slot     func(dispatch.Sent) string // where one stands
}

// GiveLink has the package of a dispatch taken by a link with a token, of which only a sum is kept,
// for some days; the one that was given out before is none any more. ErrNotFound means that there
// is no such package.
func GiveLink(ctx context.Context, tx *door.Tx, id int64, token string, days int) error {
	sum := sha256.Sum256([]byte(token))
	tag, err := tx.Exec(ctx, `update dispatch set link = $2, link_until = now() + make_interval(days => $3)
		where id = $1 and size > 0 and let_go_at is null`, id, sum[:], days)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// EndLink ends the link to the package of a dispatch. ErrNotFound means that none leads there.
func EndLink(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := number(ctx, tx, `update dispatch set link = null, link_until = null where id = $1 and link is not null returning id`, id)
	return err
}

// LinkedDispatch returns the dispatch whose package a link leads to, as long as it does.
func (s *Store) LinkedDispatch(ctx context.Context, token string) (Dispatch, error) {
	sum := sha256.Sum256([]byte(token))
	return one[Dispatch](ctx, s.pool, dispatchQuery+` where link = $1 and link_until > now()`, sum[:])
}

// HandedOn is a picture that went to an outlet, or was taken away there.
type HandedOn struct {
	Dispatch int64     `json:"dispatch"`
	Outlet   string    `json:"outlet" doc:"Its name then"`
	At       time.Time `json:"at"`
	Name     string    `json:"name" doc:"There"`
	Sum      string    `json:"sum" doc:"Of the file that it was made of"`
	Form     string    `json:"form"`
	Removed  bool      `json:"removed" doc:"It was taken away there"`
	Stands   bool      `json:"stands" doc:"It stands there still, as far as is known"`
}

// HandedOn returns what of a product, or (0) of a file, went to outlets, and when, the newest
// first.
func (s *Store) HandedOn(ctx context.Context, product, file int64, limit int) ([]HandedOn, error) {
	column, id := "product_id", product
	if product == 0 {
		column, id = "file_id", file
	}
	return list[HandedOn](ctx, s.pool, `select d.id as dispatch, d.outlet, p.sent_at as at, p.name, encode(p.sha256, 'hex') as sum, p.form,
			p.removed, not p.removed and exists (select from outlet_picture o where o.outlet_id = d.outlet_id and o.dispatch_id = d.id
				and o.product_id = p.product_id and o.variant_id = p.variant_id and o.category_id = p.category_id and o.sha256 = p.sha256) as stands
		from dispatch_picture p join dispatch d on d.id = p.dispatch_id where p.`+column+` = $1 and p.sent_at is not null
		order by p.sent_at desc, d.id desc, p.n limit $2`, id, limit)
}

// EndDispatch records what became of a dispatch, picture by picture, once: a run that is done
// again writes nothing twice. What was recorded as it went is counted from what is recorded.
func EndDispatch(ctx context.Context, tx *door.Tx, id int64, e Ending) error {
	var outlet int64
	var behind int
	err := tx.QueryRow(ctx, `select coalesce(outlet_id, 0), (select coalesce(max(n), 0) from dispatch_picture where dispatch_id = d.id)
		from dispatch d where id = $1 and ended_at is null for no key update of d`, id).Scan(&outlet, &behind)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{"dispatch_picture"}, dispatchedColumns, dispatched(id, behind, e.Outcomes)); err != nil {
		return err
	}
	var sent []dispatch.Sent
	for _, o := range e.Outcomes {
		if o.Held == "" {
			sent = append(sent, o.Sent())
		}
	}
	if err := referDispatched(ctx, tx, id, e.Outcomes); err != nil {
		return err
	}
	if err := stand(ctx, tx, outlet, id, sent, e.Slot); err != nil {
		return err
	}
	for i, g := range e.Gone {
		if err := removed(ctx, tx, outlet, id, behind+len(e.Outcomes)+i+1, g, e.Slot(g), "the sheet says so"); err != nil {
			return err
		}
	}
	if _, err := tx.Exec(ctx, closing+` where d.id = $1`, id, e.Size); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `update dispatch set parts = $2 where id = $1`, id, max(1, e.Parts)); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "dispatch", ID: id})
}

// closing ends dispatches, and counts what their receipts say.
const closing = `update dispatch d set ended_at = now(), size = $2,
	products = (select count(distinct product_id) from dispatch_picture p
		where p.dispatch_id = d.id and p.sent_at is not null and not removed and product_id <> 0),
	pictures = (select count(*) from dispatch_picture p where p.dispatch_id = d.id and p.sent_at is not null and not removed),
	held = (select count(*) from dispatch_picture p where p.dispatch_id = d.id and p.held <> ''),
	removed = (select count(*) from dispatch_picture p where p.dispatch_id = d.id and removed),
	bytes = (select coalesce(sum(sent_bytes), 0) from dispatch_picture p where p.dispatch_id = d.id and p.sent_at is not null)`

// CloseDispatches ends those of an outlet that broke off and were not gone on with: their
// receipts say what went.
func CloseDispatches(ctx context.Context, tx *door.Tx, outlet int64) error {
	_, err := tx.Exec(ctx, closing+` where d.outlet_id = $1 and d.ended_at is null`, outlet, 0)
	return err
}

// Sending notes that a picture is about to be written at an outlet. Until Handed says that it was, it
// may be there or not: it is sent again if it is wanted, and removed if it is not.
func Sending(ctx context.Context, tx *door.Tx, d Dispatch, o dispatch.Outcome, slot func(dispatch.Sent) string) error {
	sent := o.Sent()
	sent.Made = dispatch.Unsure
	return stand(ctx, tx, d.OutletID, d.ID, []dispatch.Sent{sent}, slot)
}

// Handed records a picture that went, as it went: in the receipt, and as standing there.
func Handed(ctx context.Context, tx *door.Tx, d Dispatch, n int, o dispatch.Outcome, slot func(dispatch.Sent) string) error {
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"dispatch_picture"}, dispatchedColumns, dispatched(d.ID, n-1, []dispatch.Outcome{o}))
	if err != nil {
		return err
	}
	if err := referDispatched(ctx, tx, d.ID, []dispatch.Outcome{o}); err != nil {
		return err
	}
	return stand(ctx, tx, d.OutletID, d.ID, []dispatch.Sent{o.Sent()}, slot)
}

// Removed records a picture that was taken away at an outlet.
func Removed(ctx context.Context, tx *door.Tx, d Dispatch, n int, gone dispatch.Sent, slot, answer string) error {
	return removed(ctx, tx, d.OutletID, d.ID, n, gone, slot, answer)
}

func removed(ctx context.Context, tx *door.Tx, outlet, id int64, n int, g dispatch.Sent, slot, answer string) error {
	sum, err := hex.DecodeString(g.Sum)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `insert into dispatch_picture (dispatch_id, n, product_id, variant_id, code, sku, title, view, place, alt, file_id,
			path, sha256, bytes, name, sent_at, answer, removed, category_id)
		values ($1, $2, $3, $4, $5, $6, '', '', $7, $8, 0, '', $9, 0, $10, now(), $11, true, $12)`,
		id, n, g.Product, g.Variant, g.Code, g.SKU, g.Place, g.Alt, sum, g.Name, answer, g.Category)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `delete from outlet_picture where outlet_id = $1 and slot = `+slotSum("$2"), outlet, slot)
	return err
}

// DispatchedSoFar is how many lines the receipt of a dispatch has.
func (s *Store) DispatchedSoFar(ctx context.Context, id int64) (int, error) {
	n, err := number(ctx, s.pool, `select coalesce(max(n), 0) from dispatch_picture where dispatch_id = $1`, id)
	return int(n), err
}

// EarlierNames returns the names that pictures had which a dispatch sent under other names.
func (s *Store) EarlierNames(ctx context.Context, id int64) (map[string]bool, error) {
	rows, err := s.pool.Query(ctx, `select was from dispatch_picture where dispatch_id = $1 and held = '' and not removed and was <> ''
		and was <> name`, id)
	if err != nil {
		return nil, err
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	return setOf(names), err
}

// CountMoved counts the pictures of a dispatch that were sent under new names and whose earlier names were deleted.
func (s *Store) CountMoved(ctx context.Context, id int64) (int, error) {
	n, err := number(ctx, s.pool, `select count(*) from dispatch_picture gone where dispatch_id = $1 and removed and exists (select from
		dispatch_picture where dispatch_id = $1 and held = '' and not removed and was = gone.name and was <> name)`, id)
	return int(n), err
}

// StillStands returns the rights of a file that stands where an item says; there is none where it
// does not any more, or is held for purging.
func (s *Store) StillStands(ctx context.Context, i dispatch.Item) (found rights.Rights, stands bool, err error) {
	variant := i.Variant
	if i.Shared {
		variant = 0
	}
	err = s.pool.QueryRow(ctx, `select f.rights, f.licence, f.credit, f.expires::timestamptz from file f
		where f.id = $4 and exists (select from placement where file_id = f.id and coalesce(product_id, 0) = $1
			and coalesce(variant_id, 0) = $2 and coalesce(category_id, 0) = $3)`, i.Product, variant, i.Of, i.File).
		Scan(&found.State, &found.Licence, &found.Credit, &found.Expires)
	if errors.Is(err, pgx.ErrNoRows) {
		return found, false, nil
	}
	return found, err == nil, err
}

var dispatchedColumns = []string{"dispatch_id", "n", "product_id", "variant_id", "code", "sku", "title", "view", "place", "alt", "file_id",
	"path", "sha256", "bytes", "name", "was", "held", "made", "form", "sent", "sent_bytes", "sent_at", "answer", "category_id", "exception"}

// dispatched are the rows of outcomes, numbered behind a number.
func dispatched(id int64, behind int, outcomes []dispatch.Outcome) pgx.CopyFromSource {
	return pgx.CopyFromSlice(len(outcomes), func(i int) ([]any, error) {
		o := outcomes[i]
		sums, err := unhexed([]string{o.Sum, o.SentSum})
		if err != nil {
			return nil, err
		}
		var sent []byte
		var at *time.Time
		if o.Held == "" {
			sent, at = sums[1], &o.SentAt
		}
		return []any{id, behind + i + 1, o.Product, o.Variant, o.Code, o.SKU, o.Title, o.View, o.Place, o.Alt, o.File, o.Picture.Name, sums[0],
			o.Bytes, o.Name, o.Was, o.Held, o.Made, o.Form, sent, o.SentBytes, at, o.Answer, o.Of, o.Because}, nil
	})
}

// stand records how pictures stand at an outlet from then on, each in its slot: what was in it
// before does not stand there any more.
func stand(ctx context.Context, tx *door.Tx, outlet, dispatch int64, sent []dispatch.Sent, slot func(dispatch.Sent) string) error {
	if outlet == 0 { // it was forgotten meanwhile
		return nil
	}
	var rows struct {
		products, variants []int64
		categories         []int64
		sums               [][]byte
		slots, names       []string
		codes, skus        []string
		places             []int
		alts, made         []string
	}
	for _, s := range sent {
		sum, err := hex.DecodeString(s.Sum)
		if err != nil {
			return err
		}
		rows.products, rows.variants, rows.sums = append(rows.products, s.Product), append(rows.variants, s.Variant), append(rows.sums, sum)
		rows.slots, rows.names, rows.codes = append(rows.slots, slot(s)), append(rows.names, s.Name), append(rows.codes, s.Code)
		rows.skus, rows.places = append(rows.skus, s.SKU), append(rows.places, s.Place)
		rows.alts, rows.made = append(rows.alts, s.Alt), append(rows.made, s.Made)
		rows.categories = append(rows.categories, s.Category)
	}
	_, err := tx.Exec(ctx, `insert into outlet_picture (outlet_id, dispatch_id, product_id, variant_id, sha256, slot, name, code, sku, place,
			alt, made, category_id)
		select distinct on (w.slot) $1, $2, w.product, w.variant, w.sum, `+slotSum("w.slot")+`, w.name, w.code, w.sku, w.place, w.alt,
			w.made, w.category
		from unnest($3::bigint[], $4::bigint[], $5::bytea[], $6::text[], $7::text[], $8::text[], $9::text[], $10::int[], $11::text[],
			$12::text[], $13::bigint[]) with ordinality as w (product, variant, sum, slot, name, code, sku, place, alt, made, category, n)
		order by w.slot, w.n desc
		on conflict (outlet_id, slot) do update set dispatch_id = excluded.dispatch_id, product_id = excluded.product_id,
			variant_id = excluded.variant_id, sha256 = excluded.sha256, name = excluded.name, code = excluded.code, sku = excluded.sku,
			place = excluded.place, alt = excluded.alt, made = excluded.made, category_id = excluded.category_id`,
		outlet, dispatch, rows.products, rows.variants, rows.sums, rows.slots, rows.names, rows.codes, rows.skus, rows.places, rows.alts,
		rows.made, rows.categories)
	return err
}

// slotSum is a slot as it is kept: some are longer than what an index holds.
func slotSum(slot string) string { return "sha256(convert_to(" + slot + ", 'UTF8'))" }

// PackagesPast returns the dispatches whose packages are past their term, some at a time.
func (s *Store) PackagesPast(ctx context.Context, term time.Duration) ([]int64, error) {
	return numbers(ctx, s.pool, `select id from dispatch where kind in ('package', 'mail') and let_go_at is null
		and ended_at < now() - make_interval(secs => $1) order by id limit 100`, term.Seconds())
}

// LetPackageGo records that the package of a dispatch is not there any more.
func LetPackageGo(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := tx.Exec(ctx, `update dispatch set let_go_at = now() where id = $1`, id)
	return err
}

// SentTo returns what stands at an outlet, slot by slot, what went last at the end; of one that is
// not there (0), none.
func (s *Store) SentTo(ctx context.Context, outlet int64) ([]dispatch.Sent, error) {
	rows, err := s.pool.Query(ctx, `select product_id, variant_id, encode(sha256, 'hex'), name, code, sku, place, alt, made, category_id
		from outlet_picture where outlet_id = $1 order by dispatch_id`, outlet)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (s dispatch.Sent, err error) {
		err = row.Scan(&s.Product, &s.Variant, &s.Sum, &s.Name, &s.Code, &s.SKU, &s.Place, &s.Alt, &s.Made, &s.Category)
		return s, err
	})
}

// DispatchUnderWay tells whether a dispatch to an outlet waits or goes on.
func DispatchUnderWay(ctx context.Context, tx *door.Tx, outlet int64) (busy bool, err error) {
	err = tx.QueryRow(ctx, `select exists (select from run r join dispatch d on d.id = r.dispatch_id where d.outlet_id = $1
		and r.state in ('queued', 'running', 'stopping'))`, outlet).Scan(&busy)
	return busy, err
}

// AllAgain has an outlet take all for changed that stands there, names and all.
func AllAgain(ctx context.Context, tx *door.Tx, outlet int64) error {
	_, err := tx.Exec(ctx, `update outlet_picture set made = 'again' where outlet_id = $1`, outlet)
	return err
}

// LinkMailed records that the link to a dispatch's package was sent.
func LinkMailed(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := tx.Exec(ctx, `update dispatch set mailed_at = now() where id = $1`, id)
	return err
}
