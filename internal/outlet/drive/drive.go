// Package drive puts pictures on drives that can be written to: beside and then renamed, so that
// the other side never sees half a file, and read back before that.
package drive

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"path"
	"strings"

	"ambrosa/core/dispatch"
	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
	"ambrosa/internal/outlet"
)

// Of makes a kind of outlet of a kind of drive that can be written to.
func Of(kind origin.Kind) outlet.Kind {
	fields := append([]origin.Field{}, kind.Fields...)
	fields = append(fields, origin.Field{Name: within, Label: "Put below", Hint: "a folder on the drive; its top when empty", Type: "text"})
	open := func(ctx context.Context, settings map[string]string, guard outgoing.Guard) (outlet.Outlet, error) {
		opened, err := kind.Open(ctx, settings, guard)
		if err != nil {
			return nil, err
		}
		to, is := opened.(origin.Writable)
		if !is {
			return nil, errors.Join(origin.Faulty(kind.Label+" cannot be written to", false, nil), opened.Close())
		}
		return &drive{to, clean(settings[within])}, nil
	}
	return outlet.Kind{Name: kind.Name, Label: kind.Label, Fields: fields, Host: kind.Host, Open: open}
}

// within is the field that says where on the drive pictures are put.
const within = "within"

type drive struct {
	origin.Writable
	within string
}

// clean keeps a path below the top.
func clean(name string) string { return strings.Trim(path.Clean("/"+strings.TrimSpace(name)), "/") }

func (d *drive) at(name string) string { return path.Join(d.within, clean(name)) }

// Test writes a small file, reads it back and removes it.
func (d *drive) Test(ctx context.Context) error {
	const text = "Ambrosa tries whether pictures can be put here. This file can be removed.\n"
	name := d.at("ambrosa-test-" + rand.Text()[:8] + ".txt")
	if err := d.Write(ctx, name, strings.NewReader(text), int64(len(text))); err != nil {
		return err
	}
	sum := sha256.Sum256([]byte(text))
	err := d.compare(ctx, name, hex.EncodeToString(sum[:]))
	return errors.Join(err, d.Writable.Remove(ctx, name))
}

// Put writes a picture beside its name, reads it back, and gives it its name. Where a drive shows
// a file only when it is whole, it is written to its name and read back there. One that has
// another name than before leaves the old one.
func (d *drive) Put(ctx context.Context, p outlet.Picture) (string, error) {
	content, err := p.Open(ctx)
	if err != nil {
		return "", err
	}
	defer content.Close()
	target := d.at(p.Name)
	beside := target
	if !d.Whole() {
		beside = besideOf(target)
	}
	if err := d.Write(ctx, beside, content, p.Size); err != nil {
		return "", err
	}
	if err := d.compare(ctx, beside, p.Sum); err != nil {
		return "", errors.Join(err, d.Writable.Remove(context.WithoutCancel(ctx), beside))
	}
	if beside != target {
		if err := d.Move(ctx, beside, target); err != nil {
			return "", err
		}
	}
	return "read back as it was sent", nil
}

// besideOf is where a file is written before it gets its name. It tells whose it is, so that a second try
// goes over what the first left.
func besideOf(target string) string {
	of := sha256.Sum256([]byte(target))
	return path.Join(path.Dir(target), ".ambrosa-"+hex.EncodeToString(of[:8])+".part")
}

// compare reads a file back; other bytes than those sent are a Fault.
func (d *drive) compare(ctx context.Context, name, sum string) error {
	content, err := d.Read(ctx, name)
	if err != nil {
		return err
	}
	defer content.Close()
	hash := sha256.New()
	if _, err := io.CopyBuffer(hash, struct{ io.Reader }{content}, make([]byte, 256<<10)); err != nil {
		return err
	}
	if hex.EncodeToString(hash.Sum(nil)) != sum {
		return origin.Faulty("read back, /"+name+" has other bytes than were sent", true, nil)
	}
	return nil
}

// Remove takes a picture away by its name there, with what a try that broke off left beside it.
func (d *drive) Remove(ctx context.Context, s dispatch.Sent) (string, error) {
	target := d.at(s.Name)
	if !d.Whole() {
		if err := d.Writable.Remove(ctx, besideOf(target)); err != nil {
			return "", err
		}
	}
	return "removed", d.Writable.Remove(ctx, target)
}
