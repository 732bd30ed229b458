package store

import "context"

// NamedFile is a file of the library that a sheet may name.
type NamedFile struct {
	ID      int64
	Version int
	Path    string
	Sum     string
	Lot     int64
	LotName string
	Ready   bool // its lot is open for decisions
	Paired  bool
	Product int64
	Variant int64
	Place   int
}

// FilesNamed returns the files that stems name, the newest of each first, each stem's
// bounded.
func (s *Store) FilesNamed(ctx context.Context, stems []string) ([]NamedFile, error) {
	return list[NamedFile](ctx, s.Pool, `select f.*, l.name as lot_name, l.state = 'ready' as ready
		from unnest($1::text[]) s (stem), lateral (
			select id, version, path, encode(sha256, 'hex') as sum, lot_id as lot, verdict = 'paired' as paired,
				coalesce(product_id, 0) as product, coalesce(variant_id, 0) as variant, coalesce(place, 0) as place
			from file where `+fileStem+` = s.stem and sha256 is not null and verdict <> 'unusable' order by id desc limit $2) f
		join lot l on l.id = f.lot`, spelt(setOf(stems)), mostNamesakes)
}
