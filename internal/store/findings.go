package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"ambrosa/core/catalog"
	"ambrosa/internal/door"
)

// SweepFinding is what sweeps found of a file, a product or a lot.
type SweepFinding struct {
	ID      int64     `json:"id"`
	Kind    string    `json:"kind" enum:"orphans,twice,alike,broken,below,lying"`
	Reason  string    `json:"reason"`
	File    int64     `json:"file" doc:"0 for none: it is found of a product or a lot"`
	Version int       `json:"version" doc:"Of the file"`
	Path    string    `json:"path" doc:"Of the file; else what the product or lot is called"`
	Sum     string    `json:"sum" doc:"SHA-256 of its bytes, empty for no file"`
	Product int64     `json:"product" doc:"That shows the file, or that it is about; 0 for none"`
	Code    string    `json:"code" doc:"Of that product"`
	Title   string    `json:"title" doc:"Of that product"`
	Lot     int64     `json:"lot" doc:"0 for none"`
	LotName string    `json:"lotName"`
	Origin  string    `json:"origin" doc:"Name of the place that it was fetched from, empty for none"`
	FromID  int64     `json:"originId" doc:"Of that place, 0 for none"`
	Bytes   int64     `json:"bytes"`
	Frees   int64     `json:"frees" doc:"Bytes that are freed when it goes with all others of its kind: 0 where another file needs them"`
	Group   int64     `json:"group" doc:"Of one group are those that belong together; 0 for none"`
	Since   time.Time `json:"since" doc:"When its reason came about"`
	Detail  string    `json:"detail"`
	Plan    int64     `json:"plan" doc:"That took it from where it stood, 0 for none"`
	Fresh   bool      `json:"fresh" doc:"The last sweep of its kind found it first"`
	Width   int       `json:"width"`
	Height  int       `json:"height"`
	Problem string    `json:"problem" doc:"Why it cannot be shown; empty where it can"`
}

// FindingFilter chooses findings. Empty fields choose all.
type FindingFilter struct {
	Kind   string
	Reason string
	Lot    int64
	Origin int64
	Group  int64
	Query  string // part of the path
	Fresh  bool
	Before time.Time // its reason came about before
	IDs    []int64   // of findings; with some, no other
}

const findingColumns = `select g.id, g.kind, g.reason, coalesce(g.file_id, 0) as file, coalesce(f.version, 0) as version, g.path,
		coalesce(encode(g.sha256, 'hex'), '') as sum, coalesce(g.product_id, 0) as product, coalesce(d.code, '') as code,
		coalesce(d.title, '') as title, coalesce(g.lot_id, 0) as lot, coalesce(l.name, '') as lot_name, coalesce(o.name, '') as origin,
		coalesce(o.id, 0) as from_id, g.bytes, g.frees, g.grp as "group", g.since, g.detail, g.plan_id as plan, g.first_sweep = z.id as fresh,
		coalesce(b.width, 0) as width, coalesce(b.height, 0) as height, coalesce(f.problem, '') as problem `

const findingFrom = ` from finding g left join file f on f.id = g.file_id left join lot l on l.id = g.lot_id
	left join origin o on o.id = l.origin_id left join blob b on b.sha256 = g.sha256 left join product d on d.id = g.product_id
	cross join lateral (select ` + lastOf + ` as id) z `

// lastOf is the last sweep of the kind of a finding, g.
const lastOf = `(select max(id) from sweep where ended_at is not null and g.kind = any(kinds))`

// where is the filter's condition, and its arguments from a number on.
func (q FindingFilter) where(first int) (condition string, args []any) {
	parts := []string{"not g.held"}
	add := func(part string, value any) {
		args = append(args, value)
		parts = append(parts, strings.ReplaceAll(part, "?", fmt.Sprintf("$%d", first+len(args)-1)))
	}
	if q.Kind != "" {
		add("g.kind = ?", q.Kind)
	}
	if q.Reason != "" {
		add("g.reason = ?", q.Reason)
	}
	if q.Lot != 0 {
		add("g.lot_id = ?", q.Lot)
	}
	if q.Origin != 0 {
		add("exists (select from lot where id = g.lot_id and origin_id = ?)", q.Origin)
	}
	if q.Group != 0 {
		add("g.grp = ?", q.Group)
	}
	if q.Query != "" {
		add("strpos(lower(g.path), lower(?)) > 0", q.Query)
	}
	if q.Fresh {
		parts = append(parts, "g.first_sweep = "+lastOf)
	}
	if !q.Before.IsZero() {
		add("g.since < ?", q.Before)
	}
	if len(q.IDs) > 0 {
		add("g.id = any(?)", q.IDs)
	}
	return " where " + strings.Join(parts, " and "), args
}

