package app

import (
	"crypto/sha256"
	"fmt"
	"io"
	"maps"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"

	"ambrosa/internal/standin"
	"ambrosa/internal/testdb"
)

// TestABucketHasWhatTheReceiptSays puts pictures into a bucket: what stands there is what the
// receipt says, and what is not wanted any more is taken away, nothing else.
func TestABucketHasWhatTheReceiptSays(t *testing.T) {
	t.Parallel()
	l, lot := toHandOn(t)
	backend := s3mem.New()
	l.do(backend.CreateBucket(standin.Bucket))
	_, err := backend.PutObject(standin.Bucket, "shop/theirs.txt", map[string]string{}, strings.NewReader("theirs"), 6, nil)
	l.do(err)
	server := httptest.NewServer(gofakes3.New(backend, gofakes3.WithLogger(gofakes3.DiscardLog())).Server())
	t.Cleanup(server.Close)
	stands := func() map[string]string {
		t.Helper()
		page, err := backend.ListBucket(standin.Bucket, &gofakes3.Prefix{}, gofakes3.ListBucketPage{})
		l.do(err)
		found := map[string]string{}
		for _, object := range page.Contents {
			got, err := backend.GetObject(standin.Bucket, object.Key, nil)
			l.do(err)
			content, err := io.ReadAll(got.Contents)
			l.do(err)
			l.do(got.Contents.Close())
			found[strings.TrimPrefix(object.Key, "shop/")] = fmt.Sprintf("%x", sha256.Sum256(content))
		}
		return found
	}
	theirs := stands()
	outlet := l.outlet("s3", map[string]string{"address": server.URL, "bucket": standin.Bucket, "access": "demo", "secret": standin.Password,
		"within": "shop"}, map[string]any{"remove": true})
	if after := stands(); !maps.Equal(after, theirs) {
		t.Errorf("trying it left something: %v", after)
	}
	first := l.handedOn(outlet)
	want := l.receipt(first.ID)
	maps.Copy(want, theirs)
	if got := stands(); first.Pictures != 3 || !maps.Equal(got, want) {
		t.Fatalf("%+v: there stands %v, not %v", first, got, want)
	}
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'restricted' where lot_id = $1 and path = 'AT-001-A.jpg'`, lot)
	l.do(err)
	second := l.handedOn(outlet)
	if delete(want, "AT-001/AT-001-A_01.jpg"); second.Removed != 1 || !maps.Equal(stands(), want) {
		t.Errorf("%+v: there stands %v, not %v", second, stands(), want)
	}
}
