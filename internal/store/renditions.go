package store

import (
	"context"
	"encoding/hex"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/door"
)

// Rendition is what was made of a file's bytes.
type Rendition struct {
	Made          string // how, and with what written into it
	Sum           string // SHA-256 of what it was made of
	Result        string // SHA-256 of what was made
	Bytes         int64
	Width         int // of the whole, pixels
	Height        int
	PictureWidth  int // of the picture on its canvas
	PictureHeight int
	Quality       int // 0 where the format has none
}

const renditionQuery = `select made, encode(sha256, 'hex') as sum, encode(result, 'hex') as result, bytes, width, height, picture_width,
	picture_height, quality from rendition`

// Renditions returns those that are kept of what was made in ways, of bytes by their sums, side
// by side, and marks them as used.
func Renditions(ctx context.Context, tx *door.Tx, made, sums []string) ([]Rendition, error) {
	of, err := unhexed(sums)
	if err != nil {
		return nil, err
	}
	_, err = tx.Exec(ctx, `update rendition r set used_at = now() from unnest($1::text[], $2::bytea[]) as w (made, sha256)
		where r.made = w.made and r.sha256 = w.sha256`, made, of)
	if err != nil {
		return nil, err
	}
	return list[Rendition](ctx, tx, renditionQuery+` where (made, sha256) in (select * from unnest($1::text[], $2::bytea[]))`, made, of)
}

func unhexed(sums []string) (raw [][]byte, err error) {
	raw = make([][]byte, len(sums))
	for i, sum := range sums {
		if raw[i], err = hex.DecodeString(sum); err != nil {
			return nil, err
		}
	}
	return raw, nil
}

// KeepRendition records one that is stored, in the stead of one that was made so before.
func KeepRendition(ctx context.Context, tx *door.Tx, r Rendition) error {
	of, err := unhexed([]string{r.Sum, r.Result})
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `insert into rendition (made, sha256, result, bytes, width, height, picture_width, picture_height, quality)
		values (@made, @of, @result, @bytes, @width, @height, @pictureWidth, @pictureHeight, @quality)
		on conflict (made, sha256) do update set result = excluded.result, bytes = excluded.bytes, width = excluded.width,
			height = excluded.height, picture_width = excluded.picture_width, picture_height = excluded.picture_height,
			quality = excluded.quality, used_at = now()`,
		pgx.NamedArgs{"made": r.Made, "of": of[0], "result": of[1], "bytes": r.Bytes, "width": r.Width, "height": r.Height,
			"pictureWidth": r.PictureWidth, "pictureHeight": r.PictureHeight, "quality": r.Quality})
	return err
}

// RenditionsPast returns renditions that nobody used within a term, or whose bytes are gone,
// some at a time.
func (s *Store) RenditionsPast(ctx context.Context, term time.Duration) ([]Rendition, error) {
	return list[Rendition](ctx, s.pool, renditionQuery+` r where used_at < now() - make_interval(secs => $1)
		or used_at < now() - interval '1 hour' and not exists (select from blob b where b.sha256 = r.sha256) limit 1000`, term.Seconds())
}

// LetRenditionGo forgets one that was not used since it was found past its term; drop removes
// its object.
func LetRenditionGo(ctx context.Context, tx *door.Tx, r Rendition, drop func(context.Context) error) error {
	of, err := unhexed([]string{r.Sum})
	if err != nil {
		return err
	}
	tag, err := tx.Exec(ctx, `delete from rendition where made = $1 and sha256 = $2 and used_at < now() - interval '1 hour'`, r.Made, of[0])
	if err != nil || tag.RowsAffected() == 0 {
		return err
	}
	return drop(ctx)
}
