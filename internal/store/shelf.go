package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/shelf"
	"ambrosa/internal/door"
)

// Shelved is a picture on the shelf.
type Shelved struct {
	ID      int64     `json:"id" doc:"Of the file"`
	Path    string    `json:"path"`
	Lot     int64     `json:"lot"`
	LotName string    `json:"lotName"`
	Sum     string    `json:"sum" doc:"SHA-256 of its bytes"`
	Bytes   int64     `json:"bytes"`
	Width   int       `json:"width"`
	Height  int       `json:"height"`
	Problem string    `json:"problem" doc:"Why it cannot be shown; empty where it can"`
	Folder  string    `json:"folder" doc:"Path, with slashes; empty for the shelf itself"`
	Words   []string  `json:"words" nullable:"false"`
	Actor   string    `json:"actor"`
	At      time.Time `json:"at" doc:"When it was put there, or last changed"`
	Stands  int64     `json:"stands" doc:"On how many products and categories it is shown"`
}

// ShelfFilter chooses of the shelf. Empty fields choose all.
type ShelfFilter struct {
	Folder string // that pictures are in, or in one of its folders
	Query  string // words that stand in its folder, words or path, each somewhere
	Files  []int64
}

func (f ShelfFilter) where() (string, pgx.NamedArgs) {
	where, args := "true", pgx.NamedArgs{"folder": f.Folder, "files": f.Files}
	if f.Folder != "" {
		where += ` and (s.folder = @folder or starts_with(s.folder, @folder || '/'))`
	}
	if len(f.Files) > 0 {
		where += ` and s.file_id = any(@files)`
	}
	words := strings.Fields(strings.ToLower(f.Query))
	for i, word := range words[:min(len(words), mostWords)] {
		name := fmt.Sprintf("word%d", i)
		where += ` and s.search like @` + name
		args[name] = Like(word)
	}
	return where, args
}

// Shelf returns a page of what a filter chooses, folder by folder, the newest first, and how many
// there are in all.
func (s *Store) Shelf(ctx context.Context, f ShelfFilter, offset, limit int) (page []Shelved, total int64, err error) {
	where, args := f.where()
	args["offset"], args["limit"] = offset, limit
	if total, err = number(ctx, s.pool, `select count(*) from shelved s where `+where, args); err != nil {
		return nil, 0, err
	}
	page, err = list[Shelved](ctx, s.pool, `select s.file_id as id, f.path, f.lot_id as lot, l.name as lot_name,
			coalesce(encode(f.sha256, 'hex'), '') as sum, f.bytes, coalesce(b.width, 0) as width,
			coalesce(b.height, 0) as height, f.problem, s.folder, s.words, actor_name(s.actor_id) as actor, s.at,
			(select count(distinct (p.product_id, p.category_id)) from placement p where p.file_id = s.file_id) as stands
		from (select * from shelved s where `+where+` order by s.folder, s.id desc offset @offset limit @limit) s
		join file f on f.id = s.file_id join lot l on l.id = f.lot_id left join blob b using (sha256) order by s.folder, s.id desc`, args)
	return page, total, err
}

// ShelfFolder is a folder in which pictures are.
type ShelfFolder struct {
	Folder   string `json:"folder"`
	Pictures int64  `json:"pictures" doc:"In itself"`
}

// ShelfFolders returns those in which pictures are.
func (s *Store) ShelfFolders(ctx context.Context) ([]ShelfFolder, error) {
	return list[ShelfFolder](ctx, s.pool, `select folder, count(*) as pictures from shelved group by folder order by lower(folder), folder`)
}

// ShelfPlace is how a file was kept on the shelf and how it is; nil is not at all.
type ShelfPlace struct {
	File int64        `json:"file"`
	Was  *shelf.Place `json:"was"`
	Now  *shelf.Place `json:"now"`
}

