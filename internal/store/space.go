package store

import (
	"context"
	"fmt"
)

// Space is what a part of the library takes. Bytes that several files have count once, with
// the first of them; they are needed when one of these is.
type Space struct {
	Name   string `json:"name"`
	Files  int64  `json:"files"`
	Needed int64  `json:"needed" doc:"Bytes"`
	Held   int64  `json:"held" doc:"Bytes that only held files have"`
	Left   int64  `json:"left" doc:"Bytes that only files have that nothing needs"`
}

// spaceBy is what the space is reckoned by: the name of a file's part.
var spaceBy = map[string]string{
	"origin": "coalesce(o.name, 'handed in')",
	"lot":    "l.name",
	"month":  "to_char(f.arrived_at, 'YYYY-MM')",
	"kind":   "coalesce(nullif(b.type, ''), 'other')",
}

// Space returns what the parts of the library take, by origin, lot, month or kind, the
// largest first, months in their order; at most 200.
func (s *Store) Space(ctx context.Context, by string) ([]Space, error) {
	name, known := spaceBy[by]
	if !known {
		return nil, fmt.Errorf("space is not reckoned by %q", by)
	}
	order := "sum(c.bytes) desc, 1"
	if by == "month" {
		order = "1"
	}
	return list[Space](ctx, s.pool, `
		with contents as (
			select f.sha256, min(f.id) as first, count(*) as files, max(f.bytes) as bytes,
				bool_or(`+needed("f.id", "now()")+`) as needed,
				bool_or(exists (select from held h where h.file_id = f.id)) as held
			from file f where f.sha256 is not null group by f.sha256)
		select `+name+` as name, sum(c.files)::bigint as files, coalesce(sum(c.bytes) filter (where c.needed), 0)::bigint as needed,
			coalesce(sum(c.bytes) filter (where not c.needed and c.held), 0)::bigint as held,
			coalesce(sum(c.bytes) filter (where not c.needed and not c.held), 0)::bigint as "left"
		from contents c join file f on f.id = c.first join lot l on l.id = f.lot_id left join origin o on o.id = l.origin_id
		left join blob b on b.sha256 = c.sha256
		group by 1 order by `+order+` limit 200`)
}

// CountFiles returns how many files the library has.
func (s *Store) CountFiles(ctx context.Context) (int64, error) {
	return number(ctx, s.pool, `select coalesce(sum(files), 0)::bigint from file_count`)
}

// Beside is what lies beside the library's files, bytes.
type Beside struct {
	Made     int64 `json:"made" doc:"Renditions for outlets, bytes: they are made anew when they are needed"`
	Packages int64 `json:"packages" doc:"Packages that can be taken, bytes"`
}

// Beside returns it.
func (s *Store) Beside(ctx context.Context) (Beside, error) {
	return one[Beside](ctx, s.pool, `select (select coalesce(sum(bytes), 0)::bigint from rendition) as made,
		(select coalesce(sum(size), 0)::bigint from dispatch where size > 0 and let_go_at is null) as packages`)
}
