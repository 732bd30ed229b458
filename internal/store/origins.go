package store

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/harvest"
	"ambrosa/core/rights"
	"ambrosa/internal/door"
)

// Kinds of origins that are not drives.
const (
	RecipeKind = "recipe" // a supplier's site, read by a page recipe
	PagesKind  = "pages"  // single pages, of which a person chooses pictures
	LookupKind = "lookup" // a service that answers barcodes with pictures
)

// Origin is a place that files are fetched from.
type Origin struct {
	ID           int64             `json:"id"`
	Kind         string            `json:"kind"`
	Name         string            `json:"name"`
	Settings     map[string]string `json:"settings" doc:"Without the secrets"`
	Secrets      json.RawMessage   `json:"-"`
	Pinned       string            `json:"pinned" doc:"What the other side is told by: its host key"`
	Selection    harvest.Selection `json:"selection"`
	Recipe       *harvest.Recipe   `json:"recipe,omitempty" doc:"How the pages are read, of a page recipe"`
	Folder       string            `json:"folder" doc:"What is taken, with all below it"`
	State        string            `json:"state" enum:"ready,failing"`
	Message      string            `json:"message" doc:"What is wrong"`
	EveryMinutes int               `json:"everyMinutes" minimum:"0" doc:"0: by hand only"`
	NextAt       *time.Time        `json:"nextAt"`
	FetchedAt    *time.Time        `json:"fetchedAt"`
	Rights       string            `json:"rights" enum:"cleared,restricted,unknown"`
	Licence      string            `json:"licence"`
	Credit       string            `json:"credit"`
	Expires      *time.Time        `json:"expires"`
	Files        int64             `json:"files" doc:"Brought so far, and still there"`
	Gone         int64             `json:"gone" doc:"Brought once, and not there any more"`
	Lots         int64             `json:"lots"`
	Running      bool              `json:"running"`
	Version      int               `json:"version" doc:"Counts the changes of its settings"`
}

const originQuery = `
	select o.id, o.kind, o.name, o.settings, o.secrets, o.pinned, o.selection, o.recipe, o.folder, o.state, o.message, o.every_minutes,
	o.next_at, o.fetched_at, o.version,
		o.rights, o.licence, o.credit, o.expires::timestamptz as expires, coalesce(i.files, 0) as files, coalesce(i.gone, 0) as gone,
		(select count(*) from lot l where l.origin_id = o.id) as lots,
		exists (select from run r where r.origin_id = o.id and r.state in ('queued', 'running', 'stopping')) as running
	from origin o left join lateral (
		select count(*) filter (where gone_at is null) as files, count(*) filter (where gone_at is not null) as gone
		from origin_item where origin_id = o.id) i on true`

// Origins returns all origins in order of name.
func (s *Store) Origins(ctx context.Context) ([]Origin, error) {
	return list[Origin](ctx, s.pool, originQuery+` order by lower(o.name), o.id`)
}

// Origin returns one origin.
func (s *Store) Origin(ctx context.Context, id int64) (Origin, error) {
	return one[Origin](ctx, s.pool, originQuery+` where o.id = $1`, id)
}

// OriginIn returns one origin as a transaction sees it.
func OriginIn(ctx context.Context, tx *door.Tx, id int64) (Origin, error) {
	return one[Origin](ctx, tx, originQuery+` where o.id = $1`, id)
}

