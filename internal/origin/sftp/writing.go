package sftp

import (
	"context"
	"errors"
	"io"
	"os"
	"path"
)

func (d *drive) Whole() bool { return false }

func (d *drive) Write(ctx context.Context, name string, content io.ReadSeeker, _ int64) error {
	target := path.Join(d.top, name)
	file, err := d.client.OpenFile(target, os.O_CREATE|os.O_TRUNC|os.O_WRONLY)
	if errors.Is(err, os.ErrNotExist) {
		if err = d.client.MkdirAll(path.Dir(target)); err == nil {
			file, err = d.client.OpenFile(target, os.O_CREATE|os.O_TRUNC|os.O_WRONLY)
		}
	}
	if err != nil {
		return d.explainWriting("write /"+name, name, err)
	}
	stop := context.AfterFunc(ctx, func() { _ = file.Close() })
	defer stop()
	_, err = file.ReadFrom(content)
	return d.explainWriting("write /"+name, name, errors.Join(err, file.Close(), ctx.Err()))
}

func (d *drive) Move(_ context.Context, from, to string) error {
	source, target := path.Join(d.top, from), path.Join(d.top, to)
	err := d.client.PosixRename(source, target)
	if err != nil { // a server without that extension renames to what is not there yet
		if gone := d.client.Remove(target); gone == nil || errors.Is(gone, os.ErrNotExist) {
			err = d.client.Rename(source, target)
		}
	}
	return d.explainWriting("rename /"+from, from, err)
}

func (d *drive) Remove(_ context.Context, name string) error {
	if err := d.client.Remove(path.Join(d.top, name)); err != nil && !errors.Is(err, os.ErrNotExist) {
		return d.explainWriting("remove /"+name, name, err)
	}
	return nil
}

func (d *drive) explainWriting(doing, name string, err error) error {
	if err == nil {
		return nil
	}
	return d.explain(doing, name, err)
}
