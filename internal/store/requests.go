package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/door"
)

// ShotRequest is pictures that somebody was asked for.
type ShotRequest struct {
	ID       int64      `json:"id"`
	Name     string     `json:"name"`
	Category string     `json:"category" doc:"That it was made of; empty for the whole catalog"`
	Actor    string     `json:"actor"`
	At       time.Time  `json:"at"`
	ClosedAt *time.Time `json:"closedAt" doc:"When nobody waited for the rest any more; left out while somebody does"`
	Shots    int        `json:"shots"`
	Came     int        `json:"came" doc:"Of them, that came for it and stand where they should"`

	Otherwise int `json:"otherwise" doc:"Of them, that are there by pictures that had come before it was made"`
}

const requestQuery = `select r.id, r.name, r.category, actor_name(r.actor_id) as actor, r.at, r.closed_at, s.shots, s.came,
	s.otherwise from request r
	cross join lateral (select count(*)::int as shots, (count(came_at) filter (where not otherwise))::int as came,
		(count(*) filter (where otherwise))::int as otherwise from request_shot where request_id = r.id) s`

// Requests returns all, the newest first.
func (s *Store) Requests(ctx context.Context) ([]ShotRequest, error) {
	return list[ShotRequest](ctx, s.pool, requestQuery+` order by r.id desc limit 500`)
}

// Request returns one.
func (s *Store) Request(ctx context.Context, id int64) (ShotRequest, error) {
	return one[ShotRequest](ctx, s.pool, requestQuery+` where r.id = $1`, id)
}

// RequestShot is a picture that was asked for.
type RequestShot struct {
	N          int        `json:"n"`
	Product    int64      `json:"product"`
	SKU        string     `json:"sku"`
	Title      string     `json:"title"`
	View       string     `json:"view"`
	Nth        int        `json:"nth" doc:"Of its view"`
	Least      int        `json:"least" doc:"Longer side at least, pixels; 0 for any"`
	Background string     `json:"background"`
	Name       string     `json:"name" doc:"That the file should have"`
	CameAt     *time.Time `json:"cameAt" doc:"When it was found there; left out while it is waited for"`
	Otherwise  bool       `json:"otherwise" doc:"It is there by a picture that had come before it was asked for"`
}

// RequestShots returns some of a request's pictures behind one, by number.
func (s *Store) RequestShots(ctx context.Context, id int64, behind, limit int) ([]RequestShot, error) {
	return list[RequestShot](ctx, s.pool, `select n, product_id as product, sku, title, view, nth, least, background, name, came_at, otherwise
		from request_shot where request_id = $1 and n > $2 order by n limit $3`, id, behind, limit)
}

// WaitingShots returns those of a request that are still waited for, the first of them, and how many
// there are.
func (s *Store) WaitingShots(ctx context.Context, id int64, limit int) (shots []RequestShot, total int64, err error) {
	if total, err = number(ctx, s.pool, `select count(*) from request_shot where request_id = $1 and came_at is null`, id); err != nil {
		return nil, 0, err
	}
	shots, err = list[RequestShot](ctx, s.pool, `select n, product_id as product, sku, title, view, nth, least, background, name, came_at,
			otherwise
		from request_shot where request_id = $1 and came_at is null order by n limit $2`, id, limit)
	return shots, total, err
}

// AskedShot is a picture that somebody was asked for and that is still waited for.
type AskedShot struct {
	Product int64
	View    string
	Nth     int
}

// AskedShots returns all in requests that are open.
func (s *Store) AskedShots(ctx context.Context) (map[AskedShot]bool, error) {
	all, err := list[AskedShot](ctx, s.pool, `select distinct s.product_id as product, s.view, s.nth
		from request_shot s join request r on r.id = s.request_id where s.came_at is null and r.closed_at is null`)
	asked := make(map[AskedShot]bool, len(all))
	for _, one := range all {
		asked[one] = true
	}
	return asked, err
}

// Wanting is a product that lacks some of what its list wants.
type Wanting struct {
	Product int64
	SKU     string // of its first variant, or its code
	Title   string
	List    int64
	Have    []int16
}

// Wanting returns the products that lack something, as a filter chooses them, by code.
func (s *Store) Wanting(ctx context.Context, f CoverageFilter) ([]Wanting, error) {
	where, args := f.where()
	return list[Wanting](ctx, s.pool, `select p.id as product, coalesce(v.sku, p.code) as sku, p.title, k.list_id as list, k.have
		from coverage k join product p on p.id = k.product_id left join lateral (
			select sku from variant where product_id = p.id order by position, id limit 1) v on true
		where k.filled < k.wanted and `+where+` order by p.code, p.id`, args)
}

// NewRequest keeps a request with its pictures.
func NewRequest(ctx context.Context, tx *door.Tx, name, category string, shots []RequestShot) (int64, error) {
	id, err := number(ctx, tx, `insert into request (name, category, actor_id) values ($1, $2, $3) returning id`, name, category, tx.Who().ID)
	if err != nil {
		return 0, err
	}
	_, err = tx.CopyFrom(ctx, pgx.Identifier{"request_shot"}, []string{"request_id", "n", "product_id", "sku", "title", "view", "nth", "least",
		"background", "name"}, pgx.CopyFromSlice(len(shots), func(i int) ([]any, error) {
		r := shots[i]
		return []any{id, i + 1, r.Product, r.SKU, r.Title, r.View, r.Nth, r.Least, r.Background, r.Name}, nil
	}))
	return id, err
}

// CloseRequest says that nobody waits for the rest of a request, or (open) that somebody does
// again.
func CloseRequest(ctx context.Context, tx *door.Tx, id int64, open bool) error {
	tag, err := tx.Exec(ctx, `update request set closed_at = case when $2 then null else now() end where id = $1`, id, open)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrNotFound
	}
	return err
}