// SaveOrigin writes an origin, a new one when its ID is 0, and returns its id. One that is there is changed as its
// version was; ErrChanged means that it has another by now.
func SaveOrigin(ctx context.Context, tx *door.Tx, o Origin) (id int64, err error) {
	if o.Secrets == nil {
		o.Secrets = json.RawMessage("{}")
	}
	args := pgx.NamedArgs{
		"id":        o.ID,
		"kind":      o.Kind,
		"name":      o.Name,
		"settings":  o.Settings,
		"secrets":   o.Secrets,
		"pinned":    o.Pinned,
		"selection": o.Selection,
		"recipe":    o.Recipe,
		"folder":    o.Folder,
		"every":     o.EveryMinutes,
		"rights":    o.Rights,
		"licence":   o.Licence,
		"credit":    o.Credit,
		"expires":   o.Expires,
		"version":   o.Version,
	}
	query := `insert into origin (kind, name, settings, secrets, pinned, selection, recipe, folder, every_minutes, next_at, rights, licence,
		credit, expires)
		values (@kind, @name, @settings, @secrets, @pinned, @selection, @recipe, @folder, @every, case when @every > 0 then now() end, @rights,
		@licence, @credit, @expires) returning id`
	if o.ID != 0 {
		query = `update origin set name = @name, settings = @settings, secrets = @secrets, pinned = @pinned, selection = @selection,
			recipe = @recipe, folder = @folder,
			next_at = case when @every = 0 then null when every_minutes = @every then next_at else now() end, every_minutes = @every,
			rights = @rights, licence = @licence, credit = @credit, expires = @expires, state = 'ready', message = '',
			version = version + 1 where id = @id returning id`
		if now, err := number(ctx, tx, `select version from origin where id = @id for update`, args); err != nil || int(now) != o.Version {
			return o.ID, cmp.Or(err, ErrChanged)
		}
	}
	if o.ID != 0 && o.Recipe != nil { // another recipe may find more on pages that are known
		if _, err := tx.Exec(ctx, `delete from origin_page where origin_id = @id and exists (select from origin where id = @id
			and recipe is distinct from @recipe)`, args); err != nil {
			return id, err
		}
	}
	if id, err = number(ctx, tx, query, args); err != nil {
		return id, err
	}
	return id, tx.Announce(ctx, door.Event{Topic: "origin", ID: id})
}

// PagesOrigin returns the origin of pictures that are taken from single pages;
// it is made when it is first needed.
func PagesOrigin(ctx context.Context, tx *door.Tx) (Origin, error) {
	if _, err := tx.Exec(ctx, `insert into origin (kind, name) select $1, 'Single pages' where not exists (select from origin
		where kind = $1)`, PagesKind); err != nil {
		return Origin{}, err
	}
	return one[Origin](ctx, tx, originQuery+` where o.kind = $1 order by o.id limit 1`, PagesKind)
}

// DeleteOrigin forgets an origin; the lots it brought stay.
func DeleteOrigin(ctx context.Context, tx *door.Tx, id int64) error {
	tag, err := tx.Exec(ctx, `delete from origin where id = $1`, id)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "origin", ID: id})
}

// OriginFetched records how a fetch ended: message is "" when nothing was wrong.
func OriginFetched(ctx context.Context, tx *door.Tx, id int64, pinned, message string) error {
	if _, err := tx.Exec(ctx, `update origin set state = case $3 when '' then 'ready' else 'failing' end, message = $3, fetched_at = case $3
		when '' then now() else fetched_at end,
		pinned = case $2 when '' then pinned else $2 end where id = $1`, id, pinned, message); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "origin", ID: id})
}

// DueOrigin takes one origin whose time has come, that nothing fetches from
// now, and moves its time on. ErrNotFound means that there is none.
func DueOrigin(ctx context.Context, tx *door.Tx) (int64, error) {
	return number(ctx, tx, `update origin set next_at = now() + make_interval(mins => every_minutes) where id = (
		select id from origin o where next_at <= now() and not exists (select from run r where r.origin_id = o.id and r.state in ('queued',
		'running', 'stopping'))
		order by next_at limit 1 for update skip locked) returning id`)
}

// FetchBusy tells whether a run of an origin is under way; the origin's row is
// locked until the transaction ends.
func FetchBusy(ctx context.Context, tx *door.Tx, origin int64) (busy bool, err error) {
	if _, err := number(ctx, tx, `select id from origin where id = $1 for update`, origin); err != nil {
		return false, err
	}
	err = tx.QueryRow(ctx, `select exists (select from run where origin_id = $1 and state in ('queued', 'running', 'stopping'))`, origin).
		Scan(&busy)
	return busy, err
}

// FetchUpload is the upload that stands for what a fetch brings.
func FetchUpload(run int64) string { return fmt.Sprintf("fetch-%d", run) }

// FetchItem is a file that a fetch found.
type FetchItem struct {
	Entry   int
	Path    string            // names the file in its lot
	Address string            // where it is read from, and known by
	Page    string            // that named it; "" for drives
	Said    map[string]string // what the page said of it
	Tag     string
	Bytes   int64
	Fresh   bool // to be fetched; a file that is left out is listed too, since it is there
}

