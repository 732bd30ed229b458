package gathering

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ambrosa/core/identity"
)

// GiveUpUpload lets an upload go that is not complete. A lot whose other uploads
// are here goes on without it; one that nothing came for goes with it.
func (g *Gatherer) GiveUpUpload(ctx context.Context, who identity.Actor, id string) error {
	if err := g.Receiver.GiveUpUpload(ctx, who, id); err != nil {
		return err
	}
	g.RemoveUpload(id)
	return nil
}

// CleanUploads removes files of uploads that nobody knows, and those that could
// not be read whole when their term is over.
func (g *Gatherer) CleanUploads(ctx context.Context, term time.Duration) error {
	entries, err := os.ReadDir(g.Uploads)
	if err != nil {
		return err
	}
	var failed error
	for _, entry := range entries {
		info, err := entry.Info()
		if errors.Is(err, os.ErrNotExist) || err == nil && time.Since(info.ModTime()) < term {
			continue
		}
		if err != nil {
			return err
		}
		open, err := g.Store.UploadNeeded(ctx, strings.TrimSuffix(entry.Name(), ".info"))
		if err != nil {
			return err
		}
		if !open {
			failed = errors.Join(failed, os.RemoveAll(filepath.Join(g.Uploads, entry.Name())))
		}
	}
	return failed
}
