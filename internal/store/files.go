package store

import (
	"bytes"
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/pairing"
	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
	"ambrosa/internal/door"
)

// File is a file of a lot, with its verdict.
type File struct {
	ID        int64           `json:"id"`
	LotID     int64           `json:"lot"`
	Path      string          `json:"path"`
	Bytes     int64           `json:"bytes"`
	Sum       string          `json:"sum" doc:"SHA-256, empty when nothing was stored"`
	Problem   string          `json:"problem" doc:"Why it cannot be used"`
	Sheet     int64           `json:"sheet" doc:"The sheet that it is; 0 where it is none, or not read yet"`
	Type      string          `json:"type"`
	Width     int             `json:"width"`
	Height    int             `json:"height"`
	Colour    string          `json:"colour"`
	Alpha     bool            `json:"alpha"`
	Frames    int             `json:"frames"`
	Verdict   string          `json:"verdict" enum:"unread,paired,contested,loose,set aside,unusable,sheet"`
	Target    *catalog.Target `json:"target,omitempty" doc:"What it is paired with; left out for nothing"`
	Product   int64           `json:"product" doc:"That it is paired with, or whose variant"`
	Variant   int64           `json:"variant"`
	Code      string          `json:"code" doc:"SKU of the variant, code of the product as a whole, or path of the category"`
	Title     string          `json:"title"`
	Place     int             `json:"place" doc:"0 when none was read"`
	View      string          `json:"view"`
	Clue      string          `json:"clue"`
	Rung      string          `json:"rung"`
	Score     float64         `json:"score"`
	Reason    string          `json:"reason"`
	Why       string          `json:"why" doc:"The kind of reason, of what is not paired"`
	DecidedBy string          `json:"decidedBy"`
	Version   int             `json:"version"`
	Evidence  json.RawMessage `json:"-"`
	Rights    string          `json:"rights" enum:"cleared,restricted,unknown"`
	Licence   string          `json:"licence"`
	Credit    string          `json:"credit"`
	Expires   *time.Time      `json:"expires" doc:"The first day that it may not be used any more"`
	Same      int             `json:"same" doc:"Other files of any lot with the same bytes"`
	Address   string          `json:"address" doc:"Where it was read from, of pages and lookups"`
	Said      json.RawMessage `json:"said,omitempty" doc:"What its source said of it, by field"`
	Stated    rights.Stated   `json:"stated" doc:"What it says of its rights itself"`
	Codes     []Code          `json:"codes" nullable:"false" doc:"Barcodes that were read in the picture"`

	MarkBits      int     `json:"-"`
	ContentWidth  int     `json:"-"`
	ContentHeight int     `json:"-"`
	Detail        float64 `json:"-"`
	LikeBits      int     `json:"-"`
	LikePath      string  `json:"-"`
	LikePixels    int64   `json:"-"`
	LikeLot       string  `json:"-"`
	SamePath      string  `json:"-"`
	SameLot       string  `json:"-"`
}

// Evidence is what a verdict rests on, as it is stored with a file.
type Evidence struct {
	Key        string              `json:"key,omitempty"`
	Spans      []Span              `json:"spans"`
	Candidates []EvidenceCandidate `json:"candidates,omitempty"`
	Bare       bool                `json:"bare,omitempty"`
	Rows       []SheetLine         `json:"rows,omitempty"`
}

// SheetLine is a row of a sheet that came with the lot, which names the file.
type SheetLine struct {
	Line  int    `json:"line"`
	File  string `json:"file"`
	SKU   string `json:"sku"`
	Place int    `json:"place" doc:"0 when it says none"`
	View  string `json:"view"`
	Alt   string `json:"alt"`
	Lead  bool   `json:"lead"`
}

// LineOf is a row as evidence holds it.
func LineOf(r pairing.Row) SheetLine {
	return SheetLine{Line: r.Line, File: r.File, SKU: r.SKU, Place: r.Place, View: r.View, Alt: r.Alt, Lead: r.Lead}
}

