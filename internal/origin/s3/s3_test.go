package s3

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/aws/aws-sdk-go-v2/aws"
	"github.com/aws/aws-sdk-go-v2/service/s3"

	"ambrosa/internal/budget"
	"ambrosa/internal/origin"
)

type answers struct {
	status int
	body   string
	asked  *int
}

func (a answers) RoundTrip(r *http.Request) (*http.Response, error) {
	if *a.asked++; *a.asked > 20 {
		return nil, io.ErrUnexpectedEOF
	}
	return &http.Response{
		StatusCode: a.status,
		Status:     http.StatusText(a.status),
		Header:     http.Header{"Content-Type": {"application/xml"}},
		Body:       io.NopCloser(strings.NewReader(a.body)),
		Request:    r,
		ProtoMajor: 1,
		ProtoMinor: 1,
	}, nil
}

// FuzzAnswers lists a bucket whose store answers anything.
func FuzzAnswers(f *testing.F) {
	f.Add(
		200,
		`<ListBucketResult><Contents><Key>a.jpg</Key><Size>9</Size><ETag>"x"</ETag></Contents><CommonPrefixes><Prefix>b/</Prefix>`+
			`</CommonPrefixes><IsTruncated>true</IsTruncated><NextContinuationToken>t</NextContinuationToken></ListBucketResult>`,
	)
	f.Add(403, `<Error><Code>AccessDenied</Code></Error>`)
	f.Add(200, "<")
	f.Fuzz(func(t *testing.T, status int, body string) {
		budget.Of(len(body)).Check(t, func() {
			if status < 100 || status > 999 {
				return
			}
			asked := 0
			d := &drive{
				host:   "store.example",
				bucket: "b",
				client: s3.New(s3.Options{Region: "us-east-1", BaseEndpoint: aws.String("https://store.example"), UsePathStyle: true,
					HTTPClient: &http.Client{
						Transport: answers{status, body, &asked},
					}, RetryMaxAttempts: 1, Credentials: aws.AnonymousCredentials{}}),
			}
			ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
			defer cancel()
			_, err := d.List(ctx, "")
			var fault *origin.Fault
			if err != nil && !errors.As(err, &fault) {
				t.Fatalf("%v is no fault", err)
			}
		})
	})
}
