package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/upkeep"
	"ambrosa/internal/door"
)

// Upkeep is how upkeep goes.
type Upkeep struct {
	WayBackDays int         `json:"wayBackDays" minimum:"0" maximum:"3650" doc:"That an applied plan keeps all that it replaced"`
	HoldDays    int         `json:"holdDays" minimum:"1" maximum:"3650" doc:"That files are held, unless said otherwise"`
	Ages        upkeep.Ages `json:"ages" doc:"Days that nothing needs a file before it counts as an orphan, by reason"`
	SweepHours  int         `json:"sweepHours" minimum:"0" maximum:"8760" doc:"From sweep to sweep; 0: by hand only"`
	CheckDays   int         `json:"checkDays" minimum:"1" maximum:"3650" doc:"In which all that is stored is read, a share each sweep"`
	Purge       bool        `json:"purge" doc:"What is past its term goes by itself"`
	RightsDays  int         `json:"rightsDays" minimum:"0" maximum:"3650" doc:"Before they end, rights are told of"`
	LyingDays   int         `json:"lyingDays" minimum:"0" maximum:"3650" doc:"That a lot is not touched before it is told of"`
	PurgeShare  int         `json:"purgeShare" minimum:"1" maximum:"100" doc:"Percent of all files that go without being asked again"`
	Version     int         `json:"version" minimum:"1" doc:"Counts its changes; it is changed as it was seen"`
}

// Upkeep returns how upkeep goes.
func (s *Store) Upkeep(ctx context.Context) (Upkeep, error) {
	return one[Upkeep](ctx, s.pool, `select way_back_days, hold_days, ages, sweep_hours, check_days, purge, rights_days, lying_days,
			purge_share, version
		from upkeep_setting`)
}

// SetUpkeep says how it goes from now on, as its version was; ErrChanged means that it has another by now. Ways back that
// stand already keep their term.
func SetUpkeep(ctx context.Context, tx *door.Tx, u Upkeep) error {
	tag, err := tx.Exec(ctx, `update upkeep_setting set way_back_days = $1, hold_days = $2, ages = $3, sweep_hours = $4, purge = $5,
		purge_share = $6, check_days = $7, rights_days = $8, lying_days = $9,
		next_sweep = case when $4 = 0 then next_sweep else least(next_sweep, now() + make_interval(hours => $4)) end,
		version = version + 1 where version = $10`,
		u.WayBackDays, u.HoldDays, u.Ages, u.SweepHours, u.Purge, u.PurgeShare,
		u.CheckDays, u.RightsDays, u.LyingDays, u.Version)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return ErrChanged
	}
	return tx.Announce(ctx, door.Event{Topic: "upkeep"})
}

// Asked is what a sweep asked of how many: its proof.
type Asked struct {
	Files      int64 `json:"files"`
	Placements int64 `json:"placements"`
	Plans      int64 `json:"plans" doc:"Drafts, and applied ones whose way back is in its term"`
	Lots       int64 `json:"lots" doc:"That are open"`
	Pins       int64 `json:"pins"`
	Shelved    int64 `json:"shelved" doc:"Pictures that are saved for later"`
	Objects    int64 `json:"objects" doc:"That lie in the store"`
	Strays     int64 `json:"strays" doc:"Of them, that no row names"`
	Missing    int64 `json:"missing" doc:"Rows whose object is not there"`
}

// Sweep is one.
type Sweep struct {
	ID      int64      `json:"id"`
	Actor   string     `json:"actor"`
	Kinds   []string   `json:"kinds" nullable:"false"`
	At      time.Time  `json:"at"`
	EndedAt *time.Time `json:"endedAt"`
	Asked   Asked      `json:"asked"`
}

const sweepQuery = `select id, actor_name(actor_id) as actor, kinds, at, ended_at, asked from sweep`

// Sweep returns one.
func (s *Store) Sweep(ctx context.Context, id int64) (Sweep, error) {
	return one[Sweep](ctx, s.pool, sweepQuery+` where id = $1`, id)
}

