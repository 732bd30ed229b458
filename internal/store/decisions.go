package store

import (
	"context"
	"errors"
	"maps"
	"strings"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/internal/door"
)

// Seen is a file in the version that a person saw.
type Seen struct {
	ID      int64 `json:"id"`
	Version int   `json:"version"`
}

// Together is what was decided of several files at once.
type Together struct {
	ID    int64  `json:"id" doc:"Takes it back"`
	Files []Seen `json:"files" nullable:"false" doc:"The files that were changed, as they are now"`
}

// FileStanding is a file that is decided on, as long as the transaction holds it.
type FileStanding struct {
	Lot     int64
	Version int
	Verdict string
}

// LotOfFile returns the lot that a file came with.
func LotOfFile(ctx context.Context, tx *door.Tx, file int64) (int64, error) {
	return number(ctx, tx, `select lot_id from file where id = $1`, file)
}

// FilesByLot returns files as they are now, by the lot that they came with.
func FilesByLot(ctx context.Context, tx *door.Tx, files []int64) (map[int64][]Seen, error) {
	type row struct {
		Seen
		Lot int64
	}
	rows, err := list[row](ctx, tx, `select id, version, lot_id as lot from file where id = any($1) order by id`, files)
	byLot := map[int64][]Seen{}
	for _, r := range rows {
		byLot[r.Lot] = append(byLot[r.Lot], r.Seen)
	}
	if err == nil && len(rows) < len(files) {
		err = ErrNotFound
	}
	return byLot, err
}

// LockFile keeps a file as it is until the transaction ends.
func LockFile(ctx context.Context, tx *door.Tx, file int64) (FileStanding, error) {
	return one[FileStanding](ctx, tx, `select lot_id as lot, version, verdict from file where id = $1 for update`, file)
}

// CountDecision counts that a lot is decided on, so that plans can tell that they are
// overtaken, and keeps it from being planned or applied until the transaction ends.
// Others may decide on its other files meanwhile.
func CountDecision(ctx context.Context, tx *door.Tx, lot int64) (LotStanding, error) {
	if _, err := number(ctx, tx, `select id from lot where id = $1 for share`, lot); err != nil {
		return LotStanding{}, err
	}
	if _, err := tx.Exec(ctx, `insert into lot_decided (lot_id) values ($1)`, lot); err != nil {
		return LotStanding{}, err
	}
	return one[LotStanding](ctx, tx, lotStandingQuery+` where id = $1`, lot)
}

// Among chooses, beside a filter, the files that a decision is for.
type Among struct {
	Verdicts     []string // only these; empty for all
	Not          []string // none of these
	ByPerson     bool     // only those that a person decided on
	OneCandidate bool     // only those that just one target is proposed for, which is still there

	// LookedUpFor keeps pictures that were looked up by a barcode to the target
	// that has it, or to the product of such a variant; others it does not touch.
	LookedUpFor catalog.Target
	NotLookedUp bool // no pictures that were looked up by a barcode at all
}

// Becomes is what a decision makes of files; what is nil stays.
type Becomes struct {
	Verdict   *string
	Target    *catalog.Target  // none: of no target
	Others    []catalog.Target // that it shows beside its target; without Target they stay
	Candidate bool             // of the target that is proposed
	Place     *int             // 0: as the name has it
	View      *string
	Alt       *string
	Reason    *string
	ByHand    bool // no clue tells it any more
	Unread    bool // the engine may read them again

	// Numbered gives the chosen files places from First on, in the order in which
	// they were chosen, for each target on its own; First 0 takes places away.
	Numbered bool
	First    int
}

// Decision is one decision on files of a lot.
type Decision struct {
	Kind    string // what was done, for the record
	Files   FileFilter
	File    int64 // only this one, when not 0
	Among   Among
	Becomes Becomes
}

// asItWas is a file's verdict as it is kept to be taken back to.
const asItWas = `jsonb_build_object('version', version, 'verdict', verdict, 'product', product_id, 'variant', variant_id,
	'category', category_id, 'others', others, 'place', place, 'view', view, 'alt', alt,
	'clue', clue, 'rung', rung, 'score', score, 'reason', reason, 'why', why, 'by', decided_by,
	'at', decided_at)`

