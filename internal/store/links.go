package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/door"
)

// SupplierLink is an address that a supplier opens without an account to hand
// in files.
type SupplierLink struct {
	ID       int64      `json:"id"`
	Supplier string     `json:"supplier"`
	Asker    string     `json:"asker" doc:"Who asks, as the supplier reads it"`
	Message  string     `json:"message" doc:"What the supplier reads"`
	Category string     `json:"category" doc:"Path of the category whose products without pictures are listed; empty for all"`
	Expires  time.Time  `json:"expires"`
	Revoked  *time.Time `json:"revoked"`
	MaxFiles int        `json:"maxFiles"`
	MaxBytes int64      `json:"maxBytes"`
	Rights   string     `json:"rights" enum:"cleared,restricted,unknown" doc:"Of what comes through it"`
	Licence  string     `json:"licence"`
	Credit   string     `json:"credit"`
	Files    int        `json:"files" doc:"Handed in"`
	Bytes    int64      `json:"bytes" doc:"Handed in"`
	Lots     int        `json:"lots"`
	State    string     `json:"state" enum:"open,full,expired,revoked"`
	Request  int64      `json:"request" doc:"That it is for; 0 for none: then products without a picture are asked for"`
}

const linkQuery = `
	select k.id, k.supplier, k.asker, k.message, k.category, k.expires_at as expires, k.revoked_at as revoked, k.max_files, k.max_bytes,
	k.rights, k.licence, k.credit, coalesce(k.request_id, 0) as request,
		coalesce(u.files, 0)::int as files, coalesce(u.bytes, 0)::bigint as bytes, coalesce(u.lots, 0)::int as lots,
		case when k.revoked_at is not null then 'revoked' when k.expires_at <= now() then 'expired'
			when coalesce(u.files, 0) >= k.max_files or coalesce(u.bytes, 0) >= k.max_bytes then 'full' else 'open' end as state
	from supplier_link k
	left join lateral (select count(*) as files, sum(u.bytes) as bytes, count(distinct l.id) as lots
		from lot l join upload u on u.lot_id = l.id where l.link_id = k.id) u on true`

// SupplierLinks returns all links, the newest first.
func (s *Store) SupplierLinks(ctx context.Context) ([]SupplierLink, error) {
	return list[SupplierLink](ctx, s.pool, linkQuery+` order by k.id desc`)
}

// SupplierLink returns one link.
func (s *Store) SupplierLink(ctx context.Context, id int64) (SupplierLink, error) {
	return one[SupplierLink](ctx, s.pool, linkQuery+` where k.id = $1`, id)
}

// SupplierLinkBy returns the link whose address ends with what has this
// SHA-256.
func (s *Store) SupplierLinkBy(ctx context.Context, token []byte) (SupplierLink, error) {
	return one[SupplierLink](ctx, s.pool, linkQuery+` where k.token = $1`, token)
}

// AddSupplierLink makes a link and returns its id; ErrNotFound where its category does not exist.
func AddSupplierLink(ctx context.Context, tx *door.Tx, k SupplierLink, token []byte) (id int64, err error) {
	if _, err := categoryOf(ctx, tx, k.Category); err != nil {
		return 0, err
	}
	return number(
		ctx,
		tx,
		`insert into supplier_link (token, supplier, asker, message, category, expires_at, max_files, max_bytes, rights, licence, credit,
			request_id)
		values (@token, @supplier, @asker, @message, @category, @expires, @files, @bytes, @rights, @licence, @credit,
			nullif(@request::bigint, 0)) returning id`,
		pgx.NamedArgs{
			"token":    token,
			"supplier": k.Supplier,
			"asker":    k.Asker,
			"message":  k.Message,
			"category": k.Category,
			"expires":  k.Expires,
			"files":    k.MaxFiles,
			"bytes":    k.MaxBytes,
			"rights":   k.Rights,
			"licence":  k.Licence,
			"credit":   k.Credit,
			"request":  k.Request,
		},
	)
}

// RenewSupplierLink gives a link another address and a later end; the address
// before leads nowhere from then on.
func RenewSupplierLink(ctx context.Context, tx *door.Tx, id int64, token []byte, expires time.Time) error {
	_, err := number(
		ctx, tx, `update supplier_link set token = $2, expires_at = $3, revoked_at = null where id = $1 returning id`, id,
		token, expires,
	)
	return err
}

// RevokeSupplierLink ends a link. What came through it stays.
func RevokeSupplierLink(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := number(ctx, tx, `update supplier_link set revoked_at = coalesce(revoked_at, now()) where id = $1 returning id`, id)
	return err
}

// LockLink keeps lots and uploads of a link one after the other until the
// transaction ends, and returns it as it is.
func LockLink(ctx context.Context, tx *door.Tx, id int64) (SupplierLink, error) {
	if _, err := number(ctx, tx, `select id from supplier_link where id = $1 for update`, id); err != nil {
		return SupplierLink{}, err
	}
	return one[SupplierLink](ctx, tx, linkQuery+` where k.id = $1`, id)
}