// findingOrders are what findings are sorted by; all end in the ID.
var findingOrders = map[string]string{
	"":       "g.grp",
	"bytes":  "g.bytes desc",
	"since":  "g.since",
	"path":   "left(lower(g.path), 300)",
	"reason": "g.reason",
}

// findingsFar is how far down a list it is faster to count from its end, where that is nearer.
const findingsFar = 20_000

// Findings returns some of those that a filter chooses.
func (s *Store) Findings(ctx context.Context, q FindingFilter, by string, offset, limit int) ([]SweepFinding, error) {
	where, args := q.where(3)
	order := findingOrders[by] + ", g.id"
	chosen := order
	if offset > findingsFar {
		all, _, err := s.CountFindings(ctx, q)
		if err != nil {
			return nil, err
		}
		limit = max(0, min(limit, int(all)-offset))
		if left := int(all) - offset - limit; left < offset {
			offset, chosen = max(0, left), findingOrders[by]+" desc, g.id desc"
			chosen = strings.Replace(chosen, " desc desc", "", 1)
		}
	}
	return list[SweepFinding](ctx, s.pool, findingColumns+findingFrom+`where g.id in (select g.id from finding g`+where+`
		order by `+chosen+` offset $1 limit $2) order by `+order, append([]any{offset, limit}, args...)...)
}

// FindingsBehind returns some of those that a filter chooses, by group: the first, or those behind one of them.
func (s *Store) FindingsBehind(ctx context.Context, q FindingFilter, last SweepFinding, limit int) ([]SweepFinding, error) {
	where, args := q.where(4)
	return list[SweepFinding](ctx, s.pool, findingColumns+findingFrom+`where g.id in (select g.id from finding g`+where+`
		and (g.grp, g.id) > ($1, $2) order by g.grp, g.id limit $3) order by g.grp, g.id`, append([]any{last.Group, last.ID, limit}, args...)...)
}

// Sums are how many files, of how many bytes, of which so many are really freed when they go.
type Sums struct {
	Files int64 `json:"files"`
	Bytes int64 `json:"bytes"`
	Frees int64 `json:"frees" doc:"That no file keeps which is not among them"`
}

// CountFindings counts what a filter chooses, and its bytes: from the counts that are kept, where they tell.
func (s *Store) CountFindings(ctx context.Context, q FindingFilter) (files, bytes int64, err error) {
	where, args := q.where(1)
	query := `select count(*), coalesce(sum(g.bytes), 0)::bigint from finding g` + where
	if q.kept() {
		query = `select coalesce(sum(g.findings), 0)::bigint, coalesce(sum(g.bytes), 0)::bigint from finding_count g` +
			strings.Replace(where, "not g.held", "true", 1)
	}
	err = s.pool.QueryRow(ctx, query, args...).Scan(&files, &bytes)
	return files, bytes, err
}

// kept tells whether the counts that are kept tell how many findings there are.
func (q FindingFilter) kept() bool {
	return q.Lot == 0 && q.Origin == 0 && q.Group == 0 && q.Query == "" && q.Before.IsZero() && len(q.IDs) == 0
}

// SumOf reckons what a filter chooses: bytes that a file keeps which is not among them are
// not freed, nor those that a sheet keeps.
func (s *Store) SumOf(ctx context.Context, q FindingFilter) (Sums, error) {
	where, args := q.where(1)
	return one[Sums](ctx, s.pool, `with chosen as (select distinct g.file_id, g.sha256, g.bytes from finding g`+where+`
			and g.file_id is not null)
		select coalesce(sum(n), 0)::bigint as files, coalesce(sum(n * bytes), 0)::bigint as bytes,
			coalesce(sum(bytes) filter (where n = (select count(*) from file f where f.sha256 = c.sha256)
				and not exists (select from sheet where sha256 = c.sha256)), 0)::bigint as frees
		from (select sha256, bytes, count(*) as n from chosen group by sha256, bytes) c`, args...)
}