// LockShelf keeps files from going and the shelf from being changed until the transaction ends, and
// returns how those of the files are kept that are there. It comes before any other lock of a file,
// and behind that of their lots.
func LockShelf(ctx context.Context, tx *door.Tx, files []int64) ([]ShelfPlace, error) {
	if err := lockFindings(ctx, tx); err != nil {
		return nil, err
	}
	if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(hashtext('shelf'))`); err != nil {
		return nil, err
	}
	return list[ShelfPlace](ctx, tx, `select f.id as file,
			case when s.id is not null then jsonb_build_object('folder', s.folder, 'words', to_jsonb(s.words)) end as was, null::jsonb as now
		from file f left join shelved s on s.file_id = f.id
		where f.id = any($1) and f.sha256 is not null and f.problem = '' and f.verdict <> 'sheet' order by f.id for key share of f`, files)
}

// WriteShelf keeps files as their places say from now on; those of no place come off.
func WriteShelf(ctx context.Context, tx *door.Tx, places []ShelfPlace) error {
	var off []int64
	batch := &pgx.Batch{}
	for _, p := range places {
		if p.Now == nil {
			off = append(off, p.File)
			continue
		}
		batch.Queue(`with put as (
				insert into shelved (file_id, folder, words, search, actor_id)
				select id, $2, $3, lower(concat_ws(' ', $2::text, array_to_string($3::text[], ' '), path)), $4 from file where id = $1
				on conflict (file_id) do update set folder = excluded.folder, words = excluded.words, search = excluded.search,
					actor_id = excluded.actor_id, at = now() returning id, file_id)
			insert into reference (file_id, shelved_id) select file_id, id from put
				on conflict (shelved_id) where shelved_id is not null do nothing`, p.File, p.Now.Folder, p.Now.Words, tx.Who().ID)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from shelved where file_id = any($1)`, off); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from finding g where g.kind = 'orphans'
		and exists (select from shelved s where s.file_id = g.file_id)`); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "shelf"})
}

// NewShelfAct writes down what was done on the shelf at once, and returns what takes it back.
func NewShelfAct(ctx context.Context, tx *door.Tx, places []ShelfPlace, decisions []int64) (int64, error) {
	return number(ctx, tx, `insert into shelf_act (actor_id, places, decisions) values ($1, $2, $3) returning id`,
		tx.Who().ID, places, orEmpty(decisions))
}

// ShelfAct is what was done on the shelf at once.
type ShelfAct struct {
	Places    []ShelfPlace
	Decisions []int64 // that have not been taken back
}

// UndoShelfAct marks an act as taken back and returns it; ErrNotFound means that there is none,
// or that it was taken back before.
func UndoShelfAct(ctx context.Context, tx *door.Tx, id int64) (ShelfAct, error) {
	return one[ShelfAct](ctx, tx, `with a as (update shelf_act set undone_at = now() where id = $1 and undone_at is null returning *)
		select places, array(select d.id from decision d where d.id = any(a.decisions) and d.undone_at is null order by d.lot_id) as decisions
		from a`, id)
}

// LotsOf returns the lots that files came with, in order.
func LotsOf(ctx context.Context, db DB, files []int64) ([]int64, error) {
	return numbers(ctx, db, `select distinct lot_id from file where id = any($1) order by lot_id`, files)
}

// Undecided returns those of some files that wait to be decided on, by their lot.
func Undecided(ctx context.Context, tx *door.Tx, files []int64) (map[int64][]Seen, error) {
	waiting, err := numbers(ctx, tx, `select id from file where id = any($1) and verdict in ('loose', 'contested', 'unread')`, files)
	if err != nil {
		return nil, err
	}
	return FilesByLot(ctx, tx, waiting)
}

// LotShelf returns the folder that a lot was dropped into on the shelf; on is false where it was not.
func (s *Store) LotShelf(ctx context.Context, lot int64) (folder string, on bool, err error) {
	err = s.pool.QueryRow(ctx, `select coalesce(shelf, ''), shelf is not null from lot where id = $1`, lot).Scan(&folder, &on)
	return folder, on, orNotFound(err)
}