// Sweeps returns the newest first.
func (s *Store) Sweeps(ctx context.Context, limit int) ([]Sweep, error) {
	return list[Sweep](ctx, s.pool, sweepQuery+` order by id desc limit $1`, limit)
}

// NewSweep records one that is to be done.
func NewSweep(ctx context.Context, tx *door.Tx, kinds []string) (int64, error) {
	return number(ctx, tx, `insert into sweep (actor_id, kinds) values ($1, $2) returning id`, tx.Who().ID, kinds)
}

// SweepDue takes the turn of the timetable's next sweep, where it is due.
func SweepDue(ctx context.Context, tx *door.Tx) (due bool, err error) {
	tag, err := tx.Exec(ctx, `update upkeep_setting set next_sweep = now() + make_interval(hours => sweep_hours)
		where sweep_hours > 0 and next_sweep <= now()`)
	return tag.RowsAffected() > 0, err
}

// SweptAsUsual tells whether the timetable's last sweeps ended when they should have: not after a
// long pause, nor after the clock was turned on.
func SweptAsUsual(ctx context.Context, tx *door.Tx) (usual bool, err error) {
	err = tx.QueryRow(ctx, `select exists (select from sweep s, upkeep_setting u
		where s.ended_at between now() - make_interval(hours => 2 * u.sweep_hours + 1) and now())`).Scan(&usual)
	return usual, err
}

// CountAsked counts what a sweep asks, at a time.
func CountAsked(ctx context.Context, db DB, at time.Time) (Asked, error) {
	return one[Asked](ctx, db, `select (select count(*) from file where sha256 is not null) as files,
		(select count(*) from placement) as placements,
		(select count(distinct c.plan_id) from reference r join plan_change c on c.id = r.plan_change_id
			where r.until is null or r.until > $1) as plans,
		(select count(*) from lot where state in ('receiving', 'examining', 'ready')) as lots, (select count(*) from pin) as pins,
		(select count(*) from shelved) as shelved,
		0::bigint as objects, 0::bigint as strays, 0::bigint as missing`, at)
}

// SweepReport returns what a sweep found first, to be told; why is what ended it, "" for
// nothing. Files that are held do not count.
func SweepReport(ctx context.Context, tx *door.Tx, id int64, why string) (r upkeep.Report, err error) {
	r.Why = why
	if why == "" {
		r.Found, err = list[upkeep.Fresh](ctx, tx, `select kind, reason, count(*) as n, sum(frees)::bigint as frees from finding g
			where first_sweep = $1 and not exists (select from held h where h.file_id = g.file_id)
			group by kind, reason order by kind = 'broken' desc, kind, n desc, reason`, id)
	}
	return r, err
}

