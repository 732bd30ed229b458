package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/door"
)

// LookupCode is a barcode that a service is asked for, with the product that
// has it.
type LookupCode struct {
	ID         int64             `json:"id"`
	Code       string            `json:"code" doc:"14 digits, or as it was entered where it is wrong"`
	State      string            `json:"state" enum:"open,found,nothing,wrong,failed"`
	Message    string            `json:"message"`
	AskedAt    *time.Time        `json:"askedAt"`
	Product    int64             `json:"product" doc:"0 when no product has it"`
	SKU        string            `json:"sku"`
	Title      string            `json:"title"`
	Pictures   int               `json:"pictures" doc:"That the product has already"`
	Candidates []LookupCandidate `json:"candidates" nullable:"false" db:"-"`
}

// LookupCandidate is a picture that a service answered with.
type LookupCandidate struct {
	ID      int64  `json:"id"`
	CodeID  int64  `json:"-"`
	Address string `json:"address"`
	Title   string `json:"title" doc:"As the service calls the product"`
	Type    string `json:"type"`
	Width   int    `json:"width"`
	Height  int    `json:"height"`
	Bytes   int64  `json:"bytes"`
	Tag     string `json:"-"`
	Problem string `json:"problem"`
	State   string `json:"state" enum:"open,taken,declined"`
}

// AskFor notes barcodes to be asked of a service, those left out that it was
// asked for before; failed ones are asked again. It returns how many wait now.
func AskFor(ctx context.Context, tx *door.Tx, origin int64, codes []LookupCode) (waiting int64, err error) {
	batch := &pgx.Batch{}
	for _, c := range codes {
		batch.Queue(`insert into lookup_code (origin_id, code, state, message) values ($1, $2, $3, $4)
			on conflict (origin_id, code) do update set state = 'open' where lookup_code.state = 'failed'`, origin, c.Code, c.State, c.Message)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return 0, err
	}
	return number(ctx, tx, `select count(*) from lookup_code where origin_id = $1 and state = 'open'`, origin)
}

