package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/sheet"
	"ambrosa/internal/door"
)

// KeptMapping is a mapping that was kept by name.
type KeptMapping struct {
	ID      int64         `json:"id"`
	Name    string        `json:"name"`
	Mapping sheet.Mapping `json:"mapping"`
	Choices sheet.Choices `json:"choices"`
	Origin  int64         `json:"origin" doc:"That the sheet came from that it was kept for, 0 for none"`
}

// KeptMappings returns all of them, the last used first.
func (s *Store) KeptMappings(ctx context.Context) ([]KeptMapping, error) {
	return list[KeptMapping](ctx, s.pool, `select id, name, mapping, choices, coalesce(origin_id, 0) as origin
		from sheet_mapping order by used_at desc, id limit 500`)
}

// KeepMapping keeps a mapping by name, instead of one of that name. Its ID is not used.
func KeepMapping(ctx context.Context, tx *door.Tx, k KeptMapping) error {
	_, err := tx.Exec(ctx, `insert into sheet_mapping (name, mapping, choices, origin_id) values ($1, $2, $3, nullif($4::bigint, 0))
		on conflict (lower(name)) do update set name = excluded.name, mapping = excluded.mapping,
			choices = excluded.choices, origin_id = excluded.origin_id, used_at = now()`, k.Name, k.Mapping, k.Choices, k.Origin)
	return err
}

// Remember keeps what a person chose for headers.
func Remember(ctx context.Context, tx *door.Tx, columns []sheet.Column) error {
	batch := &pgx.Batch{}
	for _, c := range columns {
		if key := sheet.HeaderKey(c.Column); key != "" {
			batch.Queue(`insert into sheet_memory (header, chosen) values ($1, $2)
				on conflict (header) do update set chosen = excluded.chosen, used_at = now()`, key, c)
		}
	}
	return tx.SendBatch(ctx, batch).Close()
}

// Remembered returns what people chose for headers, by HeaderKey.
func (s *Store) Remembered(ctx context.Context, names []string) (map[string]sheet.Column, error) {
	keys := make([]string, len(names))
	for i, name := range names {
		keys[i] = sheet.HeaderKey(name)
	}
	rows, err := s.pool.Query(ctx, `select header, chosen from sheet_memory where header = any($1)`, keys)
	if err != nil {
		return nil, err
	}
	chosen := map[string]sheet.Column{}
	var header string
	var column sheet.Column
	_, err = pgx.ForEachRow(rows, []any{&header, &column}, func() error {
		chosen[header], column = column, sheet.Column{}
		return nil
	})
	return chosen, err
}

// OptionNames returns what the catalog calls its options and attributes, the most
// used first.
func (s *Store) OptionNames(ctx context.Context) ([]string, error) {
	rows, err := s.pool.Query(ctx, `select o->>'name'
		from (select options || attributes as all_of from variant order by id desc limit 20000) v,
			jsonb_array_elements(v.all_of) o group by 1 order by count(*) desc, 1 limit 200`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