// EndSweep records what a sweep asked, and forgets the findings of its kinds that it did
// not find again.
func EndSweep(ctx context.Context, tx *door.Tx, id int64, asked Asked) error {
	if err := lockFindings(ctx, tx); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from finding f using sweep s where s.id = $1 and f.kind = any(s.kinds) and f.last_sweep < s.id`,
		id); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `update sweep set ended_at = now(), asked = $2 where id = $1`, id, asked); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "upkeep"})
}

// lockFindings keeps others from writing findings until the transaction ends. It comes
// before any lock of a file: going, a file takes its findings with it.
func lockFindings(ctx context.Context, tx *door.Tx) error {
	_, err := tx.Exec(ctx, `select pg_advisory_xact_lock(hashtext('findings'))`)
	return err
}

// needed is the condition that a file is needed at a time: without end, or for a while still.
// Each of both has an index that answers it.
func needed(file, at string) string {
	return `(exists (select from reference n where n.file_id = ` + file + ` and n.until is null)
		or exists (select from reference n where n.file_id = ` + file + ` and n.until > ` + at + `))`
}

// LeftFile is a file that nothing needs.
type LeftFile struct {
	ID    int64
	Lot   int64
	Name  string // of its lot
	Path  string
	Sum   string
	Bytes int64
	Plan  int64 // that took it from where it stood, 0 for none
	By    string
	Why   string // a person said so
	upkeep.Left
	Sheet  bool    // a sheet has its bytes
	Others []int64 // with its bytes: how many files that are needed or held, and how many earlier ones that nothing needs; or nil
}

// Frees is how many bytes are freed when it goes with all others that nothing needs.
func (f LeftFile) Frees() int64 {
	if f.Sheet || len(f.Others) > 0 && f.Others[0]+f.Others[1] > 0 {
		return 0
	}
	return f.Bytes
}

// EachLeft calls for every file that nothing needs at a time, and that is not held, in the
// order of their numbers. Rows are read as they are asked for.
func (s *Store) EachLeft(ctx context.Context, at time.Time, each func(LeftFile) error) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		// The files and what needs them are walked side by side, in the order of both indexes: that
		// takes no memory, however many there are, and the first is known at once.
		if _, err := tx.Exec(ctx, `set local enable_hashjoin = off; set local max_parallel_workers_per_gather = 0`); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, leftQuery, at)
		if err != nil {
			return err
		}
		return eachLeft(rows, each)
	})
}

// leftQuery has the files that nothing needs at a time. Where a file stood is told by the ways
// back whose term is over; others with the same bytes are looked at only where there are some.
var leftQuery = `
	with stood as materialized (
		select distinct on (r.file_id) r.file_id, c.plan_id, p.applied_at, actor_name(p.applied_by_id) as applied_by
		from reference r join plan_change c on c.id = r.plan_change_id join plan p on p.id = c.plan_id
		where r.until <= $1 and c.state = 'applied'
			and jsonb_path_exists(c.before, '$[*].pictures[*] ? (@.file == $f)', jsonb_build_object('f', r.file_id))
			and not jsonb_path_exists(c.after, '$[*].pictures[*] ? (@.file == $f)', jsonb_build_object('f', r.file_id))
		order by r.file_id, p.applied_at desc)
	select f.id, f.lot_id, l.name, f.path, encode(f.sha256, 'hex'), f.bytes, coalesce(t.plan_id, 0), coalesce(t.applied_by, ''),
		case when f.verdict = 'set aside' then f.reason else '' end, f.verdict, l.state = 'given up',
		coalesce(v.retired, f.product_id is not null and not exists (select from variant where product_id = f.product_id and not retired)),
		f.arrived_at, coalesce(f.decided_at, 'epoch'), coalesce(l.applied, 'epoch'), coalesce(t.applied_at, 'epoch'),
		f.sha256 in (select sha256 from sheet), case when exists (select from file o where o.sha256 = f.sha256 and o.id <> f.id) then (
			select array[count(*) filter (where o.kept), count(*) filter (where not o.kept and o.id < f.id)]
			from (select o.id, ` + needed("o.id", "$1") + ` or exists (select from held h where h.file_id = o.id) as kept
				from file o where o.sha256 = f.sha256 and o.id <> f.id) o) end
	from file f
	join lateral (select l.name, l.state, (select max(p.applied_at) from plan_lot pl join plan p on p.id = pl.plan_id
		where pl.lot_id = l.id and p.state = 'applied') as applied from lot l where l.id = f.lot_id offset 0) l on true
	left join variant v on v.id = f.variant_id left join stood t on t.file_id = f.id
	where f.sha256 is not null and not exists (select from reference r where r.file_id = f.id and r.until is null)
		and not exists (select from reference r where r.file_id = f.id and r.until > $1)
		and not exists (select from held h where h.file_id = f.id)
	order by f.id`

func eachLeft(rows pgx.Rows, each func(LeftFile) error) error {
	var f LeftFile
	_, err := pgx.ForEachRow(rows, []any{&f.ID, &f.Lot, &f.Name, &f.Path, &f.Sum, &f.Bytes, &f.Plan, &f.By, &f.Why, &f.Verdict, &f.GivenUp,
		&f.Retired, &f.Arrived, &f.Decided, &f.Applied, &f.Removed, &f.Sheet, &f.Others}, func() error {
		for _, when := range []*time.Time{&f.Decided, &f.Applied, &f.Removed} {
			if when.Unix() == 0 {
				*when = time.Time{}
			}
		}
		return each(f)
	})
	return err
}

// Twin is a file that has the bytes of another.
type Twin struct {
	ID, Lot  int64
	Name     string // of its lot
	Path     string
	Sum      string
	Bytes    int64
	Group    int64 // the first file with these bytes
	Arrived  time.Time
	Products int // products and categories that show the bytes
	Most     int // times that one of them shows them
}

// EachTwin calls for every file that has the bytes of another, group by group. Files that
// are held do not count.
func (s *Store) EachTwin(ctx context.Context, each func(Twin) error) error {
	rows, err := s.pool.Query(ctx, `
		with twice as materialized (
			select f.sha256, min(f.id) as first from file f
			where f.sha256 is not null and f.verdict <> 'sheet' and not exists (select from held h where h.file_id = f.id)
			group by f.sha256 having count(*) > 1)
		select f.id, f.lot_id, l.name, f.path, encode(f.sha256, 'hex'), f.bytes, t.first, f.arrived_at, coalesce(s.owners, 0), coalesce(s.most, 0)
		from twice t join file f on f.sha256 = t.sha256 join lot l on l.id = f.lot_id
		left join lateral (select count(*)::int as owners, max(n)::int as most from (
			select count(*) as n from placement p join file o on o.id = p.file_id where o.sha256 = t.sha256
			group by p.product_id, p.category_id) x) s on true
		where not exists (select from held h where h.file_id = f.id)
		order by t.first, f.id`)
	if err != nil {
		return err
	}
	var f Twin
	_, err = pgx.ForEachRow(rows, []any{&f.ID, &f.Lot, &f.Name, &f.Path, &f.Sum, &f.Bytes, &f.Group, &f.Arrived, &f.Products, &f.Most},
		func() error { return each(f) })
	return err
}

// Swept is something that a sweep found of a file, a product or a lot.
type Swept struct {
	Kind   string    `json:"kind"`
	Reason string    `json:"reason"`
	File   int64     `json:"file"` // 0 for none
	Lot    int64     `json:"lot"`  // 0 for none
	Name   string    `json:"-"`    // of its lot
	Path   string    `json:"path"` // of the file; else what the product or lot is called
	Sum    string    `json:"sum"`  // in hexadecimal digits, empty for no file
	Bytes  int64     `json:"bytes"`
	Frees  int64     `json:"frees"`
	Group  int64     `json:"grp"`
	Since  time.Time `json:"since"`
	Detail string    `json:"detail"`
	Plan   int64     `json:"plan"`
	// That shows the file, or that it is about; 0 for none.
	Product int64 `json:"product"`
}

// PutFindings writes what a sweep found. What was found before keeps when that was.
func PutFindings(ctx context.Context, tx *door.Tx, sweep int64, found []Swept) error {
	if len(found) == 0 {
		return nil
	}
	if err := lockFindings(ctx, tx); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `
	with found as (select * from jsonb_to_recordset($1) u (kind text, reason text, file bigint, lot bigint, path text, sum text,
			bytes bigint, frees bigint, grp bigint, since timestamptz, detail text, plan bigint, product bigint)),
		there as materialized (select id from file where id in (select file from found) for key share), -- none goes meanwhile
		made as materialized (select id from product where id in (select product from found) for key share)
	insert into finding (kind, reason, file_id, lot_id, path, sha256, bytes, frees, grp, since, detail, plan_id, product_id,
		first_sweep, last_sweep)
	select kind, reason, nullif(file, 0), nullif(lot, 0), path, decode(nullif(sum, ''), 'hex'), bytes, frees, grp, since, detail, plan,
		m.id, $2, $2
	from found f left join there t on t.id = f.file left join made m on m.id = f.product
	where (f.file = 0 or t.id is not null) and (f.product = 0 or f.file <> 0 or m.id is not null)
	on conflict (kind, thing) do update set reason = excluded.reason, path = excluded.path, detail = excluded.detail,
		lot_id = excluded.lot_id, bytes = excluded.bytes, frees = excluded.frees, grp = excluded.grp, plan_id = excluded.plan_id,
		product_id = excluded.product_id, since = excluded.since, last_sweep = excluded.last_sweep`, found, sweep)
	return err
}
