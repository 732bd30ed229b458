package store

import (
	"context"
	"errors"
	"time"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
)

// Run is one piece of background work.
type Run struct {
	ID         int64           `json:"id"`
	Kind       string          `json:"kind"`
	LotID      int64           `json:"lot"`
	LotName    string          `json:"lotName"`
	PlanID     int64           `json:"plan"`
	Owner      *catalog.Target `json:"owner,omitempty" doc:"The one product or category it is about; left out for all"`
	Actor      string          `json:"actor" doc:"Who asked for it"`
	ActorID    int64           `json:"-"`
	ActorKind  string          `json:"-"`
	Origin     int64           `json:"origin" doc:"What it fetches from"`
	OriginName string          `json:"originName"`
	SheetID    int64           `json:"sheet"`
	ImportID   int64           `json:"import"`
	SweepID    int64           `json:"sweep"`
	DispatchID int64           `json:"dispatch"`
	ReceiptID  int64           `json:"receipt"`
	State      string          `json:"state" enum:"queued,running,stopping,stopped,done,failed"`
	Done       int64           `json:"done"`
	Total      int64           `json:"total" doc:"0 while it is not known"`
	Message    string          `json:"message"`
	CreatedAt  time.Time       `json:"createdAt"`
	StartedAt  *time.Time      `json:"startedAt"`
	FinishedAt *time.Time      `json:"finishedAt"`
	Deaths     int             `json:"-"` // of processes that did it, since it last got on
}

var runQuery = `
	select r.id, r.kind, coalesce(r.lot_id, o.id, 0) as lot_id, coalesce(l.name, o.name, sh.name, '') as lot_name,
	coalesce(r.plan_id, 0) as plan_id,
	case when r.product_id is not null
	or r.category_id is not null then ` + ownerOf("r") + ` end as owner, coalesce(a.name, '') as actor, coalesce(a.id, 0) as actor_id,
	coalesce(a.kind, '') as actor_kind, coalesce(r.origin_id, 0) as origin,
	coalesce(g.name, '') as origin_name, coalesce(r.sheet_id, 0) as sheet_id, coalesce(r.import_id, 0) as import_id,
	coalesce(r.sweep_id, 0) as sweep_id, coalesce(r.receipt_id, 0) as receipt_id,
	coalesce(r.dispatch_id, 0) as dispatch_id, r.state, r.done, r.total,
		r.message, r.created_at, r.started_at, r.finished_at, r.deaths
	from run r left join actor a on a.id = r.actor_id left join lot l on l.id = r.lot_id left join sheet sh on sh.id =
	r.sheet_id left join origin g on g.id = r.origin_id
	left join lateral (select min(l.id) as id, string_agg(l.name, ' and ' order by l.id) as name from plan_lot pl
	join lot l on l.id = pl.lot_id where pl.plan_id = r.plan_id) o on true`

// Who is who a run works for. Runs that earlier versions began for nobody are Ambrosa's.
func (r *Run) Who() identity.Actor {
	if r.ActorID == 0 {
		return identity.Ambrosa
	}
	return identity.Actor{ID: r.ActorID, Kind: identity.Kind(r.ActorKind), Name: r.Actor}
}

// Runs returns the newest runs first.
func (s *Store) Runs(ctx context.Context, limit int) ([]Run, error) {
	return list[Run](ctx, s.pool, runQuery+` order by r.created_at desc, r.id desc limit $1`, limit)
}

// Run returns one run.
func (s *Store) Run(ctx context.Context, id int64) (Run, error) {
	return one[Run](ctx, s.pool, runQuery+` where r.id = $1`, id)
}

// About is what a run is to work on; 0 or none for nothing.
type About struct {
	Lot, Plan, Origin int64
	Sheet, Import     int64
	Sweep, Receipt    int64
	Dispatch          int64
	Owner             catalog.Target // the one product or category of a plan
}

