package archive

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"ambrosa/core/legible"
	"ambrosa/internal/contained"
)

// Walk calls visit for every file in the archive at path, in its order. The
// archive is read by a process of the program, within limits and within budget,
// which it uses up. An error of visit ends the walk and is returned as it is; what
// is wrong with the archive is returned as Refused, after the entries that could
// be read.
func Walk(ctx context.Context, program contained.Program, path string, limits Limits, budget *Budget, visit func(Entry) error) error {
	child, err := program.Start(ctx, childSilence, Arguments(path, limits)...)
	if err != nil {
		return err
	}
	w := &heard{child: child, in: bufio.NewReaderSize(child, maxFrame), budget: budget, limits: limits, buffer: make([]byte, maxFrame)}
	err = w.frames(visit)
	ended := child.Close(w.reason != nil)
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case w.stopped:
		return err
	case err != nil, ended != nil && w.reason == nil:
		return failed(errors.Join(ended, err), w.seen)
	case w.reason != nil && *w.reason != "":
		return Refused{*w.reason}
	}
	return nil
}

// maxCount bounds what is read of a count, bytes.
const maxCount = 32

// Count tells how many files the ZIP at path says that it holds, counted by a
// process of the program; ok is false where that cannot be told.
func Count(ctx context.Context, program contained.Program, path string) (n int64, ok bool) {
	child, err := program.Start(ctx, childSilence, "count", path)
	if err != nil {
		return 0, false
	}
	said, err := io.ReadAll(io.LimitReader(child, maxCount))
	if err := errors.Join(err, child.Close(err == nil)); err != nil {
		return 0, false
	}
	n, err = strconv.ParseInt(strings.TrimSpace(string(said)), 10, 64)
	return n, err == nil && n >= 0
}

// failed says why a reader did not come to the end of an archive.
func failed(err error, seen int) error {
	after := ""
	if seen > 0 {
		after = fmt.Sprintf(", after %d files: what came before is kept", seen)
	}
	switch {
	case errors.Is(err, contained.ErrMemory):
		return Refused{"reading the archive needs more memory than is allowed" + after}
	case errors.Is(err, contained.ErrSilent):
		return Refused{"reading the archive takes too long" + after}
	}
	return Refused{"the archive is damaged in a way that makes its reader fail" + after}
}

// heard is a walk as it is heard of.
type heard struct {
	child   *contained.Child
	in      *bufio.Reader
	budget  *Budget
	limits  Limits
	buffer  []byte
	seen    int
	within  bool // the content of an entry is not at its end
	stopped bool // by visit, or by the budget
	reason  *string
}

func (w *heard) frames(visit func(Entry) error) error {
	for {
		kind, content, err := readFrame(w.in, w.buffer)
		if err != nil {
			return err
		}
		switch kind {
		case frameEnd:
			reason := legible.Text(string(content))
			w.reason = &reason
			return nil
		case frameEntry:
			head, err := readHead(content)
			if err != nil {
				return err
			}
			if err := w.entry(head, visit); err != nil {
				return err
			}
		default:
			return errFrame
		}
	}
}

func (w *heard) entry(head frameHead, visit func(Entry) error) error {
	w.seen++
	if err := w.budget.takeFile(); err != nil {
		w.stopped = true
		return err
	}
	opened := false
	e := Entry{Path: legible.Name(head.Path), Bytes: head.Bytes, Problem: legible.Text(head.Problem), packed: head.Packed}
	e.open = func() (io.ReadCloser, error) {
		if opened {
			return nil, errors.New("an entry is read once")
		}
		opened, w.within = true, true
		_, err := w.child.In.Write([]byte{answerRead})
		return &entryContent{walk: w, left: w.limits.most(head.Packed)}, err
	}
	if err := visit(e); err != nil {
		w.stopped = true
		return err
	}
	if head.Problem != "" {
		return nil
	}
	if !opened {
		_, err := w.child.In.Write([]byte{answerSkip})
		return err
	}
	return w.toItsEnd()
}

// toItsEnd passes over what visit did not read of an entry.
func (w *heard) toItsEnd() error {
	for w.within {
		if _, _, err := w.piece(); err != nil {
			return err
		}
	}
	return nil
}

// piece reads the next piece of an entry's content; ended says why it is not
// whole, where it ended so.
func (w *heard) piece() (content []byte, ended string, err error) {
	kind, content, err := readFrame(w.in, w.buffer)
	switch {
	case err != nil:
		w.within = false
		return nil, "", err
	case kind == frameContent:
		return content, "", nil
	case kind == frameRest:
		w.within = false
		return nil, string(content), nil
	}
	w.within = false
	return nil, "", errFrame
}

// entryContent is the bytes of an entry, as they are heard.
type entryContent struct {
	walk  *heard
	piece []byte
	left  int64
	err   error
}

func (c *entryContent) Read(p []byte) (int, error) {
	for len(c.piece) == 0 && c.err == nil {
		if !c.walk.within {
			c.err = io.EOF
			break
		}
		piece, ended, err := c.walk.piece()
		switch {
		case err != nil:
			c.err = fmt.Errorf("its reader failed: %w", err)
		case ended == ErrTooLarge.Error():
			c.err = ErrTooLarge
		case ended != "":
			c.err = errors.New(legible.Text(ended))
		}
		c.piece = piece
		if err := c.walk.budget.take(int64(len(piece))); err != nil {
			c.err = err
		}
		if c.left -= int64(len(piece)); c.left < 0 {
			c.err = ErrTooLarge
		}
	}
	if c.err != nil {
		return 0, c.err
	}
	n := copy(p, c.piece)
	c.piece = c.piece[n:]
	return n, nil
}

func (c *entryContent) Close() error { return nil }
