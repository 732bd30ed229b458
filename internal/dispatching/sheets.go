package dispatching

import (
	"context"
	"errors"
	"io"

	"ambrosa/core/dispatch"
	"ambrosa/internal/blob"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// writeTable writes the sheet of pictures that go.
func (d *Dispatcher) writeTable(ctx context.Context, out io.Writer, s dispatch.SheetSettings, outcomes []dispatch.Outcome) error {
	table, err := s.Table()
	if err != nil {
		return err
	}
	rows, err := table.Rows(outcomes)
	if err != nil {
		return err
	}
	columns := make([]sheetfile.Column[dispatch.Row], len(rows.Header))
	for i, title := range rows.Header {
		columns[i] = sheetfile.Column[dispatch.Row]{Title: title, Of: func(r dispatch.Row) any { return r.Cells[i] }}
	}
	next := whileWanted(ctx, rows)
	if s.Format != dispatch.Workbook {
		return sheetfile.WriteSeparated(out, dispatch.Separators[s.Separator], columns, next)
	}
	var thumbnail func(dispatch.Row) ([]byte, error)
	if s.Size > 0 {
		thumbnail = func(r dispatch.Row) ([]byte, error) { return d.thumbnail(ctx, r.Of.Sum) }
	}
	if s.Size > 0 && rows.Count > sheetfile.MostPictures {
		return sheetfile.WriteBooks(out, "pictures", "Pictures", columns, next, thumbnail, s.Size)
	}
	return sheetfile.WriteBook(out, "Pictures", columns, next, thumbnail, s.Size)
}

// whileWanted makes rows one by one, until ctx ends.
func whileWanted(ctx context.Context, rows *dispatch.Rows) func() (dispatch.Row, bool, error) {
	return func() (dispatch.Row, bool, error) {
		if err := ctx.Err(); err != nil {
			return dispatch.Row{}, false, err
		}
		return rows.Next()
	}
}

// thumbnail is the small rendition of a picture, as WebP; nil where there is none.
func (d *Dispatcher) thumbnail(ctx context.Context, text string) ([]byte, error) {
	sum, err := blob.ParseSum(text)
	if err != nil {
		return nil, err
	}
	small, err := d.Blobs.Rendition(ctx, sum, blob.ThumbnailSize)
	if errors.Is(err, blob.ErrNotFound) {
		return nil, nil
	}
	return small, err
}

// sheetEnding is the ending of the file that the sheet of pictures is written to: workbooks with pictures
// in more rows than one has are in a ZIP.
func sheetEnding(s dispatch.SheetSettings, outcomes []dispatch.Outcome) (string, error) {
	if s.Format != dispatch.Workbook || s.Size == 0 {
		return s.Format, nil
	}
	table, err := s.Table()
	if err != nil {
		return "", err
	}
	rows, err := table.Rows(outcomes)
	if err == nil && rows.Count > sheetfile.MostPictures {
		return "zip", nil
	}
	return s.Format, err
}

// Sheet makes the sheet of all that may go by settings, to an outlet or (0) to a new one, without sending
// anything: its ending, and what writes it. The errors are Rehearse's.
func (d *Dispatcher) Sheet(
	ctx context.Context, outlet int64, settings dispatch.Settings,
) (ending string, write func(context.Context, io.Writer) error, err error) {
	r, err := d.Rehearse(ctx, outlet, settings)
	if err != nil {
		return "", nil, err
	}
	if ending, err = sheetEnding(settings.Sheet, r.Outcomes); err != nil {
		return "", nil, err
	}
	return ending, func(ctx context.Context, out io.Writer) error {
		return d.writeTable(ctx, out, settings.Sheet, r.Outcomes)
	}, nil
}

// Append puts the rows of an outlet's sheet below what stands in the workbook at path, and writes it to
// the file at to. The errors are Rehearse's, and a *sheetfile.Refused.
func (d *Dispatcher) Append(
	ctx context.Context, path, to, worksheet, from string, outlet store.Outlet,
) (sheetfile.Put, error) {
	settings := outlet.Settings
	r, err := d.Rehearse(ctx, outlet.ID, settings)
	if err != nil {
		return sheetfile.Put{}, err
	}
	table, err := settings.Sheet.Table()
	if err != nil {
		return sheetfile.Put{}, err
	}
	rows, err := table.Rows(r.Outcomes)
	if err != nil {
		return sheetfile.Put{}, err
	}
	next := whileWanted(ctx, rows)
	spec := sheetfile.Below{Worksheet: worksheet, From: from, Header: rows.Header, Side: settings.Sheet.Size}
	return sheetfile.Append(ctx, d.Readers, path, to, spec, func() (below sheetfile.BelowRow, more bool, err error) {
		row, more, err := next()
		if err != nil || !more {
			return below, false, err
		}
		for _, cell := range row.Cells {
			below.Cells = append(below.Cells, cell)
		}
		if spec.Side > 0 {
			small, err := d.thumbnail(ctx, row.Of.Sum)
			if err != nil {
				return below, false, err
			}
			below.Picture = sheetfile.AsJPEG(small, spec.Side)
		}
		return below, true, nil
	})
}