// FindingGroup counts the findings of a kind and reason.
type FindingGroup struct {
	Kind   string `json:"kind"`
	Reason string `json:"reason"`
	Files  int64  `json:"files"`
	Bytes  int64  `json:"bytes"`
	Frees  int64  `json:"frees"`
	Fresh  int64  `json:"fresh" doc:"That the last sweep found first"`
}

// FindingGroups counts findings by kind and reason; those of files that are held do not count.
func (s *Store) FindingGroups(ctx context.Context) ([]FindingGroup, error) {
	return list[FindingGroup](ctx, s.pool, `select g.kind, g.reason, sum(g.findings)::bigint as files, sum(g.bytes)::bigint as bytes,
			sum(g.frees)::bigint as frees, coalesce(sum(g.findings) filter (where g.first_sweep = z.id), 0)::bigint as fresh
		from finding_count g join (select g.kind, `+lastOf+` as id from (select distinct unnest(kinds) as kind from sweep) g) z on z.kind = g.kind
		group by g.kind, g.reason having sum(g.findings) > 0 order by g.kind, files desc, g.reason`)
}

// Stood is where a file stood, and what took it from there.
type Stood struct {
	Plan  int64          `json:"plan"`
	At    time.Time      `json:"at"`
	By    string         `json:"by"`
	On    catalog.Target `json:"on" doc:"The product or category"`
	Owner string         `json:"owner" doc:"Code of the product, or path of the category"`
	Came  bool           `json:"came" doc:"It came to stand there by the plan; else it was taken from there"`
	Place int            `json:"place"`
	Now   int64          `json:"now" doc:"The file that the plan left there in its stead: of its view, else of its place; 0 for none"`
	Sum   string         `json:"sum" doc:"Of that file"`
	Path  string         `json:"path" doc:"Of that file"`
}

// WhereStood returns where a file stood by applied plans that can be known of, the newest
// first.
func (s *Store) WhereStood(ctx context.Context, file int64) ([]Stood, error) {
	return list[Stood](ctx, s.pool, `
		with spots as (
			select c.id, c.plan_id, side, t->>'kind' as kind, t->>'id' as target, n.at,
				(n.p->>'file')::bigint as file, coalesce(n.p->>'view', '') as view
			from reference r join plan_change c on c.id = r.plan_change_id and c.state = 'applied'
			cross join lateral (values ('before', c.before), ('after', c.after)) x (side, shows)
			cross join lateral jsonb_array_elements(x.shows) t
			cross join lateral jsonb_array_elements(t->'pictures') with ordinality n (p, at)
			where r.file_id = $1),
		mine as (
			select s.*, s.side = 'after' as came from spots s where s.file = $1 and not exists (
				select from spots o where o.id = s.id and o.file = $1 and o.side <> s.side and o.kind = s.kind and o.target = s.target))
		select m.plan_id as plan, coalesce(p.applied_at, p.created_at) as at, actor_name(p.applied_by_id) as by, `+ownerOf("c")+` as "on",
			coalesce(d.code, g.path, '') as owner, m.came,
			m.at::int as place, coalesce(f.id, 0) as now, coalesce(encode(f.sha256, 'hex'), '') as sum, coalesce(f.path, '') as path
		from mine m join plan p on p.id = m.plan_id join plan_change c on c.id = m.id left join product d on d.id = c.product_id
		left join category g on g.id = c.category_id
		left join lateral (select o.file from spots o where not m.came and o.id = m.id and o.side = 'after' and o.kind = m.kind
			and o.target = m.target order by m.view <> '' and o.view = m.view desc, o.at = m.at desc, o.at limit 1) o on true
		left join file f on f.id = o.file
		order by at desc, m.id desc limit 100`, file)
}