// Decide carries a decision out, keeps how the files were, and returns what takes
// it back. Every file that it changes gets a version of its own.
func Decide(ctx context.Context, tx *door.Tx, lot int64, d Decision) (done Together, err error) {
	where, args := d.Files.where(lot)
	args["lot"], args["kind"], args["actor"] = lot, d.Kind, tx.Who().ID
	if d.File != 0 {
		where += ` and id = @file`
		args["file"] = d.File
	}
	among, amongArgs := d.Among.where()
	maps.Copy(args, amongArgs)
	set, also, setArgs, err := d.Becomes.set(ctx, tx)
	if err != nil {
		return done, err
	}
	maps.Copy(args, setArgs)
	if done.ID, err = number(ctx, tx, `insert into decision (lot_id, kind, actor_id) values (@lot, @kind, @actor) returning id`,
		args); err != nil {
		return done, err
	}
	args["decision"] = done.ID
	done.Files, err = list[Seen](ctx, tx, `with chosen as (
			select id, evidence, `+asItWas+` as before from file where `+where+` and `+among+` for update),
		changed as (update file f set `+set+`, version = nextval('file_version') from chosen c `+also+` where f.id = c.id
			returning f.id, f.version, c.before)
		insert into decision_file (decision_id, file_id, version, before) select @decision, id, version, before from changed
		returning file_id as id, version`, args)
	if err != nil {
		return done, err
	}
	return done, tx.Announce(ctx, door.Event{Topic: "files", ID: lot})
}

// where is the SQL of a choice.
func (a Among) where() (string, pgx.NamedArgs) {
	conditions, args := []string{"true"}, pgx.NamedArgs{}
	if len(a.Verdicts) > 0 {
		conditions = append(conditions, `verdict = any(@among)`)
		args["among"] = a.Verdicts
	}
	if len(a.Not) > 0 {
		conditions = append(conditions, `verdict <> all(@not_among)`)
		args["not_among"] = a.Not
	}
	if a.ByPerson {
		conditions = append(conditions, `decided_by in ('person', 'plan')`)
	}
	if a.OneCandidate {
		conditions = append(conditions, `jsonb_array_length(coalesce(evidence->'candidates', '[]')) = 1
			and (exists (select from product where id = (evidence->'candidates'->0->>'product')::bigint)
				or exists (select from category where id = (evidence->'candidates'->0->>'category')::bigint))`)
	}
	if !a.LookedUpFor.None() {
		conditions = append(conditions, `((select origin from lot where id = @lot) <> 'lookup' or exists (select from variant v
			where v.gtin = said->>'barcode' and (@looked_kind = 'product' and v.product_id = @looked_id or @looked_kind = 'variant'
			and v.id = @looked_id)))`)
		args["looked_kind"], args["looked_id"] = string(a.LookedUpFor.Kind), a.LookedUpFor.ID
	}
	if a.NotLookedUp {
		conditions = append(conditions, `(select origin from lot where id = @lot) <> 'lookup'`)
	}
	return strings.Join(conditions, " and "), args
}

