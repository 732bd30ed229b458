package dispatching

import (
	"archive/tar"
	"archive/zip"
	"errors"
	"io"
	"os"
	"time"

	"ambrosa/core/dispatch"
)

// archive is what a part of a package is written into.
type archive interface {
	// Picture begins a file of so many bytes, which are compressed already.
	Picture(name string, size int64) (io.Writer, error)
	// Sheet puts a file in that write writes.
	Sheet(name string, write func(io.Writer) error) error
	Close() error
}

// archiveTo begins an archive of a format. spool is where a file in passing can be written.
func archiveTo(out io.Writer, how dispatch.PackageSettings, spool func() (string, error)) archive {
	if how.Ending() == dispatch.Tar {
		return tarball{tar.NewWriter(out), spool}
	}
	return zipped{zip.NewWriter(out)}
}

type zipped struct{ *zip.Writer }

func (z zipped) Picture(name string, _ int64) (io.Writer, error) {
	return z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: time.Now()})
}

func (z zipped) Sheet(name string, write func(io.Writer) error) error {
	out, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Now()})
	if err != nil {
		return err
	}
	return write(out)
}

// tarball is a TAR in the format of POSIX.1-2001, whose names may be of any length.
type tarball struct {
	*tar.Writer
	spool func() (string, error)
}

func (t tarball) Picture(name string, size int64) (io.Writer, error) {
	return t.Writer, t.WriteHeader(&tar.Header{Name: name, Size: size, Mode: 0o644, ModTime: time.Now(), Format: tar.FormatPAX})
}

// Sheet writes beside first: a file's size stands before its content.
func (t tarball) Sheet(name string, write func(io.Writer) error) (err error) {
	path, err := t.spool()
	if err != nil {
		return err
	}
	defer os.Remove(path)
	file, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	if err := write(file); err != nil {
		return err
	}
	size, err := file.Seek(0, io.SeekCurrent)
	if err != nil {
		return err
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	if _, err := t.Picture(name, size); err != nil {
		return err
	}
	_, err = io.Copy(t.Writer, file)
	return err
}
