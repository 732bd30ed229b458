package app

import (
	"fmt"
	"time"

	"ambrosa/core/picturespec"
	"ambrosa/internal/api"
	"ambrosa/internal/archive"
)

// Limits are what is taken at most, and how long what is not complete is kept.
// Sizes are bytes.
type Limits struct {
	Entries int   `env:"AMBROSA_MAX_ENTRIES" envDefault:"200000"`
	Entry   int64 `env:"AMBROSA_MAX_ENTRY" envDefault:"1073741824"`
	Total   int64 `env:"AMBROSA_MAX_EXPANDED" envDefault:"274877906944"`
	Ratio   int64 `env:"AMBROSA_MAX_RATIO" envDefault:"500"`
	Pixels  int64 `env:"AMBROSA_MAX_PIXELS" envDefault:"250000000"`

	Pending     int64         `env:"AMBROSA_MAX_PENDING" envDefault:"214748364800"` // of all uploads on their way
	UploadTerm  time.Duration `env:"AMBROSA_UPLOAD_TERM" envDefault:"168h"`         // for an upload to arrive
	RefusedTerm time.Duration `env:"AMBROSA_REFUSED_TERM" envDefault:"720h"`        // that an upload is kept that could not be read whole

	DropQuota int64 `env:"AMBROSA_DROP_QUOTA" envDefault:"21474836480"` // a person, until it becomes a lot
}

// usual stands in for what a configuration leaves at nought, as tests do.
func (l Limits) usual() Limits {
	usual := archive.DefaultLimits
	for _, limit := range []struct {
		value *int64
		usual int64
	}{{&l.Entry, usual.Entry}, {&l.Total, usual.Total}, {&l.Ratio, usual.Ratio}, {&l.Pixels,
		picturespec.DefaultLimits.Pixels}, {&l.Pending, 200 << 30}, {&l.DropQuota, 20 << 30}} {
		if *limit.value == 0 {
			*limit.value = limit.usual
		}
	}
	if l.Entries == 0 {
		l.Entries = usual.Entries
	}
	if l.UploadTerm == 0 {
		l.UploadTerm = 7 * 24 * time.Hour
	}
	if l.RefusedTerm == 0 {
		l.RefusedTerm = 30 * 24 * time.Hour
	}
	return l
}

func (l Limits) archives() archive.Limits {
	return archive.Limits{Entries: l.Entries, Entry: l.Entry, Total: l.Total, Ratio: l.Ratio}
}

// shown are the limits in words.
func (l Limits) shown(decode, quiet time.Duration) []api.Limit {
	return []api.Limit{
		{Name: "Files in an archive", Value: fmt.Sprint(l.Entries), Setting: "AMBROSA_MAX_ENTRIES"},
		{Name: "A file in an archive, unpacked", Value: size(l.Entry), Setting: "AMBROSA_MAX_ENTRY"},
		{Name: "All that a lot's archives unpack to", Value: size(l.Total), Setting: "AMBROSA_MAX_EXPANDED"},
		{Name: "Times that a file may be its packed size", Value: fmt.Sprint(l.Ratio), Setting: "AMBROSA_MAX_RATIO"},
		{Name: "Pixels of a picture", Value: fmt.Sprintf("%d million", l.Pixels/1_000_000), Setting: "AMBROSA_MAX_PIXELS"},
		{Name: "Time to decode a picture", Value: decode.String(), Setting: "AMBROSA_DECODE_TIMEOUT"},
		{Name: "One upload", Value: size(api.MaxUpload)},
		{Name: "All uploads on their way", Value: size(l.Pending), Setting: "AMBROSA_MAX_PENDING"},
		{Name: "For an upload to arrive", Value: days(l.UploadTerm), Setting: "AMBROSA_UPLOAD_TERM"},
		{Name: "An upload is kept that could not be read whole", Value: days(l.RefusedTerm), Setting: "AMBROSA_REFUSED_TERM"},
		{Name: "Dropped by a person, until it becomes a lot", Value: size(l.DropQuota), Setting: "AMBROSA_DROP_QUOTA"},
		{Name: "Nothing dropped, and what was becomes a lot", Value: quiet.String(), Setting: "AMBROSA_DROP_QUIET"},
	}
}

func size(bytes int64) string {
	switch {
	case bytes >= 1<<30 && bytes%(1<<30) == 0:
		return fmt.Sprintf("%d GiB", bytes>>30)
	case bytes >= 1<<20:
		return fmt.Sprintf("%d MiB", bytes>>20)
	}
	return fmt.Sprintf("%d bytes", bytes)
}

func days(term time.Duration) string {
	if term >= 48*time.Hour {
		return fmt.Sprintf("%d days", term/(24*time.Hour))
	}
	return term.String()
}