// LockLinkBy is LockLink for the link whose address ends with what has this
// SHA-256.
func LockLinkBy(ctx context.Context, tx *door.Tx, token []byte) (SupplierLink, error) {
	id, err := number(ctx, tx, `select id from supplier_link where token = $1`, token)
	if err != nil {
		return SupplierLink{}, err
	}
	return LockLink(ctx, tx, id)
}

// ForgetLinkLots forgets lots of a link that were opened longer ago than term and
// that nothing was begun for.
func ForgetLinkLots(ctx context.Context, tx *door.Tx, link int64, term time.Duration) error {
	_, err := tx.Exec(ctx, `delete from lot l where link_id = $1 and state = 'receiving' and created_at < now() - make_interval(secs => $2)
		and not exists (select from upload where lot_id = l.id)`, link, term.Seconds())
	return err
}

// LinkPromised returns how many files came through a link or are waited for.
func LinkPromised(ctx context.Context, tx *door.Tx, link int64) (int64, error) {
	return number(ctx, tx, `select coalesce(sum(greatest(u.n, case when l.state = 'receiving' then l.expected else 0 end)), 0)::bigint
		from lot l, lateral (select count(*) as n from upload where lot_id = l.id) u where l.link_id = $1`, link)
}

// CreateLinkLot opens a lot for what comes through a link.
func CreateLinkLot(ctx context.Context, tx *door.Tx, link int64, name string, uploads int) (id int64, err error) {
	id, err = number(ctx, tx, `insert into lot (name, origin, expected, link_id, actor_id) values ($1, 'link', $2, $3, $4) returning id`,
		name, uploads, link, tx.Who().ID)
	if err != nil {
		return 0, err
	}
	return id, tx.Announce(ctx, door.Event{Topic: "lot", ID: id})
}

// BeginLinkUpload records that an upload through a link has begun. ErrNotFound
// means that the lot is not the link's or does not wait for files.
func BeginLinkUpload(ctx context.Context, tx *door.Tx, link int64, u Upload) error {
	tag, err := tx.Exec(ctx, `insert into upload (id, lot_id, path, bytes) select $1, id, $3, $4 from lot
		where id = $2 and link_id = $5 and state = 'receiving'`, u.ID, u.LotID, u.Path, u.Bytes, link)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// LinkOfUpload returns the link that an upload that is not complete comes through.
func (s *Store) LinkOfUpload(ctx context.Context, upload string) (SupplierLink, error) {
	id, err := number(ctx, s.pool,
		`select l.link_id from upload u join lot l on l.id = u.lot_id
		where u.id = $1 and u.finished_at is null and l.link_id is not null`, upload)
	if err != nil {
		return SupplierLink{}, err
	}
	return s.SupplierLink(ctx, id)
}

// MissingProduct is a variant of a product that has no picture.
type MissingProduct struct {
	SKU   string `json:"sku"`
	Title string `json:"title"`
	GTIN  string `json:"gtin"`
}

// MissingProducts returns variants whose product has no picture, below a
// category ("" for all), in order of SKU, and how many there are.
func (s *Store) MissingProducts(ctx context.Context, category string, limit int) (missing []MissingProduct, total int64, err error) {
	from := `from variant v join product p on p.id = v.product_id left join category c on c.id = p.category_id
		where p.pictures = 0 and ($1 = '' or c.path = $1 or starts_with(c.path, $1 || ' / '))`
	if total, err = number(ctx, s.pool, `select count(*) `+from, category); err != nil {
		return nil, 0, err
	}
	missing, err = list[MissingProduct](
		ctx,
		s.pool,
		`select v.sku, trim(concat_ws(' ', coalesce(nullif(v.title, ''), p.title), (select string_agg(o->>'value', ', ')
			from jsonb_array_elements(v.options) o))) as title,
		coalesce(regexp_replace(v.gtin, '^0(?=[0-9]{13}$)', ''), '') as gtin `+from+` order by v.sku limit $2`,
		category,
		limit,
	)
	return missing, total, err
}

// LinkLeft returns how many bytes the link that a lot came through still takes,
// beside what its lots hold already, and whose it is; ErrNotFound means that the
// lot came through none.
func (s *Store) LinkLeft(ctx context.Context, lot int64) (bytes int64, supplier string, err error) {
	err = s.pool.QueryRow(ctx, `select greatest(0, k.max_bytes - coalesce((select sum(f.bytes) from lot o join file f on f.lot_id = o.id
		where o.link_id = k.id and f.sha256 is not null), 0)), k.supplier
		from lot l join supplier_link k on k.id = l.link_id where l.id = $1`, lot).
		Scan(&bytes, &supplier)
	return bytes, supplier, orNotFound(err)
}

// GiveLinkRights gives files that came through a supplier's link its rights.
func GiveLinkRights(ctx context.Context, tx *door.Tx, lot int64) error {
	_, err := tx.Exec(ctx, `update file f set rights = k.rights, licence = k.licence, credit = k.credit
		from lot l join supplier_link k on k.id = l.link_id where l.id = $1 and f.lot_id = l.id`, lot)
	return err
}
