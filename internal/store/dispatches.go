package store

import (
	"context"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/acting"
	"ambrosa/core/dispatch"
	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
)

// Dispatch is what was handed on to an outlet at once.
type Dispatch struct {
	ID       int64             `json:"id"`
	OutletID int64             `json:"outletId" doc:"0 for one that is gone"`
	Outlet   string            `json:"outlet" doc:"Its name then"`
	Settings dispatch.Settings `json:"settings" doc:"As they were"`
	Actor    string            `json:"actor"`
	At       time.Time         `json:"at"`
	EndedAt  *time.Time        `json:"endedAt" doc:"Left out while it goes on"`
	Products int               `json:"products"`
	Pictures int               `json:"pictures" doc:"That went"`
	Held     int               `json:"held" doc:"That were held back"`
	Bytes    int64             `json:"bytes" doc:"Of the pictures"`
	Size     int64             `json:"size" doc:"Of the package, bytes; 0 where nothing went"`
	LetGoAt  *time.Time        `json:"letGoAt" doc:"When the package was, past its term; left out while it is there"`
}

const dispatchQuery = `select id, coalesce(outlet_id, 0) as outlet_id, outlet, settings, actor, at, ended_at, products, pictures, held,
	bytes, size, let_go_at from dispatch`

// Dispatches returns those of an outlet, or (0) all, the newest first.
func (s *Store) Dispatches(ctx context.Context, outlet int64, limit int) ([]Dispatch, error) {
	return list[Dispatch](ctx, s.Pool, dispatchQuery+` where $1 = 0 or outlet_id = $1 order by id desc limit $2`, outlet, limit)
}

// Dispatch returns one.
func (s *Store) Dispatch(ctx context.Context, id int64) (Dispatch, error) {
	return one[Dispatch](ctx, s.Pool, dispatchQuery+` where id = $1`, id)
}

// NewDispatch records one that is to be done, as its outlet wants it now.
func NewDispatch(ctx context.Context, tx pgx.Tx, who acting.Actor, to Outlet) (int64, error) {
	return number(ctx, tx, `insert into dispatch (outlet_id, outlet, settings, actor) values ($1, $2, $3, $4) returning id`,
		to.ID, to.Name, to.Settings, who.Name)
}

// DispatchedPicture is a picture of a dispatch: what it was, how it is called there, or why it
// did not go.
type DispatchedPicture struct {
	N       int    `json:"n"`
	Product int64  `json:"product"`
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
}

// DispatchedPictures returns some of a dispatch's pictures behind one, by number.
func (s *Store) DispatchedPictures(ctx context.Context, id int64, behind, limit int) ([]DispatchedPicture, error) {
	return list[DispatchedPicture](ctx, s.Pool, `select n, product_id as product, code, sku, title, view, place, alt, file_id as file, path,
			encode(sha256, 'hex') as sum, bytes, name, was, held, form, coalesce(encode(sent, 'hex'), '') as sent, sent_bytes, sent_at, answer
		from dispatch_picture where dispatch_id = $1 and n > $2 order by n limit $3`, id, behind, limit)
}