// Span is a part of a path and what it was read as.
type Span struct {
	Start int    `json:"start"`
	End   int    `json:"end"`
	Kind  string `json:"kind" enum:"key,place,view,noise"`
	What  string `json:"what,omitempty"`
	// Which option it is, and its value as the catalog spells it.
	Option string `json:"option,omitempty"`
}

// EvidenceCandidate is a target that a file might belong to.
type EvidenceCandidate struct {
	Product  int64   `json:"product"`
	Variant  int64   `json:"variant,omitempty"`
	Category int64   `json:"category,omitempty" doc:"Instead of a product"`
	Code     string  `json:"code"`
	Title    string  `json:"title,omitempty"`
	Key      string  `json:"key"`
	Clue     string  `json:"clue"`
	Rung     string  `json:"rung"`
	Score    float64 `json:"score"`
}

var fileColumns = targetOf("f") + ` as target,
	f.id, f.lot_id, f.path, f.bytes, coalesce(encode(f.sha256, 'hex'), '') as sum,
	case when f.verdict = 'sheet' then coalesce((select s.problem from sheet s where s.id = f.sheet_id), '') else f.problem end as problem,
	coalesce(f.sheet_id, 0) as sheet, coalesce(b.type, '') as type,
	coalesce(b.width, 0) as width, coalesce(b.height, 0) as height, coalesce(b.colour, '') as colour, coalesce(b.alpha, false) as alpha,
	coalesce(b.frames, 1) as frames, f.verdict, coalesce(f.product_id, 0) as product, coalesce(f.variant_id, 0) as variant,
	coalesce(v.sku, p.code, g.path, '') as code, coalesce(p.title, g.name, '') as title, coalesce(f.place, 0) as place, f.view, f.clue, f.rung,
	f.score::float8 as score, f.reason, f.why, f.decided_by, f.version, f.evidence, f.rights, f.licence, f.credit,
		f.expires::timestamptz as expires,
	f.address, f.said, coalesce(b.stated, '{}') as stated, coalesce(b.codes, '[]') as codes, f.marks as mark_bits,
		coalesce(b.content_width, 0) as content_width, coalesce(b.content_height, 0) as content_height,
	coalesce(b.detail, 0)::float8 as detail, f.like_bits, coalesce(lf.path, '') as like_path, coalesce(lf.pixels, 0) as like_pixels,
		coalesce(ll.name, '') as like_lot,
	coalesce(sf.path, '') as same_path, coalesce(sf.name, '') as same_lot`

// twinsCounted is how many other files have the same bytes, as far as it is counted.
const twinsCounted = `, (case when f.sha256 is null then 0 else (select count(*) - 1 from (select 1 from file o where o.sha256 = f.sha256
	limit 100) twins) end)::int as same`

const fileJoins = `
	left join blob b on b.sha256 = f.sha256 left join product p on p.id = f.product_id left join variant v on v.id = f.variant_id
	left join category g on g.id = f.category_id
	left join file lf on lf.id = f.like_id left join lot ll on ll.id = lf.lot_id
	left join lateral (select o.path, l.name from file o join lot l on l.id = o.lot_id where f.marks & 8 <> 0 and o.sha256 = f.sha256
	and o.id < f.id order by o.id limit 1) sf on true`

// FileFilter chooses files of a lot.
type FileFilter struct {
	Verdict string // empty for all
	Query   string // part of the path
	Rights  string // empty for all
	Mark    string // name of a mark; empty for all
	Type    string // empty for all
	Shape   string // square, upright, lying; empty for all
	Chosen  []Seen // only these, as far as they are as they were seen; empty for all
	Kind    *Group // only files whose verdict is of this kind
	Sort    string // arrival (or empty), name, bytes, pixels, shape, type, score (the weakest first)
	Down    bool   // the largest first
	Offset  int
	Limit   int
}