// RunOfKind tells whether a run of a kind goes on or waits, and keeps others from asking
// until the transaction ends.
func RunOfKind(ctx context.Context, tx *door.Tx, kind string) (busy bool, err error) {
	if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(hashtextextended($1, 11))`, kind); err != nil {
		return false, err
	}
	err = tx.QueryRow(ctx, `select exists (select from run where kind = $1 and state in ('queued', 'running', 'stopping'))`, kind).Scan(&busy)
	return busy, err
}

// Queue asks for background work, in the transaction that needs it done.
type Queue interface {
	Queue(ctx context.Context, tx *door.Tx, who identity.Actor, kind string, about About) (run int64, err error)
}

// WaitingRun returns a run of a kind that somebody asked for and that has not begun, about the same. It is locked: it begins when the
// transaction has ended, and finds what that wrote. ErrNotFound means that there is none.
func WaitingRun(ctx context.Context, tx *door.Tx, who identity.Actor, kind string, a About) (int64, error) {
	by, err := tx.NumberOf(ctx, who)
	if err != nil {
		return 0, err
	}
	return number(ctx, tx, `select id from run where kind = $1 and state = 'queued' and actor_id = $2
		and (coalesce(lot_id, 0), coalesce(plan_id, 0), coalesce(sheet_id, 0), coalesce(origin_id, 0)) = ($3, $4, $5, $6)
		order by id limit 1 for update skip locked`, kind, by, a.Lot, a.Plan, a.Sheet, a.Origin)
}

// NewRun records a run to be done, and who asked for it.
func NewRun(ctx context.Context, tx *door.Tx, who identity.Actor, kind string, about About) (int64, error) {
	var product, category *int64
	if !about.Owner.None() {
		product, category = ownerColumns(about.Owner)
	}
	asker, err := tx.NumberOf(ctx, who)
	if err != nil {
		return 0, err
	}
	id, err := number(ctx, tx, `insert into run (kind, lot_id, plan_id, origin_id, product_id, category_id, actor_id, sheet_id, import_id,
			sweep_id, receipt_id, dispatch_id)
		values ($1, nullif($2::bigint, 0), nullif($3::bigint, 0), nullif($4::bigint, 0), $5, $6, $7, nullif($8::bigint, 0),
			nullif($9::bigint, 0), nullif($10::bigint, 0), nullif($11::bigint, 0), nullif($12::bigint, 0)) returning id`,
		kind, about.Lot, about.Plan, about.Origin, product, category, asker, about.Sheet, about.Import, about.Sweep, about.Receipt,
		about.Dispatch)
	if err != nil {
		return 0, err
	}
	return id, tx.Announce(ctx, door.Event{Topic: "run", ID: id})
}

// StartRun begins an attempt at a run for this process, which must hold its lease
// (ErrNoLease). It returns ErrChanged where there is nothing to begin: the run has
// ended, or another process does it. The run it returns is as it stands then; one that
// is stopping is only to be ended.
func StartRun(ctx context.Context, tx *door.Tx, process string, id int64) (run Run, attempt door.Attempt, err error) {
	if _, err := number(ctx, tx, `select 1 from process where name = $1 for key share`, process); errors.Is(err, ErrNotFound) {
		return run, attempt, ErrNoLease
	} else if err != nil {
		return run, attempt, err
	}
	attempt.Run = id
	attempt.Number, err = number(ctx, tx, `update run set attempt = attempt + 1, process = $2,
			state = case state when 'stopping' then state else 'running' end,
			started_at = coalesce(started_at, now()), finished_at = null, message = ''
		where id = $1 and state in ('queued', 'running', 'stopping')
			and (process is null or process = $2 or not exists (select from process p where p.name = run.process))
		returning attempt`, id, process)
	if errors.Is(err, ErrNotFound) {
		return run, attempt, ErrChanged
	}
	if err != nil {
		return run, attempt, err
	}
	run, err = one[Run](ctx, tx, runQuery+` where r.id = $1`, id)
	return run, attempt, err
}

// ReleaseRun lets go of a run that this process could not finish, so that any process may take it
// up; got tells that it died on the way, which counts against a run that does not get on.
func ReleaseRun(ctx context.Context, tx *door.Tx, process string, id int64, died bool) error {
	_, err := tx.Exec(ctx, `update run set process = null, `+countDeath("$2")+` where id = $1 and process = $3`, id, died, process)
	return err
}

// countDeath counts, where a condition holds, a death of the process against a run that did not get
// on since the last one.
func countDeath(condition string) string {
	return `deaths = case when not ` + condition + ` then deaths when done > done_at_death then 1 else deaths + 1 end,
		done_at_death = case when ` + condition + ` then done else done_at_death end`
}

// Progress writes how far an attempt at a run is, and returns whether it shall stop. It returns
// ErrSuperseded when another process has taken the run over.
func Progress(ctx context.Context, tx *door.Tx, id, done, total int64) (stop bool, err error) {
	if err := tx.QueryRow(ctx, `update run set done = $2, total = $3 where id = $1 returning state = 'stopping'`, id, done,
		total).Scan(&stop); err != nil {
		return stop, orNotFound(err)
	}
	return stop, tx.Announce(ctx, door.Event{Topic: "run", ID: id, Note: door.Progress})
}

// EndRun records how a run ended.
func EndRun(ctx context.Context, tx *door.Tx, id int64, state, message string) error {
	_, err := tx.Exec(ctx, `update run set state = $2, message = $3, finished_at = now(), process = null where id = $1`, id, state, message)
	if err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "run", ID: id, Note: door.Ended})
}

// StopRun asks a run to stop; one that has not begun stops at once.
func StopRun(ctx context.Context, tx *door.Tx, id int64) error {
	tag, err := tx.Exec(
		ctx,
		`update run set state = case state when 'queued' then 'stopped' else 'stopping' end where id = $1 and state in ('queued', 'running')`,
		id,
	)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return ErrChanged
	}
	return tx.Announce(ctx, door.Event{Topic: "run", ID: id, Note: "stop"})
}

// RequeueRun makes a stopped or failed run ready to go on.
func RequeueRun(ctx context.Context, tx *door.Tx, id int64) error {
	tag, err := tx.Exec(
		ctx,
		`update run set state = 'queued', message = '', finished_at = null, deaths = 0 where id = $1 and state in ('stopped', 'failed')`,
		id,
	)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return ErrChanged
	}
	return tx.Announce(ctx, door.Event{Topic: "run", ID: id})
}

// RunLine is a line of a run's log.
type RunLine struct {
	At   time.Time `json:"at"`
	Text string    `json:"text"`
}

// Log adds a line to a run's log.
func Log(ctx context.Context, tx *door.Tx, id int64, text string) error {
	_, err := tx.Exec(ctx, `insert into run_log (run_id, text) values ($1, $2)`, id, text)
	return err
}

// RunLog returns a run's log, the oldest line first.
func (s *Store) RunLog(ctx context.Context, id int64) ([]RunLine, error) {
	return list[RunLine](ctx, s.pool, `select at, text from run_log where run_id = $1 order by at limit 1000`, id)
}
