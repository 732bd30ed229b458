package store_test

import (
	"testing"

	"ambrosa/internal/database"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// stock makes a lot with files of these bytes, one letter each, which nothing needs.
func stock(t *testing.T, s *store.Store, bytes string) (files []int64) {
	t.Helper()
	for _, text := range []string{
		`insert into lot (name, state) values ('studio', 'applied')`,
		`insert into upload (id, lot_id, path, bytes) values ('u', (select max(id) from lot), 'a.zip', 1)`,
	} {
		if _, err := testdb.Pool(s).Exec(t.Context(), text); err != nil {
			t.Fatal(err)
		}
	}
	for n, letter := range bytes {
		var id int64
		err := testdb.Pool(s).QueryRow(t.Context(), `with b as (insert into blob (sha256, bytes) values (sha256($2), 100) on conflict do nothing)
			insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict)
			values ((select max(id) from lot), 'u', $1::int, $1::int || '.jpg', 100, sha256($2), 'loose') returning id`,
			n, []byte(string(letter))).Scan(&id)
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, id)
	}
	return files
}

// TestWhatAHoldingFreesIsWhatItsPurgeFrees holds files of shared bytes in two holdings: each says what
// its purge alone frees, which is what the receipt says then.
func TestWhatAHoldingFreesIsWhatItsPurgeFrees(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	ctx := t.Context()
	// a is shared by the holdings, b stands twice in the first, c once in the second, d also outside.
	files := stock(t, s, "abbacdd")
	hold := func(chosen ...int64) (id int64) {
		t.Helper()
		err := testdb.Pool(s).QueryRow(ctx, `with o as (insert into holding (until, actor_id, files)
				values (now() + interval '1 day', 1, $2) returning id),
			h as (insert into held (file_id, holding_id, reason) select unnest($1::bigint[]), id, 'loose' from o) select id from o`,
			chosen, len(chosen)).Scan(&id)
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	first, second := hold(files[0], files[1], files[2]), hold(files[3], files[4], files[5])
	for _, c := range []struct {
		holding, frees int64
	}{{first, 100}, {second, 200}} { // once the first is gone, a is the second's alone
		found, err := s.Holding(ctx, c.holding)
		if err != nil || found.Frees != c.frees || found.Held != 3 {
			t.Errorf("holding %d frees %d of %d files, expected %d: %v", c.holding, found.Frees, found.Held, c.frees, err)
		}
		var receipt int64
		if err := s.Step(ctx, func(tx *door.Tx) (err error) {
			receipt, err = store.NewReceipt(ctx, tx, []int64{c.holding})
			return err
		}); err != nil {
			t.Fatal(err)
		}
		if _, err := door.Get(ctx, s.Door, door.Step(ctx), func(tx *door.Tx) (int64, error) {
			return store.PurgeSome(ctx, tx, receipt, 0, 100)
		}); err != nil {
			t.Fatal(err)
		}
		if done, err := s.Receipt(ctx, receipt); err != nil || done.Freed != found.Frees || done.Files != 3 {
			t.Errorf("the purge freed %d by %d files, and %d was said: %v", done.Freed, done.Files, found.Frees, err)
		}
	}
}

// TestKeptCountsAreTrue writes files, products, findings and holds in every way, from several
// connections, and folds in between: what is kept is what counting gives.
func TestKeptCountsAreTrue(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	ctx := t.Context()
	stock(t, s, "abcdefgh")
	writes := []string{
		`update file set verdict = (array['paired', 'loose', 'contested', 'set aside'])[1 + (random() * 3)::int] where random() < 0.5`,
		`insert into product (code, category_id, pictures) select 'P' || gen_random_uuid(), (select id from category order by random() limit 1),
			(random() * 2)::int from generate_series(1, 3)`,
		`update product set pictures = (random() * 2)::int where random() < 0.5`,
		`update product set category_id = (select id from category order by random() limit 1) where random() < 0.3`,
		`delete from product where random() < 0.1`,
		`insert into category (name, path) select n, n from (select gen_random_uuid()::text as n) x`,
		`insert into finding (kind, reason, file_id, path, bytes, frees, since, first_sweep, last_sweep)
			select 'orphans', (array['r', 's'])[1 + id % 2], id, path, bytes, bytes, now(), 1 + (random() * 2)::int, 3 from file
			where random() < 0.3 on conflict do nothing`,
		`update finding set frees = (random() * 100)::int, first_sweep = 1 + (random() * 2)::int where random() < 0.3`,
		`delete from finding where random() < 0.2`,
		`with o as (insert into holding (until, actor_id) values (now(), 1) returning id)
			insert into held (file_id, holding_id, reason) select f.id, o.id, 'r' from file f, o where random() < 0.3 on conflict do nothing`,
		`delete from held where random() < 0.3`,
		`delete from file where id in (select id from file order by random() limit 1) and random() < 0.1`,
	}
	done := make(chan error)
	for range 4 {
		go func() {
			for range 40 {
				for _, text := range writes {
					// As the store does it: whoever writes findings or holds takes their lock before.
					err := s.Step(ctx, func(tx *door.Tx) error {
						if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(hashtext('findings'))`); err != nil {
							return err
						}
						_, err := tx.Exec(ctx, text)
						return err
					})
					if err != nil && !database.IsTransient(err) && !database.WentMeanwhile(err) {
						done <- err
						return
					}
				}
				if err := s.Step(ctx, func(tx *door.Tx) error {
					return store.FoldCounts(ctx, tx)
				}); err != nil && !database.IsTransient(err) {
					done <- err
					return
				}
			}
			done <- nil
		}()
	}
	for range 4 {
		if err := <-done; err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []string{
		`select lot_id, verdict, sum(files) as n from file_count group by 1, 2 having sum(files) <> 0
			except select lot_id, verdict, count(*) from file group by 1, 2`,
		`select category_id, sum(products), sum(bare) from product_count group by 1 having sum(products) <> 0
			except select coalesce(category_id, 0), count(*), count(*) filter (where pictures = 0) from product group by 1`,
		`select coalesce(category_id, 0), count(*), count(*) filter (where pictures = 0) from product group by 1
			except select category_id, sum(products), sum(bare) from product_count group by 1`,
		`select kind, reason, first_sweep, sum(findings), sum(bytes), sum(frees) from finding_count group by 1, 2, 3 having sum(findings) <> 0
			except select kind, reason, first_sweep, count(*), sum(bytes), sum(frees) from finding g
			where not exists (select from held h where h.file_id = g.file_id) group by 1, 2, 3`,
		`select kind, reason, first_sweep, count(*), sum(bytes), sum(frees) from finding g
			where not exists (select from held h where h.file_id = g.file_id) group by 1, 2, 3
			except select kind, reason, first_sweep, sum(findings), sum(bytes), sum(frees) from finding_count group by 1, 2, 3`,
	} {
		var wrong int
		if err := testdb.Pool(s).QueryRow(ctx, `select count(*) from (`+c+`) x`).Scan(&wrong); err != nil || wrong > 0 {
			t.Errorf("%d counts are not what counting gives: %v\n%s", wrong, err, c)
		}
	}
}

// TestTwoFoldsAtOnce folds while another fold, which has taken the older rows, is not committed yet: the
// later rows, which alone change no number of products, are kept.
func TestTwoFoldsAtOnce(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	ctx := t.Context()
	exec := func(text string) {
		t.Helper()
		if _, err := testdb.Pool(s).Exec(ctx, text); err != nil {
			t.Fatal(err)
		}
	}
	exec(`insert into product_count select 7, 1, 0 from generate_series(1, 40)`)
	first, err := testdb.Pool(s).Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := first.Exec(ctx, `with gone as (delete from product_count returning *)
		insert into product_count select category_id, sum(products), sum(bare) from gone group by 1`); err != nil {
		t.Fatal(err)
	}
	exec(`insert into product_count values (7, 0, 3)`) // three products lost their pictures
	folded := make(chan error)
	go func() {
		folded <- s.Step(ctx, func(tx *door.Tx) error { return store.FoldCounts(ctx, tx) })
	}()
	waiting := func() (n int) {
		err := testdb.Pool(s).QueryRow(ctx, `select count(*) from pg_stat_activity where datname = current_database()
			and wait_event_type = 'Lock'`).Scan(&n)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	for waiting() == 0 {
		if ctx.Err() != nil {
			t.Fatal(ctx.Err())
		}
	}
	if err := first.Commit(ctx); err != nil {
		t.Fatal(err)
	}
	if err := <-folded; err != nil {
		t.Fatal(err)
	}
	var products, bare int
	if err := testdb.Pool(s).QueryRow(ctx, `select sum(products), sum(bare) from product_count`).Scan(&products, &bare); err != nil ||
		products != 40 || bare != 3 {
		t.Errorf("%d products, %d of them without a picture: %v", products, bare, err)
	}
}