var fileOrders = map[string]string{
	"": "f.id", "arrival": "f.id", "name": "lower(f.path)", "bytes": "f.bytes", "pixels": "f.pixels", "shape": "f.ratio",
	"type": "f.type", "score": "f.score",
}

func (f FileFilter) order() string {
	by := fileOrders[f.Sort]
	if by == "" {
		by = "f.id"
	}
	if f.Down {
		by += " desc"
	}
	return by + ", f.id"
}

func (f FileFilter) where(lot int64) (string, pgx.NamedArgs) {
	where := "lot_id = @lot"
	if f.Verdict != "" {
		where += " and verdict = @verdict"
	}
	if f.Query != "" {
		where += " and lower(path) like @like"
	}
	if f.Rights != "" {
		where += " and rights = @of_rights"
	}
	if f.Mark != "" {
		where += " and marks & @mark <> 0"
	}
	if f.Type != "" {
		where += " and type = @type"
	}
	switch f.Shape {
	case "square":
		where += " and ratio between 0.95 and 1.05"
	case "upright":
		where += " and ratio > 0 and ratio < 0.95"
	case "lying":
		where += " and ratio > 1.05"
	}
	args := pgx.NamedArgs{
		"lot":       lot,
		"mark":      int(picturespec.MarkOf(f.Mark)),
		"type":      f.Type,
		"verdict":   f.Verdict,
		"like":      Like(f.Query),
		"of_rights": f.Rights,
	}
	if len(f.Chosen) > 0 {
		where += " and (id, version) in (select * from unnest(@chosen::bigint[], @versions::int[]))"
		ids, versions := make([]int64, 0, len(f.Chosen)), make([]int, 0, len(f.Chosen))
		for _, c := range f.Chosen {
			ids, versions = append(ids, c.ID), append(versions, c.Version)
		}
		args["chosen"], args["versions"] = ids, versions
	}
	if k := f.Kind; k != nil {
		where += " and clue = @clue and rung = @rung and why = @why and (decided_by = 'person') = @by_hand"
		args["clue"], args["rung"], args["why"], args["by_hand"] = k.Clue, k.Rung, k.Why, k.ByHand
	}
	return where, args
}

// Files returns a page of a lot's files in order of arrival, and how many there
// are in all.
func (s *Store) Files(ctx context.Context, lot int64, f FileFilter) (page []File, total int64, err error) {
	where, args := f.where(lot)
	args["offset"], args["limit"] = f.Offset, f.Limit
	if total, err = number(ctx, s.pool, `select count(*) from file where `+where, args); err != nil {
		return nil, 0, err
	}
	page, err = list[File](ctx, s.pool, `select `+fileColumns+twinsCounted+`
		from (select id from file f where `+where+` order by `+f.order()+` offset @offset limit @limit) page
		join file f using (id) `+fileJoins+` order by `+f.order(), args)
	return page, total, err
}