// SaidLarger is what a FetchItem says of where a larger rendition of it may be: it is read
// from there, where that is the larger picture.
const SaidLarger = "larger"

// Larger is a page recipe that leads to larger renditions of the pictures of some hosts.
type Larger struct {
	Recipe *harvest.Recipe
	Hosts  []string // that its pictures came from
}

// hostsLookedAt is how many of an origin's files are looked at for their hosts.
const hostsLookedAt = 500

// RecipesThatRewrite returns the page recipes that have a rewriting.
func (s *Store) RecipesThatRewrite(ctx context.Context) ([]Larger, error) {
	return list[Larger](ctx, s.pool, `select o.recipe, coalesce((select array_agg(distinct lower(split_part(path, '/', 3)))
			from (select path from origin_item where origin_id = o.id limit $1) i), '{}') as hosts
		from origin o where o.kind = 'recipe' and jsonb_array_length(coalesce(o.recipe->'rewriting', '[]')) > 0 order by o.id`, hostsLookedAt)
}

// ForgetListing lets go what a fetch listed before it was broken off.
func ForgetListing(ctx context.Context, tx *door.Tx, run int64) error {
	_, err := tx.Exec(ctx, `delete from fetch_item where run_id = $1`, run)
	return err
}

// AddListing writes files that a fetch found.
func AddListing(ctx context.Context, tx *door.Tx, run int64, items []FetchItem) error {
	return addListing(ctx, tx, run, items)
}

func addListing(ctx context.Context, tx *door.Tx, run int64, items []FetchItem) error {
	_, err := tx.CopyFrom(
		ctx,
		pgx.Identifier{"fetch_item"},
		[]string{"run_id", "entry", "path", "address", "page", "said", "tag", "bytes", "fresh"},
		pgx.CopyFromSlice(len(items), func(i int) ([]any, error) {
			it := items[i]
			return []any{run, it.Entry, it.Path, it.Address, it.Page, it.Said, it.Tag, it.Bytes, it.Fresh}, nil
		}),
	)
	return err
}

// Listed ends the listing of a fetch: what was brought before, unchanged, is
// not fresh, and what is not there any more below folder is gone. When
// anything is fresh, a lot is made for it. It returns the lot, 0 for none.
func Listed(ctx context.Context, tx *door.Tx, run int64, o Origin, name string) (lot int64, err error) {
	if _, err := tx.Exec(ctx, `update fetch_item f set fresh = false from origin_item i
		where f.run_id = $1 and i.origin_id = $2 and i.path = f.address and i.tag = f.tag`, run, o.ID); err != nil {
		return lot, err
	}
	if _, err := tx.Exec(ctx, `update origin_item i set gone_at = case when exists (select from fetch_item f where f.run_id = $1
		and f.address = i.path) then null else coalesce(gone_at, now()) end
		where i.origin_id = $2 and ($3 = '' or starts_with(i.path, $3 || '/'))`, run, o.ID, o.Folder); err != nil {
		return lot, err
	}
	lot, err = openFetchLot(ctx, tx, run, o, name)
	return lot, err
}

// openFetchLot makes the lot for what is fresh, and returns it; 0 when nothing
// is.
func openFetchLot(ctx context.Context, tx *door.Tx, run int64, o Origin, name string) (lot int64, err error) {
	fresh, err := number(ctx, tx, `select count(*) from fetch_item where run_id = $1 and fresh`, run)
	if err != nil || fresh == 0 {
		return 0, err
	}
	if lot, err = number(ctx, tx, `insert into lot (name, origin, origin_id, state, expected) values ($1, $2, $3, 'examining', 1)
		returning id`, name, o.Kind, o.ID); err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, `insert into upload (id, lot_id, path, bytes, finished_at) select $1, $2, $3, sum(bytes), now() from fetch_item
		where run_id = $4 and fresh`,
		FetchUpload(run), lot, name, run); err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, `update run set lot_id = $2 where id = $1`, run, lot); err != nil {
		return 0, err
	}
	return lot, tx.Announce(ctx, door.Event{Topic: "lot", ID: lot})
}

