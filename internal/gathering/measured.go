package gathering

import (
	"ambrosa/core/legible"
	"ambrosa/core/rights"
	"ambrosa/internal/blob"
	"ambrosa/internal/picture"
	"ambrosa/internal/store"
)

// legibleStated makes what a picture says of its rights fit to be kept.
func legibleStated(s rights.Stated) rights.Stated {
	for _, text := range []*string{&s.Creator, &s.Notice, &s.Credit, &s.Statement, &s.Terms} {
		*text = legible.Short(legible.Text(*text), 2_000)
	}
	return s
}

func blobRow(file blob.Spooled, m picture.Result) *store.BlobRow {
	row := &store.BlobRow{
		Sum:           file.Sum[:],
		Bytes:         file.Bytes,
		Type:          string(m.Type),
		Width:         m.Width,
		Height:        m.Height,
		Frames:        max(1, m.Frames),
		Colour:        m.Colour,
		Bits:          m.Bits,
		Alpha:         m.Alpha,
		Profile:       m.Profile,
		Orientation:   max(1, m.Orientation),
		Thumbnail:     len(m.Rendition) > 0,
		Problem:       m.Problem,
		ContentWidth:  m.ContentWidth,
		ContentHeight: m.ContentHeight,
		Detail:        m.Detail,
		Stated:        legibleStated(m.Stated),
		Tint:          m.Tint,
	}
	if m.Problem == "" {
		bits := int64(m.Fingerprint)
		row.Fingerprint = &bits
		facts := row.Facts()
		facts.Alpha = m.Transparent
		row.Marks = int(facts.Marks())
	}
	return row
}