// FileIDs returns a lot's files that a filter chooses, in its order, all of them.
func (s *Store) FileIDs(ctx context.Context, lot int64, f FileFilter) ([]int64, error) {
	where, args := f.where(lot)
	rows, err := s.pool.Query(ctx, `select f.id from file f where `+where+` order by `+f.order(), args)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// FilesByID returns files in the order given; those that are gone are left out.
// How many have the same bytes is not counted.
func (s *Store) FilesByID(ctx context.Context, ids []int64) ([]File, error) {
	files, err := list[File](ctx, s.pool, `select `+fileColumns+`, 0 as same
		from unnest($1::bigint[]) with ordinality as chosen (id, at) join file f using (id) `+fileJoins+` order by chosen.at`, ids)
	return files, err
}

// File returns one file.
func (s *Store) File(ctx context.Context, id int64) (File, error) {
	f, err := one[File](ctx, s.pool, `select `+fileColumns+twinsCounted+` from file f `+fileJoins+` where f.id = $1`, id)
	return f, err
}

// ToRead is what the engine reads of a lot.
type ToRead struct {
	IDs   []int64
	Paths []string
	Said  map[int64]pairing.Said  // of files whose source said something of their product
	Codes map[int64][]string      // read from their pictures
	Seen  map[int64]PlacedPicture // fingerprint, tint and bytes of each
	Were  []Was                   // the verdicts that stand
}

// Was is a verdict that stands.
type Was struct {
	Verdict          string
	Product, Variant int64
}

// ToRead returns every usable file of a lot that no person has decided on.
func (s *Store) ToRead(ctx context.Context, lot int64) (u ToRead, err error) {
	rows, err := s.pool.Query(
		ctx,
		`select f.id, f.path, coalesce(f.said->>'sku', ''), coalesce(f.said->>'barcode', ''), l.origin = 'lookup',
			case when b.codes <> '[]' then array(select c->>'text' from jsonb_array_elements(b.codes) c) end, f.sha256, b.fingerprint,
			coalesce(b.tint, ''),
			f.verdict, coalesce(f.product_id, 0), coalesce(f.variant_id, 0)
		from file f join lot l on l.id = f.lot_id left join blob b on b.sha256 = f.sha256
		where lot_id = $1 and verdict not in ('unusable', 'sheet', 'set aside') and decided_by not in ('person', 'plan') order by f.id`,
		lot,
	)
	if err != nil {
		return u, err
	}
	u.Said, u.Codes, u.Seen = map[int64]pairing.Said{}, map[int64][]string{}, map[int64]PlacedPicture{}
	var id int64
	var path string
	var said pairing.Said
	var codes []string
	var seen PlacedPicture
	var fingerprint *int64
	var was Was
	_, err = pgx.ForEachRow(
		rows,
		[]any{
			&id,
			&path,
			&said.SKU,
			&said.Barcode,
			&said.Only,
			&codes,
			&seen.Sum,
			&fingerprint,
			&seen.Tint,
			&was.Verdict,
			&was.Product,
			&was.Variant,
		},
		func() error {
			u.IDs, u.Paths, u.Were = append(u.IDs, id), append(u.Paths, path), append(u.Were, was)
			if said.SKU != "" || said.Barcode != "" {
				u.Said[id] = said
			}
			if len(codes) > 0 {
				u.Codes[id] = codes
			}
			if fingerprint != nil {
				seen.Fingerprint = *fingerprint
				u.Seen[id] = PlacedPicture{Sum: bytes.Clone(seen.Sum), Fingerprint: *fingerprint, Tint: bytes.Clone(seen.Tint)}
			}
			return nil
		},
	)
	return u, err
}

// VerdictRow is a verdict to be written.
type VerdictRow struct {
	File     int64
	Verdict  string
	Product  *int64
	Variant  *int64
	Category *int64
	Place    *int
	View     string
	Clue     string
	Rung     string
	Score    float64
	Reason   string
	Why      string
	Alt      string
	Evidence []byte
}

// WriteVerdicts writes what the engine found, except on files that a person
// has decided on in the meantime.
func WriteVerdicts(ctx context.Context, tx *door.Tx, lot int64, verdicts []VerdictRow) error {
	if _, err := tx.Exec(ctx, `create temp table verdict (file bigint, verdict text, product bigint, variant bigint, category bigint,
			place int, view text, clue text, rung text, score real, reason text, why text, alt text, evidence jsonb) on commit drop`); err != nil {
		return err
	}
	columns := []string{
		"file", "verdict", "product", "variant", "category", "place", "view", "clue", "rung", "score", "reason", "why", "alt",
		"evidence",
	}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{"verdict"}, columns, pgx.CopyFromSlice(len(verdicts), func(i int) ([]any, error) {
		v := verdicts[i]
		return []any{
			v.File, v.Verdict, v.Product, v.Variant, v.Category, v.Place, v.View, v.Clue, v.Rung, float32(v.Score), v.Reason, v.Why, v.Alt,
			json.RawMessage(v.Evidence),
		}, nil
	})); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `update file f set verdict = v.verdict, product_id = v.product, variant_id = v.variant, category_id = v.category,
		place = v.place, view = v.view,
				clue = v.clue, rung = v.rung, score = v.score, reason = v.reason, why = v.why, alt = v.alt, evidence = v.evidence,
				others = '[]', decided_by = 'reading', decided_at = now()
			from verdict v where f.id = v.file and f.decided_by not in ('person', 'plan')`); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "files", ID: lot})
}

