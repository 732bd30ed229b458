package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"ambrosa/core/pairing"
	"ambrosa/internal/door"
)

// NamedClues is a clue list that a person made.
type NamedClues struct {
	ID      int64            `json:"id"`
	Name    string           `json:"name"`
	List    pairing.ClueList `json:"list"`
	Version int              `json:"version" doc:"A list that was changed since is not written over"`
	Changed time.Time        `json:"changed"`
	Lots    int              `json:"lots" doc:"That are read with it by themselves"`
	Origins int              `json:"origins"`
}

const cluesQuery = `select c.id, c.name, c.list, c.version, c.changed_at as changed,
		(select count(*) from lot where clue_list_id = c.id)::int as lots, (select count(*) from origin where clue_list_id = c.id)::int as origins
	from clue_list c`

// ClueLists returns all lists in order of their names.
func (s *Store) ClueLists(ctx context.Context) ([]NamedClues, error) {
	return list[NamedClues](ctx, s.pool, cluesQuery+` order by lower(c.name)`)
}

// ErrNameTaken means that something else has the name.
var ErrNameTaken = errors.New("the name is taken")

func taken(err error, constraint string) error {
	var refused *pgconn.PgError
	if errors.As(err, &refused) && refused.ConstraintName == constraint {
		return ErrNameTaken
	}
	return err
}

// AddClueList keeps a list under a name and returns its id. ErrNameTaken means
// that there is another of the name.
func AddClueList(ctx context.Context, tx *door.Tx, name string, clues pairing.ClueList) (id int64, err error) {
	id, err = number(ctx, tx, `insert into clue_list (name, list) values ($1, $2) returning id`, name, clues)
	return id, taken(err, "clue_list_name")
}

// ChangeClueList writes a list over the version that a person saw; ErrChanged
// means that it was changed since.
func ChangeClueList(ctx context.Context, tx *door.Tx, l NamedClues) error {
	_, err := number(
		ctx, tx,
		`update clue_list set name = $2, list = $3, version = version + 1, changed_at = now() where id = $1 and version = $4 returning id`,
		l.ID, l.Name, l.List, l.Version,
	)
	if errors.Is(err, ErrNotFound) {
		return ErrChanged
	}
	return taken(err, "clue_list_name")
}

// RemoveClueList forgets a list; what was read with it stays.
func RemoveClueList(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := number(ctx, tx, `delete from clue_list where id = $1 returning id`, id)
	return err
}

// LotClues returns the list that a lot is read with. Its id is 0 for the usual
// one.
func (s *Store) LotClues(ctx context.Context, lot int64) (NamedClues, error) {
	return lotClues(ctx, s.pool, lot)
}

func lotClues(ctx context.Context, db DB, lot int64) (NamedClues, error) {
	found, err := one[NamedClues](ctx, db, cluesQuery+` join lot l on l.id = $1 left join origin o on o.id = l.origin_id
		where c.id = coalesce(l.clue_list_id, o.clue_list_id)`, lot)
	if errors.Is(err, ErrNotFound) {
		return NamedClues{Name: "the usual clues", List: pairing.DefaultClues()}, nil
	}
	found.List = found.List.Whole()
	return found, err
}

// ReadWith says with which list a lot is read from now on (0 for the usual
// one), and with always whatever else comes from its origin.
func ReadWith(ctx context.Context, tx *door.Tx, lot, clues int64, always bool) error {
	if _, err := number(ctx, tx, `update lot set clue_list_id = nullif($2::bigint, 0) where id = $1 returning id`, lot, clues); err != nil {
		return err
	}
	if always {
		if _, err := tx.Exec(ctx, `
			update origin o set clue_list_id = nullif($2::bigint, 0) from lot l where l.id = $1 and o.id = l.origin_id`, lot, clues); err != nil {
			return err
		}
	}
	return tx.Announce(ctx, door.Event{Topic: "lot", ID: lot})
}

// Teach adds a step to the list that a lot is read with; a lot that is read
// with the usual clues gets a list of its own, named after it.
func Teach(ctx context.Context, tx *door.Tx, lot int64, step pairing.Step) (clues int64, err error) {
	now, err := lotClues(ctx, tx, lot)
	if err != nil {
		return 0, err
	}
	now.List.Steps = append(now.List.Steps, step)
	if now.ID > 0 {
		return now.ID, ChangeClueList(ctx, tx, now)
	}
	wanted := ""
	if err := tx.QueryRow(ctx, `select coalesce(o.name, l.name) from lot l left join origin o on o.id = l.origin_id where l.id = $1`,
		lot).Scan(&wanted); err != nil {
		return 0, orNotFound(err)
	}
	name := wanted
	for n := 2; ; n++ {
		err = tx.Part(ctx, func(part *door.Tx) error {
			clues, err = AddClueList(ctx, part, name, now.List)
			return err
		})
		if err == nil {
			return clues, ReadWith(ctx, tx, lot, clues, false)
		}
		if !errors.Is(err, ErrNameTaken) || n > 50 {
			return 0, err
		}
		name = fmt.Sprintf("%s (%d)", wanted, n)
	}
}

