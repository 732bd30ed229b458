// Package fill makes a library of the size that large distributors have, straight in the database: messy
// titles and names, a deep and uneven tree of categories, lots of every age, plans that were applied,
// findings of a sweep. Nothing in it was made to be found quickly.
package fill

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// Size is how much is made.
type Size struct {
	Products   int // with three variants each
	Categories int
	Files      int // in lots of 500
}

// Large is the size that pages are measured at: 200,000 products with 600,000 variants, 8,000 categories,
// 1,000,000 files and 1,200,000 placements.
var Large = Size{Products: 200_000, Categories: 8_000, Files: 1_000_000}

// Library fills an empty, migrated database. progress hears what is being made.
func Library(ctx context.Context, db *pgx.Conn, size Size, progress func(string)) error {
	// Rows are written without their triggers, and what these keep is made at the end.
	statements := []struct{ what, text string }{
		{"settings", `set session_replication_role = replica; set work_mem = '256MB'; set maintenance_work_mem = '1GB'; select setseed(0.42)`},
		{"words", `create temporary table word as select * from unnest(
				array['Oak','Steel','Linen','Copper','Garden','Winter','Travel','Studio','Harbour','Meadow','Classic','Compact','Grand','Silent'],
				array['jar','lamp','chair','kettle','rope','blanket','shelf','hinge','brush','lantern','basket','clamp','valve','saddle'],
				array['with lid','for outdoors','large','set of 4','2nd edition','foldable','matt black','no. 7','extra wide','refill','left',
					'XL','- new','II'])
			with ordinality as w (first, second, third, n)`},
		{"categories", fmt.Sprintf(`do $$
			declare
				counts int[] := array[8, 64, 320, 1280, 2528, 3800];
				above bigint[] := '{}';
				made bigint[];
			begin
				for level in 1..6 loop
					with new_ones as (
						insert into category (parent_id, name, path, trail)
						select p.id, w.first || ' ' || w2.second || ' ' || s.i,
							coalesce(p.path || ' / ', '') || w.first || ' ' || w2.second || ' ' || s.i, '{}'
						from (select i, 1 + floor(power(random(), 2) * cardinality(above))::int as k
							from generate_series(1, greatest(8, counts[level] * %d / 8000)) i offset 0) s
						join word w on w.n = 1 + (s.i * 7 %% 14) join word w2 on w2.n = 1 + (s.i * 5 %% 14)
						left join category p on p.id = above[s.k]
						on conflict (path) do nothing returning id)
					select array_agg(id) into made from new_ones;
					above := made;
				end loop;
			end $$`, size.Categories)},
		{"trails of categories", `with recursive tree as (select id, array[id] as trail from category where parent_id is null
			union all select c.id, t.trail || c.id from category c join tree t on t.id = c.parent_id)
			update category c set trail = t.trail from tree t where t.id = c.id`},
		{"products", fmt.Sprintf(`insert into product (code, title, category_id, created_at, updated_at)
			select (array['HX','hx','MB','L','90'])[1 + s.n %% 5] || '-' || lpad((s.n * 7)::text, 4 + s.n %% 4, '0')
					|| (array['','-A','/2','.R'])[1 + s.n %% 4] || s.n,
				w.first || ' ' || w2.second || ' ' || w3.third || case when s.n %% 9 = 0 then ' ' || s.n else '' end,
				case when s.n %% 41 = 0 then null else c.id end,
				now() - s.n * interval '3 minutes', now() - (s.n %% 90000) * interval '1 minute'
			from (select n, 1 + floor(power(random(), 3) * (select count(*) from category))::bigint as k
				from generate_series(1, %d) n) s
			join (select id, row_number() over (order by md5(path)) as k from category) c using (k)
			join word w on w.n = 1 + s.n %% 14 join word w2 on w2.n = 1 + (s.n / 14) %% 14
			join word w3 on w3.n = 1 + (s.n / 196) %% 14`, size.Products)},
		{"variants", `insert into variant (product_id, sku, gtin, options, position)
			select p.id, p.code || '-' || v, case when (p.id + v) % 3 = 0 then null else lpad((p.id * 30 + v)::text, 14, '0') end,
				jsonb_build_array(jsonb_build_object('name', 'Colour', 'value', (array['amber','clear','smoke'])[v])), v
			from product p, generate_series(1, 3) v`},
		{"what products are searched by", `update product p set search = lower(concat_ws(' ', p.code, p.title,
			(select string_agg(variant_text(v), ' ') from variant v where v.product_id = p.id)))`},
		{"lots", fmt.Sprintf(`insert into lot (name, state, origin, created_at)
			select 'Delivery ' || n, case when n %% 20 = 0 then 'ready' when n %% 97 = 0 then 'given up' else 'applied' end, 'upload',
				now() - (%[1]d - n) * interval '6 hours' from generate_series(1, %[1]d) n`, max(1, size.Files/500))},
		{"uploads", `insert into upload (id, lot_id, path, bytes, finished_at, examined_at)
			select 'u' || id, id, name || '.zip', 500000000, now(), now() from lot`},
		// As of products in families, many pictures look alike.
		{"bytes", fmt.Sprintf(`insert into blob (sha256, bytes, type, width, height, thumbnail, fingerprint, tint, content_width,
				content_height, checked_at)
			select sha256(n::text::bytea), 100000 + n %% 900000, 'image/jpeg', 800 + n %% 3000, 600 + n %% 2400, true,
				hashtextextended(look, 1) & hashtextextended(look, 2) # (1::bigint << (random() * 62)::int),
				decode(md5(look) || md5(look || 'a') || md5(look || 'b'), 'hex'), 800 + n %% 3000, 600 + n %% 2400, now()
			from generate_series(1, %d) n, lateral (select (n %% 20000)::text as look) looks`, size.Files*95/100)},
		{"files", fmt.Sprintf(`insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, product_id, variant_id, place, type,
				pixels, rights, arrived_at)
			select l.id, 'u' || l.id, n %% 500, 'set ' || n %% 7 || '/' || v.sku || (array['_','-',' '])[1 + n %% 3] || 1 + n %% 6 || '.jpg',
				100000 + n %% 900000, sha256((1 + n %% %[2]d)::text::bytea),
				case when l.state = 'ready' and n %% 3 = 0 then 'loose' when l.state = 'ready' and n %% 7 = 0 then 'contested'
					when n %% 50 = 0 then 'set aside' else 'paired' end,
				v.product_id, v.id, 1 + n %% 6, 'image/jpeg', 480000 + n %% 9000000, (array['cleared','cleared','unknown'])[1 + n %% 3],
				l.created_at
			from generate_series(0, %[1]d - 1) n join lot l on l.id = 1 + n / 500
			join variant v on v.id = 1 + (n * 7919::bigint) %% (select max(id) from variant)`, size.Files, size.Files*95/100)},
		{"files that nothing claims any more", `update file set product_id = null, variant_id = null, place = null
			where verdict in ('loose', 'contested', 'set aside')`},
		{"plans", `insert into plan (kind, state, created_at, applied_at, made_by, applied_by)
			select 'lot', 'applied', created_at, created_at, 'specialist', 'specialist' from lot where state = 'applied' order by id`},
		{"plans of lots", `insert into plan_lot (plan_id, lot_id, decisions) select p.id, l.id, 0
			from (select id, row_number() over (order by id) as n from plan) p
			join (select id, row_number() over (order by id) as n from lot where state = 'applied') l using (n)`},
		{"changes of plans", `insert into plan_change (plan_id, product_id, version, state, before, after, added)
			select pl.plan_id, f.product_id, 1, 'applied', '[]', '[]', count(*) from plan_lot pl join file f on f.lot_id = pl.lot_id
			where f.verdict = 'paired' group by 1, 2`},
		{"placements of variants", `insert into placement (product_id, variant_id, file_id, place, view, plan_id)
			select f.product_id, f.variant_id, f.id, row_number() over (partition by f.variant_id order by f.id),
				(array['front','back','detail','',''])[1 + f.id % 5], pl.plan_id
			from file f join plan_lot pl on pl.lot_id = f.lot_id where f.verdict = 'paired'`},
		{"placements of products", `insert into placement (product_id, file_id, place, view)
			select product_id, min(id), 1, 'front' from file where verdict = 'paired' group by product_id`},
		{"placements of products, behind", `insert into placement (product_id, file_id, place, view)
			select product_id, max(id), 2, '' from file where verdict = 'paired' group by product_id having min(id) <> max(id)`},
		{"placements of categories", `insert into placement (category_id, file_id, place)
			select c.id, (select id from file where id = 1 + (c.id * 97) % (select max(id) from file)), 1 from category c where c.id % 3 = 0`},
		{"needs", `insert into reference (file_id, placement_id, since) select file_id, id, now() from placement`},
		{"needs of lots", `insert into reference (file_id, lot_id, since) select f.id, f.lot_id, now() from file f join lot l on l.id = f.lot_id
			where l.state = 'ready'`},
		{"pictures of products", `update product p set pictures = c.n from (select product_id, count(*) as n from placement
			where product_id is not null group by 1) c where c.product_id = p.id`},
		{"pictures of categories", `update category c set pictures = 1 where id % 3 = 0`},
		{"decisions", `insert into decision (lot_id, kind, actor) select l.id, 'set aside', 'specialist' from lot l, generate_series(1, 30)`},
		{"runs", `insert into run (kind, lot_id, state, done, total, created_at, started_at, finished_at, actor)
			select k, id, 'done', 500, 500, created_at, created_at, created_at, 'specialist' from lot, unnest(array['examine', 'pair']) k`},
		{"findings", `with s as (insert into sweep (actor, kinds, ended_at) values ('Ambrosa', '{orphans,below}', now()) returning id)
			insert into finding (kind, reason, file_id, path, sha256, bytes, frees, since, first_sweep, last_sweep)
			select 'orphans', 'set aside', f.id, f.path, f.sha256, f.bytes, f.bytes, now(), s.id, s.id from file f, s
			where f.verdict = 'set aside'`},
		{"shot lists", `insert into shot_list (category_id, shots, by) select id,
			'[{"view":"front","count":1,"least":1000},{"view":"back","count":1,"least":1000},{"view":"detail","count":2,"least":800}]', 'steward'
			from category where id % 40 = 0 or parent_id is null`},
		{"counts", `truncate file_count, product_count, finding_count;
			insert into file_count select lot_id, verdict, count(*) from file group by 1, 2;
			insert into product_count select coalesce(category_id, 0), count(*), count(*) filter (where pictures = 0) from product group by 1;
			insert into finding_count select kind, first_sweep, count(*), sum(frees) from finding where not held group by 1, 2`},
		{"statistics", `vacuum analyze`},
		{"settings", `set session_replication_role = default`},
	}
	for _, s := range statements {
		progress(s.what)
		if _, err := db.Exec(ctx, s.text); err != nil {
			return fmt.Errorf("make %s: %w", s.what, err)
		}
	}
	return nil
}
