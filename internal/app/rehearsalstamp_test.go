package app

import (
	"fmt"
	"slices"
	"testing"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/testdb"
)

// TestARehearsalIsOfNow rehearses again and again while what would go changes by every way that it
// can: each time it is as it is now, also where a change was under way when it was read.
func TestARehearsalIsOfNow(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `insert into category (name, path) values ('Hives', 'Hives')`)
	l.do(err)
	all := map[string]any{"names": "[sku]_[place]_[title]_[category]", "categories": true, "language": "de", "shared": true}
	see := func() []string { return l.wouldGo(0, all, "goes") }
	before := see()
	for _, change := range []string{
		`update file set rights = 'restricted' where path = 'AT-001-A.jpg'`,
		`update file set rights = 'cleared' where path = 'AT-001-A.jpg'`,
		`update variant set title = 'Another' where sku = 'AT-000-A'`,
		`update variant set sku = 'AT-000-Z' where sku = 'AT-000-A'`,
		`delete from placement where place = 2`,
		`update product set category_id = (select id from category)`,
		`update category set ref = 'C-77'`,
		`update blob set damage = 'missing' where sha256 = (select sha256 from file where path = 'AT-001-A.jpg')`,
	} {
		_, err := testdb.Pool(l.Store).Exec(t.Context(), change)
		l.do(err)
		after := see()
		if slices.Equal(before, after) {
			t.Errorf("after %s it is still %q", change, after)
		}
		if again := see(); !slices.Equal(again, after) {
			t.Errorf("after %s it is %q and then %q", change, after, again)
		}
		before = after
	}
	// What is read while somebody writes is of then, and not kept for when it is written.
	tx, err := testdb.Pool(l.Store).BeginTx(t.Context(), pgx.TxOptions{})
	l.do(err)
	_, err = tx.Exec(t.Context(), `update variant set title = 'Under way'`)
	l.do(err)
	if during := see(); !slices.Equal(during, before) {
		t.Errorf("what is not written yet is seen: %q", during)
	}
	l.do(tx.Commit(t.Context()))
	if after := see(); slices.Equal(after, before) {
		t.Errorf("what was read while it was written is kept: %q", after)
	}
	// Names alone are changed: that is the same choice.
	all["names"] = "[place]-[sku]"
	if other := see(); len(other) == 0 || slices.Equal(other, before) {
		t.Errorf("other names: %s", fmt.Sprint(other))
	}
}