// BarcodesWithoutPicture returns the barcodes of variants whose product has no
// picture.
func (s *Store) BarcodesWithoutPicture(ctx context.Context) ([]string, error) {
	rows, err := s.pool.Query(
		ctx,
		`select distinct v.gtin from variant v join product p on p.id = v.product_id where p.pictures = 0 and v.gtin is not null order by 1`,
	)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// BarcodesOf returns the barcodes of products' variants.
func (s *Store) BarcodesOf(ctx context.Context, products []int64) ([]string, error) {
	rows, err := s.pool.Query(ctx, `select distinct gtin from variant where product_id = any($1) and gtin is not null order by 1`, products)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// SomeBarcode returns a barcode of the catalog to try a service with; "" for
// none.
func (s *Store) SomeBarcode(ctx context.Context) (code string, err error) {
	err = s.pool.QueryRow(ctx, `select coalesce((select gtin from variant where gtin is not null order by id limit 1), '')`).Scan(&code)
	return code, err
}

// CountAsk counts a request to a service and tells whether it is within a
// quota a day; 0 is no quota.
func CountAsk(ctx context.Context, tx *door.Tx, origin int64, quota int) (within bool, err error) {
	tag, err := tx.Exec(ctx, `insert into lookup_day (origin_id, day, asked) values ($1, current_date, 1)
		on conflict (origin_id, day) do update set asked = lookup_day.asked + 1 where $2 = 0 or lookup_day.asked < $2`, origin, quota)
	return tag.RowsAffected() > 0, err
}

// NextCodes returns barcodes that are to be asked for.
func (s *Store) NextCodes(ctx context.Context, origin int64, limit int) ([]LookupCode, error) {
	return list[LookupCode](ctx, s.pool, codeQuery+` where c.origin_id = $1 and c.state = 'open' order by c.id limit $2`, origin, limit)
}

// OpenCodes counts the barcodes that are to be asked for.
func (s *Store) OpenCodes(ctx context.Context, origin int64) (int64, error) {
	return number(ctx, s.pool, `select count(*) from lookup_code where origin_id = $1 and state = 'open'`, origin)
}

const codeQuery = `
	select c.id, c.code, c.state, c.message, c.asked_at, coalesce(p.id, 0) as product, coalesce(v.sku, '') as sku, coalesce(p.title,
	'') as title, coalesce(p.pictures, 0) as pictures
	from lookup_code c
	left join lateral (select product_id, sku from variant where gtin = c.code order by id limit 1) v on true
	left join product p on p.id = v.product_id`

// Answered records what a service answered for a barcode.
func Answered(ctx context.Context, tx *door.Tx, origin int64, c LookupCode) error {
	batch := &pgx.Batch{}
	batch.Queue(`update lookup_code set state = $2, message = $3, asked_at = now() where id = $1`, c.ID, c.State, c.Message)
	for _, a := range c.Candidates {
		batch.Queue(
			`insert into lookup_candidate (code_id, address, title, type, width, height, bytes, tag, problem) values ($1, $2, $3, $4, $5, $6, $7,
				$8, $9) on conflict do nothing`,
			c.ID, a.Address, a.Title, a.Type, a.Width, a.Height, a.Bytes, a.Tag, a.Problem,
		)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "lookup", ID: origin})
}

// LookupCounts counts a service's barcodes by what became of them.
type LookupCounts struct {
	Open    int64 `json:"open"`
	Choose  int64 `json:"choose" doc:"With candidates to choose from"`
	Done    int64 `json:"done" doc:"Chosen from, or declined"`
	Nothing int64 `json:"nothing"`
	Wrong   int64 `json:"wrong"`
	Failed  int64 `json:"failed"`
	Today   int64 `json:"today" doc:"Requests today"`
	Missing int64 `json:"missing" doc:"Barcodes of products without a picture that were not asked for"`
}

// LookupCounts counts a service's barcodes.
func (s *Store) LookupCounts(ctx context.Context, origin int64) (LookupCounts, error) {
	return one[LookupCounts](ctx, s.pool, `
		select count(*) filter (where state = 'open') as open, count(*) filter (where state = 'found' and candidates) as choose,
		count(*) filter (where state = 'found' and not candidates) as done,
			count(*) filter (where state = 'nothing') as nothing, count(*) filter (where state = 'wrong') as wrong,
			count(*) filter (where state = 'failed') as failed,
			coalesce((select asked from lookup_day where origin_id = $1 and day = current_date), 0)::bigint as today,
			(select count(distinct v.gtin) from variant v join product p on p.id = v.product_id where p.pictures = 0 and v.gtin is not null
				and not exists (select from lookup_code c where c.origin_id = $1 and c.code = v.gtin and c.state <> 'failed')) as missing
		from (select state, exists (select from lookup_candidate where code_id = c.id and state = 'open' and problem = '') as candidates
		from lookup_code c where origin_id = $1) c`, origin)
}

// LookupCodes returns a page of a service's barcodes with their candidates: in
// state "choose" those with open candidates, in "done" those without, else by
// state.
func (s *Store) LookupCodes(
	ctx context.Context,
	origin int64,
	state string,
	offset, limit int,
) (page []LookupCode, total int64, err error) {
	const open = `exists (select from lookup_candidate where code_id = c.id and state = 'open' and problem = '')`
	where := ` where c.origin_id = $1 and c.state = $2`
	switch state {
	case "choose":
		where, state = where+" and "+open, "found"
	case "done":
		where, state = where+" and not "+open, "found"
	}
	if total, err = number(ctx, s.pool, `select count(*) from lookup_code c`+where, origin, state); err != nil {
		return nil, 0, err
	}
	if page, err = list[LookupCode](ctx, s.pool, codeQuery+where+` order by c.id offset $3 limit $4`, origin, state, offset,
		limit); err != nil {
		return nil, 0, err
	}
	ids, at := make([]int64, len(page)), map[int64]int{}
	for i := range page {
		ids[i], at[page[i].ID], page[i].Candidates = page[i].ID, i, []LookupCandidate{}
	}
	found, err := list[LookupCandidate](
		ctx,
		s.pool,
		candidateQuery+` where code_id = any($1) order by width::bigint * height desc, id`,
		ids,
	)
	for _, c := range found {
		i := at[c.CodeID]
		page[i].Candidates = append(page[i].Candidates, c)
	}
	return page, total, err
}

const candidateQuery = `select id, code_id, address, title, type, width, height, bytes, tag, problem, state from lookup_candidate`

// TakeCandidates marks open candidates as taken and returns them as files to be
// fetched, each with the barcode it was found for.
func TakeCandidates(
	ctx context.Context,
	tx *door.Tx,
	origin int64,
	ids []int64,
) (chosen []LookupCandidate, codes map[int64]string, err error) {
	if chosen, err = list[LookupCandidate](ctx, tx, `with taken as (
			update lookup_candidate a set state = 'taken' from lookup_code c where a.id = any($2) and a.state = 'open' and a.problem = ''
			and c.id = a.code_id and c.origin_id = $1 returning a.*)
		select id, code_id, address, title, type, width, height, bytes, tag, problem, state from taken
		order by code_id, id`, origin, ids); err != nil {
		return nil, nil, err
	}
	// What stands beside the chosen ones is declined.
	if _, err := tx.Exec(ctx, `update lookup_candidate set state = 'declined' where state = 'open' and code_id in (select code_id
		from lookup_candidate where id = any($1))`, ids); err != nil {
		return nil, nil, err
	}
	codes = map[int64]string{}
	rows, err := tx.Query(
		ctx,
		`select id, code from lookup_code where origin_id = $1 and id in (select code_id from lookup_candidate where id = any($2))`,
		origin, ids,
	)
	if err != nil {
		return nil, nil, err
	}
	var id int64
	var code string
	_, err = pgx.ForEachRow(rows, []any{&id, &code}, func() error {
		codes[id] = code
		return nil
	})
	return chosen, codes, err
}

// DeclineCandidates puts all open candidates of a barcode aside, or opens those
// again that were declined.
func DeclineCandidates(ctx context.Context, tx *door.Tx, origin, code int64, decline bool) error {
	from, to := "open", "declined"
	if !decline {
		from, to = to, from
	}
	tag, err := tx.Exec(
		ctx,
		`update lookup_candidate a set state = $4 from lookup_code c where c.id = a.code_id and c.origin_id = $1 and c.id = $2 and a.state = $3`,
		origin, code, from, to,
	)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "lookup", ID: origin})
}