// OrphansWaiting counts, for Today, findings and what is held that goes within some days.
type OrphansWaiting struct {
	Orphans  int64      `json:"orphans" doc:"That nothing needs, and that are not held"`
	Frees    int64      `json:"frees"`
	Fresh    int64      `json:"fresh" doc:"Of them, that the last sweep found first"`
	Broken   int64      `json:"broken" doc:"Files whose bytes are missing or damaged"`
	Below    int64      `json:"below" doc:"Pictures that stand below the rule, that the last sweep found first"`
	Held     int64      `json:"held"`
	Leaving  int64      `json:"leaving" doc:"Of them, whose term ends within a week, or ended"`
	LeavesAt *time.Time `json:"leavesAt" doc:"When the first of them goes"`
	SweptAt  *time.Time `json:"sweptAt" doc:"When the last sweep ended"`
}

// OrphansWaiting counts them now.
func (s *Store) OrphansWaiting(ctx context.Context) (OrphansWaiting, error) {
	return one[OrphansWaiting](ctx, s.pool, `select g.orphans, g.frees, g.fresh, g.broken, g.below, h.held, h.leaving, h.leaves_at,
			(select max(ended_at) from sweep) as swept_at
		from (select coalesce(sum(findings) filter (where kind = 'orphans'), 0)::bigint as orphans,
				coalesce(sum(frees) filter (where kind = 'orphans'), 0)::bigint as frees,
				coalesce(sum(findings) filter (where kind = 'orphans' and first_sweep = l.id), 0)::bigint as fresh,
				coalesce(sum(findings) filter (where kind = 'broken'), 0)::bigint as broken,
				coalesce(sum(findings) filter (where kind = 'below' and first_sweep = l.id), 0)::bigint as below
			from finding_count g left join (select kind, max(id) as id from sweep, unnest(kinds) kind where ended_at is not null group by kind) l
				using (kind)
			where kind in ('orphans', 'broken', 'below')) g,
			(select count(*) as held, count(*) filter (where o.until < now() + interval '7 days') as leaving, min(o.until) as leaves_at
			from held h join holding o on o.id = h.holding_id) h`)
}

// AddPins pins the files of findings, or of a list of files. What is pinned is needed.
func AddPins(ctx context.Context, tx *door.Tx, because string, files []int64) (pinned int64, err error) {
	if err := lockFindings(ctx, tx); err != nil {
		return 0, err
	}
	there, err := numbers(ctx, tx, `select id from file where id = any($1) order by id for key share`, files)
	if err != nil {
		return 0, err
	}
	return number(ctx, tx, `with pinned as (
			insert into pin (file_id, because, actor_id) select unnest($1::bigint[]), $2, $3
				on conflict (file_id) do update set because = excluded.because, actor_id = excluded.actor_id, at = now() returning id, file_id),
		kept as (
			insert into reference (file_id, pin_id) select file_id, id from pinned
				on conflict (pin_id) where pin_id is not null do nothing),
		known as (delete from finding where kind = 'orphans' and file_id in (select file_id from pinned))
		select count(*) from pinned`, there, because, tx.Who().ID)
}

// Pinned is a file that is kept because a person says so.
type Pinned struct {
	File    int64     `json:"file"`
	Path    string    `json:"path"`
	LotName string    `json:"lotName"`
	Sum     string    `json:"sum"`
	Because string    `json:"because"`
	Actor   string    `json:"actor"`
	At      time.Time `json:"at"`
}

// Pins returns the files that are pinned, the newest first.
func (s *Store) Pins(ctx context.Context, limit int) ([]Pinned, error) {
	return list[Pinned](ctx, s.pool, `select p.file_id as file, f.path, l.name as lot_name, coalesce(encode(f.sha256, 'hex'), '') as sum,
			p.because, actor_name(p.actor_id) as actor, p.at
		from pin p join file f on f.id = p.file_id join lot l on l.id = f.lot_id order by p.id desc limit $1`, limit)
}

// RemovePins lets files be judged again like all others.
func RemovePins(ctx context.Context, tx *door.Tx, files []int64) (int64, error) {
	tag, err := tx.Exec(ctx, `delete from pin where file_id = any($1)`, files)
	return tag.RowsAffected(), err
}