// NextOpen returns the next contested or loose file of a lot behind a file in
// the bench's order (contested before loose, then by arrival), or 0.
func (s *Store) NextOpen(ctx context.Context, lot, after int64) (int64, error) {
	return orNone(number(ctx, s.pool, `
		select id from (
			(select 1 as turn, id from file where lot_id = $1 and verdict = 'contested' and id > $2 order by id limit 1) union all
			(select 2, id from file where lot_id = $1 and verdict = 'contested' and id < $2 order by id limit 1) union all
			(select 3, id from file where lot_id = $1 and verdict = 'loose' and id > $2 order by id limit 1) union all
			(select 4, id from file where lot_id = $1 and verdict = 'loose' and id < $2 order by id limit 1)) open
		order by turn limit 1`, lot, after))
}

// FirstFile returns the file of a lot that the bench begins with: the first that
// is contested, else loose, else paired; 0 when there is none.
func (s *Store) FirstFile(ctx context.Context, lot int64) (int64, error) {
	return orNone(number(ctx, s.pool, `
		select id from (
			(select 1 as turn, id from file where lot_id = $1 and verdict = 'contested' order by id limit 1) union all
			(select 2, id from file where lot_id = $1 and verdict = 'loose' order by id limit 1) union all
			(select 3, id from file where lot_id = $1 and verdict = 'paired' order by id limit 1)) open
		order by turn limit 1`, lot))
}

func orNone(id int64, err error) (int64, error) {
	if err == ErrNotFound {
		return 0, nil
	}
	return id, err
}

// Waiting counts what waits at the stations.
type Waiting struct {
	Receiving int `json:"receiving" doc:"Lots that wait for files or are being examined"`
	Undecided int `json:"undecided" doc:"Contested and loose files"`
	Plans     int `json:"plans" doc:"Lots that are decided or planned and not applied"`
	NoPicture int `json:"noPicture" doc:"Products without a picture"`
	Products  int `json:"products"`
	Sheets    int `json:"sheets" doc:"Sheets that nobody imported yet"`
	Runs      int `json:"runs" doc:"Runs under way"`
	Messages  int `json:"messages" doc:"Messages that nobody has read"`
	Orphans   int `json:"orphans" doc:"Files that nothing needs, and that are not held"`
}

// Waiting counts what waits at the stations now.
func (s *Store) Waiting(ctx context.Context) (Waiting, error) {
	return one[Waiting](ctx, s.pool, `
		select (select count(*) from lot where state in ('receiving', 'examining'))::int as receiving,
			(select coalesce(sum(f.files), 0) from lot l join file_count f on f.lot_id = l.id where f.verdict in ('contested', 'loose')
			and l.state = 'ready')::int as undecided,
			(select count(*) from lot where state = 'ready')::int as plans,
			p.no_picture::int, p.products::int,
			(select count(*) from sheet s where state in ('reading', 'open')
				and not exists (select from sheet_import i where i.sheet_id = s.id and i.state <> 'reverted'))::int as sheets,
			(select count(*) from run where state in ('queued', 'running', 'stopping'))::int as runs,
			(select count(*) from message where read_at is null)::int as messages,
			(select coalesce(sum(findings), 0) from finding_count where kind = 'orphans')::int as orphans
		from (select coalesce(sum(products), 0) as products, coalesce(sum(bare), 0) as no_picture from product_count) p`)
}
