package sheetfile

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"ambrosa/core/pairing"
	"ambrosa/internal/contained"
)

// Bounds of the process that reads a sheet.
const (
	childMemory    = 768 << 20 // bytes
	childProcessor = 5 * time.Minute
	childSilence   = time.Minute
)

// answer is a line of what that process says: rows, and at last how it ended.
type answer struct {
	Rows    []pairing.Row `json:"rows,omitempty"`
	Refused *Refused      `json:"refused,omitempty"`
	End     bool          `json:"end,omitempty"`
}

// toldAtOnce is how many rows are told in a line.
const toldAtOnce = 200

// maxLine bounds a line, bytes.
const maxLine = 16 << 20

// Serve is the process that reads the sheet at path, which a person knows by
// name, and tells its rows on out.
func Serve(name, path string, out io.Writer) error {
	if err := contained.Limit(childMemory, childProcessor); err != nil {
		return err
	}
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	said := bufio.NewWriter(out)
	lines := json.NewEncoder(said)
	rows, err := readRows(name, file)
	var refused *Refused
	if err != nil && !errors.As(err, &refused) {
		return err
	}
	for len(rows) > 0 && refused == nil {
		n := min(len(rows), toldAtOnce)
		if err := lines.Encode(answer{Rows: rows[:n]}); err != nil {
			return err
		}
		rows = rows[n:]
	}
	return errors.Join(lines.Encode(answer{Refused: refused, End: true}), said.Flush())
}

// ReadRows reads which file shows which SKU from the sheet at path, a CSV of any
// delimiter or an XLSX's first sheet; name is what a person knows it by. It is
// read by a process of the program. A *Refused says why a sheet as a whole says
// nothing of files.
func ReadRows(ctx context.Context, program contained.Program, name, path string) (rows []pairing.Row, err error) {
	scratch, err := os.MkdirTemp("", "ambrosa-sheet-*")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(scratch)) }()
	child, err := program.In(scratch).Start(ctx, childSilence, "sheet", name, path)
	if err != nil {
		return nil, err
	}
	rows, refused, err := heard(child)
	ended := child.Close(err == nil)
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case refused != nil:
		return nil, refused
	case errors.Is(ended, contained.ErrMemory):
		return nil, refuse(Damaged, "Reading it needs more memory than is allowed.")
	case errors.Is(ended, contained.ErrSilent):
		return nil, refuse(Damaged, "Reading it takes too long.")
	case err != nil, ended != nil:
		return nil, refuse(Damaged, "It is damaged in a way that makes its reader fail.")
	}
	return rows, nil
}

func heard(child io.Reader) (rows []pairing.Row, refused *Refused, err error) {
	lines := bufio.NewScanner(child)
	lines.Buffer(nil, maxLine)
	for lines.Scan() {
		var a answer
		if err := json.Unmarshal(lines.Bytes(), &a); err != nil {
			return nil, nil, fmt.Errorf("read what the sheet's reader says: %w", err)
		}
		if rows = append(rows, a.Rows...); len(rows) > maxRows {
			return nil, tooManyRows, nil
		}
		if a.End {
			return rows, a.Refused, nil
		}
	}
	return nil, nil, errors.Join(io.ErrUnexpectedEOF, lines.Err())
}