// set is the SQL of what becomes of files, c being the file as it was; also is
// what is joined to c for it to read.
func (b Becomes) set(ctx context.Context, tx *door.Tx) (set, also string, args pgx.NamedArgs, err error) {
	var parts []string
	args = pgx.NamedArgs{}
	add := func(sql, name string, value any) {
		parts = append(parts, sql)
		args[name] = value
	}
	if b.Unread {
		return `verdict = 'unread', decided_by = '', others = '[]'`, "", args, nil
	}
	if b.Verdict != nil {
		add(`verdict = @verdict_set`, "verdict_set", *b.Verdict)
	}
	if b.Candidate {
		parts = append(parts, `others = '[]', product_id = nullif((c.evidence->'candidates'->0->>'product')::bigint, 0),
			category_id = nullif((c.evidence->'candidates'->0->>'category')::bigint, 0),
			variant_id = nullif((c.evidence->'candidates'->0->>'variant')::bigint, 0)`)
	}
	if b.Target != nil {
		var columns targetColumns
		if !b.Target.None() {
			if columns, err = columnsOf(ctx, tx, *b.Target); err != nil {
				return "", "", nil, err
			}
		}
		add(`product_id = nullif(@product::bigint, 0)`, "product", columns.Product)
		add(`variant_id = nullif(@variant::bigint, 0)`, "variant", columns.Variant)
		add(`category_id = nullif(@category::bigint, 0)`, "category", columns.Category)
		others, err := othersOf(ctx, tx, *b.Target, b.Others)
		if err != nil {
			return "", "", nil, err
		}
		add(`others = @others::jsonb`, "others", others)
	}
	if b.Place != nil {
		add(`place = nullif(@place::int, 0)`, "place", *b.Place)
	}
	if b.View != nil {
		add(`view = @view`, "view", *b.View)
	}
	if b.Alt != nil {
		add(`alt = @alt`, "alt", *b.Alt)
	}
	if b.Reason != nil {
		add(`reason = @reason`, "reason", *b.Reason)
	}
	if b.ByHand {
		parts = append(parts, `clue = '', rung = '', score = 0, why = ''`)
	}
	if b.Numbered {
		add(`place = n.place`, "first", b.First)
		also = `join (select id, case when @first::int > 0
				then @first::int - 1 + row_number() over (partition by product_id, variant_id, category_id order by at) end as place
			from file join unnest(@chosen::bigint[], @versions::int[]) with ordinality as o (id, version, at) using (id, version)
			where lot_id = @lot and verdict = 'paired') n using (id)`
	}
	parts = append(parts, `decided_by = 'person', decided_at = now()`)
	return strings.Join(parts, ", "), also, args, nil
}

// othersOf returns the targets that a file shows beside its first one, as its row holds them, each once.
func othersOf(ctx context.Context, tx *door.Tx, first catalog.Target, others []catalog.Target) ([]map[string]int64, error) {
	held := []map[string]int64{}
	seen := map[catalog.Target]bool{first: true}
	for _, t := range others {
		if seen[t] {
			continue
		}
		seen[t] = true
		columns, err := columnsOf(ctx, tx, t)
		if err != nil {
			return nil, err
		}
		row := map[string]int64{}
		for name, id := range map[string]int64{"product": columns.Product, "variant": columns.Variant, "category": columns.Category} {
			if id != 0 {
				row[name] = id
			}
		}
		held = append(held, row)
	}
	return held, nil
}

// UndoDecision marks a decision as taken back and returns whose lot it was of;
// ErrNotFound means that there is none, or that it was taken back before.
func UndoDecision(ctx context.Context, tx *door.Tx, id int64) (lot int64, err error) {
	return number(ctx, tx, `update decision set undone_at = now() where id = $1 and undone_at is null returning lot_id`, id)
}

// BringBack makes files be again as they were before a decision, in the versions
// that they had; those that somebody decided on since stay. It returns those that
// it brought back, and how many stayed.
func BringBack(ctx context.Context, tx *door.Tx, decision, lot int64) (files []Seen, stayed int64, err error) {
	files, err = list[Seen](ctx, tx, `update file f set verdict = d.before->>'verdict', product_id = (d.before->>'product')::bigint,
			variant_id = (d.before->>'variant')::bigint, category_id = (d.before->>'category')::bigint, 
			others = coalesce(d.before->'others', '[]'), place = (d.before->>'place')::int,
			view = d.before->>'view', alt = coalesce(d.before->>'alt', alt),
			clue = d.before->>'clue', rung = d.before->>'rung', score = (d.before->>'score')::real,
			reason = d.before->>'reason', why = coalesce(d.before->>'why', ''), decided_by = d.before->>'by',
			decided_at = (d.before->>'at')::timestamptz, version = coalesce((d.before->>'version')::int, nextval('file_version'))
		from decision_file d where d.decision_id = $1 and f.id = d.file_id and f.version = d.version returning f.id, f.version`, decision)
	if err != nil {
		return nil, 0, err
	}
	if stayed, err = number(ctx, tx, `select count(*) - $2 from decision_file where decision_id = $1`, decision, len(files)); err != nil {
		return nil, 0, err
	}
	return files, stayed, tx.Announce(ctx, door.Event{Topic: "files", ID: lot})
}

// orNotFound makes of a query's having no row an ErrNotFound.
func orNotFound(err error) error {
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNotFound
	}
	return err
}
