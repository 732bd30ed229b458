package store

import (
	"context"
	"maps"

	"github.com/jackc/pgx/v5"
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

// asItWas is a file's verdict as it is kept to be taken back to.
const asItWas = `jsonb_build_object('version', version, 'verdict', verdict, 'product', product_id, 'variant', variant_id, 'place', place, 'view', view, 'clue', clue, 'rung', rung,
	'score', score, 'reason', reason, 'why', why, 'by', decided_by, 'at', decided_at)`

// change is something that is done to several files at once.
type change struct {
	kind string
	of   string // condition on the files, beside the filter
	set  string // what becomes of them; c is the file as it was
	also string // what is joined to c for set to read
	args pgx.NamedArgs
}

const byPerson = `decided_by = 'person', decided_at = now()`

const ofNoClue = `clue = '', rung = '', score = 0, why = ''`

// unread gives a file back to the engine.
const unread = `verdict = 'unread', decided_by = ''`

// oneCandidate is the condition that one target is proposed for a loose file.
const oneCandidate = `verdict = 'loose' and jsonb_array_length(coalesce(evidence->'candidates', '[]')) = 1`

// SetAside sets those of a lot's files aside that a filter chooses, for a
// reason. Unusable files, and those that are set aside, stay as they are.
func (s *Store) SetAside(ctx context.Context, lot int64, f FileFilter, reason string) (Together, error) {
	return s.together(ctx, lot, f, change{kind: "set aside", of: `verdict not in ('unusable', 'set aside')`,
		set:  `verdict = 'set aside', product_id = null, variant_id = null, place = null, view = '', reason = @reason, ` + ofNoClue + `, ` + byPerson,
		args: pgx.NamedArgs{"reason": reason}})
}

// AcceptTogether pairs those of a lot's loose files that a filter chooses and
// that have one candidate with it.
func (s *Store) AcceptTogether(ctx context.Context, lot int64, f FileFilter) (Together, error) {
	return s.together(ctx, lot, f, change{kind: "accepted",
		of: oneCandidate + ` and exists (select from product where id = (evidence->'candidates'->0->>'product')::bigint)`,
		set: `verdict = 'paired', product_id = (c.evidence->'candidates'->0->>'product')::bigint,
			variant_id = nullif((c.evidence->'candidates'->0->>'variant')::bigint, 0), ` + byPerson})
}

// PairTogether pairs those of a lot's files that a filter chooses with a product
// (variant 0) or variant; each keeps the place and view that were read. A
// picture that was looked up for another barcode stays as it is.
func (s *Store) PairTogether(ctx context.Context, lot int64, f FileFilter, product, variant int64, reason string) (Together, error) {
	if err := isTarget(ctx, s.Pool, product, variant); err != nil {
		return Together{}, err
	}
	return s.together(ctx, lot, f, change{kind: "paired",
		of: `verdict <> 'unusable' and ((select origin from lot where id = @lot) <> 'lookup'
			or exists (select from variant v where v.product_id = @product and v.gtin = said->>'barcode' and (@variant = 0 or v.id = @variant)))`,
		set:  `verdict = 'paired', product_id = @product, variant_id = nullif(@variant::bigint, 0), reason = @reason, ` + ofNoClue + `, ` + byPerson,
		args: pgx.NamedArgs{"product": product, "variant": variant, "reason": reason}})
}

// ViewTogether gives those of a lot's paired files that a filter chooses a view,
// "" for none.
func (s *Store) ViewTogether(ctx context.Context, lot int64, f FileFilter, view string) (Together, error) {
	return s.together(ctx, lot, f, change{kind: "view", of: `verdict = 'paired'`, set: `view = @view, reason = 'view set by hand', ` + ofNoClue + `, ` + byPerson,
		args: pgx.NamedArgs{"view": view}})
}

// PlaceTogether numbers the chosen of a lot's paired files in the order in which
// they are given, from first on, for each product or variant on its own; 0
// leaves their places to the names.
func (s *Store) PlaceTogether(ctx context.Context, lot int64, chosen []Seen, first int) (Together, error) {
	return s.together(ctx, lot, FileFilter{Chosen: chosen}, change{kind: "place", of: `verdict = 'paired'`,
		also: `join (select id, case when @first::int > 0 then @first::int - 1 + row_number() over (partition by product_id, variant_id order by at) end as place
			from file join unnest(@chosen::bigint[], @versions::int[]) with ordinality as o (id, version, at) using (id, version) where lot_id = @lot and verdict = 'paired') n using (id)`,
		set:  `place = n.place, reason = 'place set by hand', ` + ofNoClue + `, ` + byPerson,
		args: pgx.NamedArgs{"first": first}})
}

// GiveBackTogether undoes persons' decisions on those of a lot's files that a
// filter chooses: the engine may read them again.
func (s *Store) GiveBackTogether(ctx context.Context, lot int64, f FileFilter) (Together, error) {
	return s.together(ctx, lot, f, change{kind: "reopened", of: `verdict <> 'unusable' and decided_by = 'person'`, set: unread})
}

// together changes a lot's files that a filter chooses, keeps how they were and
// returns what takes it back. ErrChanged means that the lot is not open.
func (s *Store) together(ctx context.Context, lot int64, f FileFilter, c change) (done Together, err error) {
	where, args := f.where(lot)
	err = s.Within(ctx, func(tx pgx.Tx) error {
		if err := deciding(ctx, tx, lot); err != nil {
			return err
		}
		done, err = c.record(ctx, tx, lot, where, args)
		return err
	})
	return done, err
}

// deciding lets a transaction change what is decided of a lot: it locks the lot
// and counts its decisions, so that plans can tell that they are overtaken.
// ErrChanged means that the lot is not ready yet, ErrApplied that its pictures
// stand by the decisions.
func deciding(ctx context.Context, tx pgx.Tx, lot int64) error {
	var state string
	if err := tx.QueryRow(ctx, `update lot set decisions = decisions + 1 where id = $1 returning state`, lot).Scan(&state); err != nil {
		return orNotFound(err)
	}
	if state == "applied" {
		return ErrApplied
	}
	busy, err := number(ctx, tx, `select count(*) from plan p join plan_lot pl on pl.plan_id = p.id where pl.lot_id = $1 and p.state in ('applying', 'reverting')`, lot)
	switch {
	case err != nil:
		return err
	case busy > 0:
		return ErrApplied
	case state != "ready":
		return ErrChanged
	}
	return nil
}

// record makes a change to the files of a lot that a condition chooses,
// each of which gets a version of its own, and keeps how they were.
func (c change) record(ctx context.Context, tx pgx.Tx, lot int64, where string, args pgx.NamedArgs) (done Together, err error) {
	maps.Copy(args, c.args)
	args["lot"], args["kind"] = lot, c.kind
	if done.ID, err = number(ctx, tx, `insert into aside (lot_id, kind) values (@lot, @kind) returning id`, args); err != nil {
		return done, err
	}
	args["aside"] = done.ID
	done.Files, err = list[Seen](ctx, tx, `with chosen as (
			select id, evidence, `+asItWas+` as before from file where `+where+` and `+c.of+` for update),
		changed as (update file f set `+c.set+`, version = nextval('file_version') from chosen c `+c.also+` where f.id = c.id returning f.id, f.version, c.before)
		insert into aside_file (aside_id, file_id, version, before) select @aside, id, version, before from changed returning file_id as id, version`, args)
	if err != nil {
		return done, err
	}
	return done, Notify(ctx, tx, Event{Topic: "files", ID: lot})
}

// TakeBack brings files back as they were before they were decided on, in the
// versions that they had; those that somebody decided on since stay. It returns
// those that it brought back, and how many stayed. ErrChanged means that the lot
// is not open any more.
func (s *Store) TakeBack(ctx context.Context, id int64) (files []Seen, stayed int64, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		lot, err := number(ctx, tx, `update aside set undone_at = now() where id = $1 and undone_at is null returning lot_id`, id)
		if err != nil {
			return err
		}
		if err := deciding(ctx, tx, lot); err != nil {
			return err
		}
		files, err = list[Seen](ctx, tx, `update file f set verdict = a.before->>'verdict', product_id = (a.before->>'product')::bigint, variant_id = (a.before->>'variant')::bigint,
				place = (a.before->>'place')::int, view = a.before->>'view', clue = a.before->>'clue', rung = a.before->>'rung', score = (a.before->>'score')::real,
				reason = a.before->>'reason', why = coalesce(a.before->>'why', ''), decided_by = a.before->>'by', decided_at = (a.before->>'at')::timestamptz,
				version = coalesce((a.before->>'version')::int, nextval('file_version'))
			from aside_file a where a.aside_id = $1 and f.id = a.file_id and f.version = a.version returning f.id, f.version`, id)
		if err != nil {
			return err
		}
		if stayed, err = number(ctx, tx, `select count(*) - $2 from aside_file where aside_id = $1`, id, len(files)); err != nil {
			return err
		}
		return Notify(ctx, tx, Event{Topic: "files", ID: lot})
	})
	return files, stayed, err
}
