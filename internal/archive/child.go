package archive

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/klauspost/compress/zip"

	"ambrosa/internal/contained"
)

// Bounds of the process that reads an archive.
const (
	childMemory    = 640 << 20       // bytes; dictionaries of 7z and RAR are within
	childProcessor = 6 * time.Hour   // of its processor
	childSilence   = 2 * time.Minute // until it says something
)

// Serve is the process that reads the archive at path: it tells of each entry on
// out, and reads on in whether its content is wanted. limits bound what it reads.
func Serve(path string, limits Limits, in io.Reader, out io.Writer) error {
	if err := contained.Limit(childMemory, childProcessor); err != nil {
		return err
	}
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	said := bufio.NewWriterSize(out, maxFrame+16)
	c := &child{in: bufio.NewReader(in), out: said, buffer: make([]byte, maxFrame)}
	err = walkHere(context.Background(), file, limits, c.entry)
	var refused Refused
	if err != nil && !errors.As(err, &refused) {
		return err
	}
	return errors.Join(writeFrame(said, frameEnd, []byte(refused.Reason)), said.Flush())
}

// ServeCount is the process that counts the files of the ZIP at path by its table
// of contents, and says their number on out.
func ServeCount(path string, out io.Writer) error {
	if err := contained.Limit(childMemory, time.Minute); err != nil {
		return err
	}
	listing, err := zip.OpenReader(path)
	if err != nil {
		return err
	}
	n := 0
	for _, f := range listing.File {
		if !f.FileInfo().IsDir() {
			n++
		}
	}
	_, err = fmt.Fprintln(out, n)
	return errors.Join(err, listing.Close())
}

type child struct {
	in     *bufio.Reader
	out    *bufio.Writer
	buffer []byte
}

func (c *child) entry(e Entry) error {
	head, err := json.Marshal(frameHead{e.Path, e.Bytes, e.packed, e.Problem})
	if err != nil {
		return err
	}
	if err := errors.Join(writeFrame(c.out, frameEntry, head), c.out.Flush()); err != nil {
		return err
	}
	if e.Problem != "" {
		return nil
	}
	answer, err := c.in.ReadByte()
	if err != nil || answer != answerRead {
		return err
	}
	return c.content(e)
}

func (c *child) content(e Entry) error {
	content, err := e.Open()
	if err != nil {
		return writeFrame(c.out, frameRest, []byte(wrong(err)))
	}
	for {
		n, err := content.Read(c.buffer)
		if n > 0 {
			if err := writeFrame(c.out, frameContent, c.buffer[:n]); err != nil {
				return err
			}
		}
		switch {
		case err == nil:
		case errors.Is(err, io.EOF):
			return errors.Join(writeFrame(c.out, frameRest, nil), content.Close())
		default:
			return errors.Join(writeFrame(c.out, frameRest, []byte(wrong(err))), content.Close())
		}
	}
}

// wrong says why an entry's bytes are not whole.
func wrong(err error) string {
	if errors.Is(err, ErrTooLarge) {
		return ErrTooLarge.Error()
	}
	return fmt.Sprintf("%.300s", err.Error())
}

// Arguments are what the program is given to read the archive at path, and
// FromArguments reads them.
func Arguments(path string, limits Limits) []string {
	text, err := json.Marshal(limits)
	if err != nil {
		panic(err) // numbers only
	}
	return []string{"archive", path, string(text)}
}

// FromArguments reads what Arguments wrote, without its first.
func FromArguments(arguments []string) (path string, limits Limits, err error) {
	if len(arguments) != 2 {
		return "", limits, errors.New("needed are the archive's path and limits")
	}
	err = json.Unmarshal([]byte(arguments[1]), &limits)
	return arguments[0], limits, err
}