// Chosen gives a run the files that it is to fetch, chosen by a person, and
// makes their lot.
func Chosen(ctx context.Context, tx *door.Tx, run int64, o Origin, name string, items []FetchItem) (lot int64, err error) {
	for i := range items {
		items[i].Entry, items[i].Fresh = i, true
	}
	if err := addListing(ctx, tx, run, items); err != nil {
		return 0, err
	}
	return openFetchLot(ctx, tx, run, o, name)
}

// FetchItems returns some fresh files of a fetch behind an entry.
func (s *Store) FetchItems(ctx context.Context, run int64, after, limit int) ([]FetchItem, error) {
	return list[FetchItem](
		ctx, s.pool,
		`select entry, path, address, page, said, tag, bytes, fresh from fetch_item where run_id = $1 and fresh and entry > $2 order by entry
			limit $3`,
		run, after, limit,
	)
}

// FreshItems counts what a fetch brings.
func (s *Store) FreshItems(ctx context.Context, run int64) (int64, error) {
	return number(ctx, s.pool, `select count(*) from fetch_item where run_id = $1 and fresh`, run)
}

// MissedItems counts what a fetch could not bring.
func (s *Store) MissedItems(ctx context.Context, run int64) (int64, error) {
	return number(ctx, s.pool, `select count(*) from file where upload_id = $1 and not fetched`, FetchUpload(run))
}

// Brought ends a fetch: what came is remembered, and its files get the origin's
// rights. What could not be fetched comes again with the next one.
func Brought(ctx context.Context, tx *door.Tx, run, lot int64, o Origin) error {
	batch := &pgx.Batch{}
	batch.Queue(
		`insert into origin_page (origin_id, address, tag) select $2, address, tag from crawl_page p where run_id = $1 and state = 'done'
			and tag <> ''
		and not exists (select from fetch_item i join file f on f.upload_id = $3 and f.entry = i.entry where i.run_id = $1
		and i.page = p.address and not f.fetched)
		on conflict (origin_id, md5(address)) do update set tag = excluded.tag`,
		run,
		o.ID,
		FetchUpload(run),
	)
	batch.Queue(
		`insert into origin_item (origin_id, path, page, tag) select distinct on (address) $2::bigint, address, page, tag from fetch_item f
			where run_id = $1 and fresh
		and not exists (select from file where upload_id = $3 and entry = f.entry and not fetched)
		on conflict (origin_id, path) do update set tag = excluded.tag, page = excluded.page, gone_at = null`,
		run,
		o.ID,
		FetchUpload(run),
	)
	batch.Queue(
		`update file f set said = i.said, address = i.address from fetch_item i where i.run_id = $1 and i.said is not null and f.upload_id = $2
			and f.entry = i.entry`,
		run,
		FetchUpload(run),
	)
	batch.Queue(
		`update file set rights = $2, licence = $3, credit = $4, expires = $5 where lot_id = $1`, lot, o.Rights, o.Licence,
		o.Credit, o.Expires,
	)
	batch.Queue(`delete from fetch_item where run_id = $1`, run)
	batch.Queue(`delete from crawl_page where run_id = $1`, run)
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return err
	}
	return giveSaidRights(ctx, tx, lot)
}

// giveSaidRights gives a lot's files the rights that their source states in words. Where
// those say neither yes nor no, the state stays, and they are kept as the licence.
func giveSaidRights(ctx context.Context, tx *door.Tx, lot int64) error {
	said, err := list[struct {
		ID     int64
		Rights string
	}](ctx, tx, `select id, said->>'rights' as rights from file where lot_id = $1 and coalesce(said->>'rights', '') <> ''`, lot)
	if err != nil || len(said) == 0 {
		return err
	}
	batch := &pgx.Batch{}
	for _, file := range said {
		r := rights.Worded(file.Rights)
		batch.Queue(`update file set rights = case when $2 = 'unknown' then rights else $2 end, licence = $3,
			credit = coalesce(nullif($4, ''), credit), expires = coalesce($5, expires) where id = $1`,
			file.ID, string(r.State), r.Licence, r.Credit, r.Expires)
	}
	return tx.SendBatch(ctx, batch).Close()
}