// EndDispatch records what became of a dispatch, picture by picture, once: a run that is done
// again writes nothing twice.
func (s *Store) EndDispatch(ctx context.Context, id int64, outcomes []dispatch.Outcome, totals dispatch.Totals, size int64) error {
	return s.Within(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update dispatch set ended_at = now(), products = $2, pictures = $3, held = $4, bytes = $5, size = $6
			where id = $1 and ended_at is null`, id, totals.Products, totals.Pictures, totals.Held, totals.Bytes, size)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		if _, err = tx.CopyFrom(ctx, pgx.Identifier{"dispatch_picture"}, dispatchedColumns, dispatched(id, 0, outcomes)); err != nil {
			return err
		}
		if _, err = tx.Exec(ctx, standing, id); err != nil {
			return err
		}
		return Notify(ctx, tx, Event{Topic: "dispatch", ID: id})
	})
}

var dispatchedColumns = []string{"dispatch_id", "n", "product_id", "variant_id", "code", "sku", "title", "view", "place", "alt", "file_id",
	"path", "sha256", "bytes", "name", "was", "held", "made", "form", "sent", "sent_bytes", "sent_at", "answer"}

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
			o.Bytes, o.Name, o.Was, o.Held, o.Made, o.Form, sent, o.SentBytes, at, o.Answer}, nil
	})
}

// standing records what pictures of a dispatch stand at its outlet from then on.
const standing = `insert into outlet_picture (outlet_id, product_id, variant_id, sha256, dispatch_id, name, code, sku, place, alt, made)
	select distinct on (p.product_id, p.variant_id, p.sha256) d.outlet_id, p.product_id, p.variant_id, p.sha256, d.id, p.name, p.code,
		p.sku, p.place, p.alt, p.made
	from dispatch d join dispatch_picture p on p.dispatch_id = d.id where d.id = $1 and d.outlet_id is not null and p.sent_at is not null
	order by p.product_id, p.variant_id, p.sha256, p.n
	on conflict (outlet_id, product_id, variant_id, sha256) do update set dispatch_id = excluded.dispatch_id, name = excluded.name,
		code = excluded.code, sku = excluded.sku, place = excluded.place, alt = excluded.alt, made = excluded.made`

// ToDispatch returns the pictures of the products that an outlet's settings choose, product by
// product, its own first, then those of its variants.
func (s *Store) ToDispatch(ctx context.Context, settings dispatch.Settings) ([]dispatch.Item, error) {
	where, args := ProductFilter{Query: settings.Query, Category: settings.Category}.where()
	if len(settings.SKUs) > 0 {
		where += ` and (lower(p.code) = any(@skus) or exists (select from variant v where v.product_id = p.id and lower(v.sku) = any(@skus)))`
		args["skus"] = lowered(settings.SKUs)
	}
	rows, err := s.Pool.Query(ctx, `
		select p.id, coalesce(pl.variant_id, 0), p.code, coalesce(nullif(p.ref, ''), p.id::text), coalesce(nullif(c.ref, ''), c.id::text, ''),
			coalesce(v.sku, w.sku, p.code), coalesce(nullif(v.title, ''), p.title), coalesce(v.options, '[]'), coalesce(v.gtin, w.gtin, ''),
			pl.view, pl.place, pl.alt, f.id, f.path, encode(f.sha256, 'hex'), f.bytes, coalesce(b.type, ''), coalesce(b.damage, ''), f.rights,
			f.licence, f.credit, f.expires::timestamptz, coalesce(b.width, 0), coalesce(b.height, 0), coalesce(b.frames, 1),
			coalesce(b.stated, '{}')
		from product p join placement pl on pl.product_id = p.id join file f on f.id = pl.file_id left join blob b on b.sha256 = f.sha256
		left join category c on c.id = p.category_id left join variant v on v.id = pl.variant_id
		left join lateral (select sku, gtin from variant where product_id = p.id and pl.variant_id is null
			order by position, id limit 1) w on true
		where `+where+` order by p.code, p.id, v.position nulls first, v.id nulls first, pl.place`, args)
	if err != nil {
		return nil, err
	}
	var items []dispatch.Item
	var i dispatch.Item
	var kind picturespec.Type
	_, err = pgx.ForEachRow(rows, []any{&i.Product, &i.Variant, &i.Code, &i.Picture.ID, &i.Category, &i.SKU, &i.Title, &i.Options, &i.GTIN,
		&i.View, &i.Place, &i.Alt, &i.File, &i.Picture.Name, &i.Sum, &i.Bytes, &kind, &i.Damage, &i.State, &i.Licence, &i.Credit, &i.Expires,
		&i.Width, &i.Height, &i.Frames, &i.Stated},
		func() error {
			i.Ending = kind.Ending()
			items = append(items, i)
			i.Options, i.Expires, i.Stated = nil, nil, rights.Stated{}
			return nil
		})
	return items, err
}

// PackagesPast returns the dispatches whose packages are past their term, some at a time.
func (s *Store) PackagesPast(ctx context.Context, term time.Duration) ([]int64, error) {
	return numbers(ctx, s.Pool, `select id from dispatch where size > 0 and let_go_at is null
		and ended_at < now() - make_interval(secs => $1) order by id limit 100`, term.Seconds())
}

// LetPackageGo records that the package of a dispatch is not there any more.
func (s *Store) LetPackageGo(ctx context.Context, id int64) error {
	_, err := s.Pool.Exec(ctx, `update dispatch set let_go_at = now() where id = $1`, id)
	return err
}

// SentTo returns how each picture went to an outlet last; of one that is not there (0), none.
func (s *Store) SentTo(ctx context.Context, outlet int64) ([]dispatch.Sent, error) {
	rows, err := s.Pool.Query(ctx, `select product_id, variant_id, encode(sha256, 'hex'), name, place, alt, made
		from outlet_picture where outlet_id = $1`, outlet)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (s dispatch.Sent, err error) {
		err = row.Scan(&s.Product, &s.Variant, &s.Sum, &s.Name, &s.Place, &s.Alt, &s.Made)
		return s, err
	})
}

func lowered(texts []string) []string {
	low := make([]string, 0, len(texts))
	for _, t := range texts {
		low = append(low, strings.ToLower(strings.TrimSpace(t)))
	}
	return low
}

// DispatchUnderWay tells whether a dispatch to an outlet waits or goes on.
func DispatchUnderWay(ctx context.Context, tx pgx.Tx, outlet int64) (busy bool, err error) {
	err = tx.QueryRow(ctx, `select exists (select from run r join dispatch d on d.id = r.dispatch_id where d.outlet_id = $1
		and r.state in ('queued', 'running', 'stopping'))`, outlet).Scan(&busy)
	return busy, err
}
