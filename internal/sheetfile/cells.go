package sheetfile

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"ambrosa/core/sheet"
	"ambrosa/internal/contained"
)

// Bounds of the process that reads a sheet.
const (
	childMemory    = 768 << 20 // bytes
	childProcessor = 5 * time.Minute
	childSilence   = time.Minute
)

// toldAtOnce is how many rows are told in a line.
const toldAtOnce = 200

// maxLine bounds a line of what it says, bytes.
const maxLine = 16 << 20

// told is a line of what the process that reads a sheet's cells says.
type told struct {
	Opened  *openedSheet `json:"opened,omitempty"`
	Numbers []int        `json:"numbers,omitempty"`
	Rows    [][]string   `json:"rows,omitempty"`
	Refused *Refused     `json:"refused,omitempty"`
	End     bool         `json:"end,omitempty"`
}

type openedSheet struct {
	Worksheet  string            `json:"worksheet"`
	Worksheets []sheet.Worksheet `json:"worksheets"`
	Macros     bool              `json:"macros"`
}

// maxCellTold bounds a cell that is told, bytes; a longer one is cut behind what no
// field takes, so that it is refused where it stands.
const maxCellTold = sheet.MaxCell + 1

// cut cuts a cell that no field takes.
func cut(cell string) string {
	if len(cell) <= maxCellTold {
		return cell
	}
	return strings.ToValidUTF8(cell[:maxCellTold], "\ufffd")
}

// ServeCells is the process that reads the cells of a worksheet of the sheet at path, and
// tells them on out.
func ServeCells(path, worksheet string, out io.Writer) error {
	if err := contained.Limit(childMemory, childProcessor); err != nil {
		return err
	}
	buffered := bufio.NewWriterSize(out, 256<<10)
	lines := json.NewEncoder(buffered)
	lines.SetEscapeHTML(false)
	err := tellCells(path, worksheet, lines, buffered)
	var refused *Refused
	if err != nil && !errors.As(err, &refused) {
		return err
	}
	return errors.Join(lines.Encode(told{Refused: refused, End: true}), buffered.Flush())
}

func tellCells(path, worksheet string, lines *json.Encoder, buffered *bufio.Writer) (err error) {
	opened, err := Open(path, worksheet)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, opened.Close()) }()
	if err := lines.Encode(told{Opened: &openedSheet{opened.Worksheet, opened.Worksheets, opened.Macros}}); err != nil {
		return err
	}
	var next told
	bytes := 0
	for {
		cells, row, err := opened.Next()
		if err != nil && !errors.Is(err, io.EOF) {
			return unreadable(row, err)
		}
		ended := err != nil
		if !ended {
			kept := make([]string, len(cells))
			for i, cell := range cells {
				kept[i] = cut(cell)
				bytes += len(kept[i])
			}
			next.Numbers, next.Rows = append(next.Numbers, row), append(next.Rows, kept)
		}
		if len(next.Rows) == toldAtOnce || bytes > 1<<20 || ended {
			if err := lines.Encode(next); err != nil {
				return err
			}
			// The first rows are told at once: a person waits for them.
			if err := buffered.Flush(); err != nil {
				return err
			}
			next, bytes = told{}, 0
		}
		if ended {
			return nil
		}
	}
}

// Cells are the rows of a sheet that another process reads.
type Cells struct {
	Worksheet  string
	Worksheets []sheet.Worksheet
	Macros     bool

	ctx     context.Context
	child   *contained.Child
	scratch string
	lines   *bufio.Scanner
	numbers []int
	rows    [][]string
	ended   bool
	closed  bool
}

// Read begins to read the cells of a worksheet ("" for the first that is not hidden) of
// the sheet at path, by a process of the program. A *Refused says why it cannot be
// read.
func Read(ctx context.Context, program contained.Program, path, worksheet string) (*Cells, error) {
	scratch, err := os.MkdirTemp("", "ambrosa-sheet-*")
	if err != nil {
		return nil, err
	}
	child, err := program.In(scratch).Start(ctx, childSilence, "cells", path, worksheet)
	if err != nil {
		return nil, errors.Join(err, os.RemoveAll(scratch))
	}
	c := &Cells{ctx: ctx, child: child, scratch: scratch, lines: bufio.NewScanner(child)}
	c.lines.Buffer(make([]byte, 256<<10), maxLine)
	if err := c.more(); err != nil {
		return nil, errors.Join(err, c.Close())
	}
	return c, nil
}

// Next returns the cells of the next row, and its number as a spreadsheet program counts.
// The error is io.EOF behind the last, or a *Refused.
func (c *Cells) Next() (cells []string, row int, err error) {
	for len(c.rows) == 0 {
		if c.ended {
			return nil, 0, io.EOF
		}
		if err := c.more(); err != nil {
			return nil, 0, err
		}
	}
	cells, row = c.rows[0], c.numbers[0]
	c.rows, c.numbers = c.rows[1:], c.numbers[1:]
	return cells, row, nil
}

// more reads a line of what the process says.
func (c *Cells) more() error {
	if !c.lines.Scan() {
		return c.died(errors.Join(io.ErrUnexpectedEOF, c.lines.Err()))
	}
	var said told
	if err := json.Unmarshal(c.lines.Bytes(), &said); err != nil || len(said.Numbers) != len(said.Rows) {
		return c.died(fmt.Errorf("read what the sheet's reader says: %w", err))
	}
	if said.Opened != nil {
		c.Worksheet, c.Worksheets, c.Macros = said.Opened.Worksheet, said.Opened.Worksheets, said.Opened.Macros
	}
	c.rows, c.numbers, c.ended = said.Rows, said.Numbers, said.End
	for _, cells := range c.rows {
		for i := range cells {
			cells[i] = strings.ToValidUTF8(cells[i], "") // one may have been cut
		}
	}
	if said.Refused != nil {
		return said.Refused
	}
	return nil
}

// died says in the user's words why the process ended before the sheet did.
func (c *Cells) died(err error) error {
	c.closed = true
	ended := c.child.Close(false)
	switch {
	case c.ctx.Err() != nil:
		return c.ctx.Err()
	case errors.Is(ended, contained.ErrMemory):
		return refuse(Damaged, "Reading it needs more memory than is allowed.")
	case errors.Is(ended, contained.ErrSilent):
		return refuse(Damaged, "Reading it takes too long.")
	}
	return &Refused{Kind: Damaged, Err: err, Reason: "It is damaged in a way that makes its reader fail."}
}

// Close ends the process.
func (c *Cells) Close() error {
	var err error
	if !c.closed {
		c.closed = true
		if ended := c.child.Close(c.ended); c.ended {
			err = ended
		}
	}
	return errors.Join(err, os.RemoveAll(c.scratch))
}
