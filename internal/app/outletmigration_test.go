package app

import (
	"strings"
	"testing"

	"ambrosa/core/dispatch"
	"ambrosa/internal/testdb"
)

// TestOutletsOfBefore: an outlet that was made, and dispatched to, before it could say a form, a
// sheet or a language goes on as it did: what stands there is known, its name is kept, and only
// what is new goes.
func TestOutletsOfBefore(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	ctx := t.Context()
	l.do(l.Store.MigrateDown(ctx, 26))
	for _, text := range []string{
		`insert into outlet (name, settings, made_by) values ('Old shop', '{"query": "", "category": "", "skus": [], "pictures": "all",
			"first": 0, "names": "[sku]-[place]", "rename": false, "changed": true}', 'specialist')`,
		`insert into dispatch (outlet_id, outlet, settings, actor, ended_at, products, pictures)
			select id, name, settings, made_by, now() - interval '1 day', 1, 1 from outlet`,
		`insert into dispatch_picture (dispatch_id, n, product_id, variant_id, code, sku, title, view, place, alt, file_id, path, sha256, bytes,
				name)
			select d.id, 1, pl.product_id, coalesce(pl.variant_id, 0), p.code, p.code, '', '', pl.place, pl.alt, f.id, f.path, f.sha256, f.bytes,
				'old-name.jpg'
			from dispatch d, placement pl join file f on f.id = pl.file_id join product p on p.id = pl.product_id where f.path = 'AT-001-A.jpg'`,
	} {
		_, err := testdb.Pool(l.Store).Exec(ctx, text)
		l.do(err)
	}
	l.do(l.Store.Migrate(ctx))
	outlets, err := l.Store.Outlets(ctx)
	l.do(err)
	s := outlets[0].Settings
	if s.Rendition.Format != dispatch.Original || s.Sheet.Format != dispatch.CSV || len(s.Sheet.Columns) != 11 || s.Language != "" {
		t.Errorf("its settings are %+v", s)
	}
	receipt := l.receipt(1)
	if sent := receipt["old-name.jpg"]; len(sent) != 64 {
		t.Errorf("its receipt says %v", receipt)
	}
	r, err := l.Runner.Dispatcher.Rehearse(ctx, outlets[0].ID, s)
	l.do(err)
	var said []string
	for _, o := range r.Outcomes {
		said = append(said, o.Name+map[bool]string{true: " stands"}[o.Same])
	}
	if want := "AT-000-A-1.jpg, AT-000-A-2.jpg, old-name.jpg stands"; strings.Join(said, ", ") != want || r.Pictures != 2 {
		t.Errorf("rehearsed: %q, %+v", said, r.Totals)
	}
}