// Group is the files of a lot that a verdict of one kind was given.
type Group struct {
	Verdict string `json:"verdict"`
	Clue    string `json:"clue"`
	Rung    string `json:"rung"`
	Why     string `json:"why" doc:"The kind of reason, of what is not paired"`
	ByHand  bool   `json:"byHand" doc:"A person decided"`
	Files   int    `json:"files"`
	Sure    int    `json:"sure" doc:"Of them, those with one candidate, which can be accepted together"`
}

// Groups counts a lot's files by the kind of their verdict.
func (s *Store) Groups(ctx context.Context, lot int64) ([]Group, error) {
	return list[Group](ctx, s.pool, `select verdict, clue, rung, why, decided_by = 'person' as by_hand, count(*)::int as files,
			(count(*) filter (where verdict = 'loose' and jsonb_array_length(coalesce(evidence->'candidates', '[]')) = 1))::int as sure
		from file where lot_id = $1 group by 1, 2, 3, 4, 5 order by 1, files desc, 2, 3, 4`, lot)
}

// PlacedPicture is a picture that stands on a product.
type PlacedPicture struct {
	Product     int64
	Variant     int64
	Path        string
	Sum         []byte
	Fingerprint int64
	Tint        []byte
}

// PlacedPictures returns the pictures that stand on products, by their
// fingerprints.
func (s *Store) PlacedPictures(ctx context.Context) ([]PlacedPicture, error) {
	return list[PlacedPicture](
		ctx,
		s.pool,
		`select pl.product_id as product, coalesce(pl.variant_id, 0) as variant, f.path, b.sha256 as sum, b.fingerprint, coalesce(b.tint,
			'') as tint
		from placement pl join file f on f.id = pl.file_id join blob b on b.sha256 = f.sha256
		where pl.product_id is not null and b.fingerprint is not null and b.problem = ''
		order by pl.id`,
	)
}

// NearPicture is a picture on a product that looks like one of several fingerprints.
type NearPicture struct {
	PlacedPicture
	Of int // position of the fingerprint
}

// nearMost is how many different pictures are found that look like one fingerprint.
const nearMost = 1000

// NearPictures returns the pictures that stand on products and whose fingerprints differ from those given in at most
// MostBits of core/upkeep, the nearest first: for a few fingerprints, without reading all pictures.
func (s *Store) NearPictures(ctx context.Context, fingerprints []int64) ([]NearPicture, error) {
	return list[NearPicture](ctx, s.pool, fmt.Sprintf(`
		select q.n::int - 1 as of, pl.product_id as product, coalesce(pl.variant_id, 0) as variant, f.path, b.sha256 as sum, b.fingerprint,
			coalesce(b.tint, '') as tint
		from unnest($1::bigint[]) with ordinality q (fingerprint, n)
		cross join lateral (select ob.sha256, ob.fingerprint, ob.tint, near.bits from %s near
			join blob ob on ob.fingerprint = near.fingerprint and ob.problem = '' order by near.bits limit %d) b
		join file f on f.sha256 = b.sha256 join placement pl on pl.file_id = f.id
		where pl.product_id is not null order by q.n, b.bits, pl.id`, nearPrints("q.fingerprint"), nearMost), fingerprints)
}

// Code is a barcode in a picture, and where: the corners in parts of the
// picture's width and height.
type Code struct {
	Text   string       `json:"text"`
	Format string       `json:"format"`
	Points [][2]float64 `json:"points" nullable:"false"`
}

// Unlooked is a picture whose barcodes were not looked for.
type Unlooked struct {
	Sum []byte
}

// UnlookedBlobs returns the pictures of a lot's loose files, or of all, whose
// barcodes were not looked for.
func (s *Store) UnlookedBlobs(ctx context.Context, lot int64, all bool) ([]Unlooked, error) {
	return list[Unlooked](ctx, s.pool, `select distinct b.sha256 as sum from file f join blob b on b.sha256 = f.sha256
		where f.lot_id = $1 and (f.verdict = 'loose' or $2 and f.verdict not in ('unusable', 'sheet'))
			and b.codes is null and b.problem = ''`, lot, all)
}

// SetCodes records the barcodes of a picture.
func SetCodes(ctx context.Context, tx *door.Tx, sum []byte, codes []Code) error {
	if codes == nil {
		codes = []Code{}
	}
	text, err := json.Marshal(codes)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `update blob set codes = $2 where sha256 = $1`, sum, text)
	return err
}

// CodesToHeed counts a lot's loose and contested files in whose pictures a
// barcode was read.
func (s *Store) CodesToHeed(ctx context.Context, lot int64) (int64, error) {
	return number(ctx, s.pool, `select count(*) from file f join blob b on b.sha256 = f.sha256
		where f.lot_id = $1 and f.verdict in ('loose', 'contested') and f.decided_by <> 'person' and b.codes <> '[]'`, lot)
}
