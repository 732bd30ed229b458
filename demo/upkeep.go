package demo

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ambrosa/internal/client"
)

// Upkeep brings in a season's pictures, and their retouched ones in their stead, once: what
// nothing needs after that is swept, some of it held until tomorrow, and some purged. The
// seeding is done by Seed; folder is as there.
func Upkeep(ctx context.Context, address, folder string, out io.Writer) error {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Minute)
	defer cancel()
	s := &seeder{Client: client.Client{Address: address}, samples: filepath.Join(folder, "samples")}
	var before struct {
		Sweeps   []struct{ ID int64 }
		Settings map[string]any
	}
	if err := s.Get(ctx, "/api/v1/upkeep", &before); err != nil || len(before.Sweeps) > 0 {
		return err
	}
	fmt.Fprintln(out, "Replacing a season's pictures, and sweeping what nothing needs any more …")
	// No way back is kept, as after its term, and all that is stored is read at once.
	settings := maps.Clone(before.Settings)
	settings["wayBackDays"], settings["checkDays"] = 0, 1
	if err := s.Put(ctx, "/api/v1/upkeep", settings, nil); err != nil {
		return err
	}
	if err := s.season(ctx, Seasons[0], "after", "copies/"); err != nil {
		return err
	}
	if err := s.season(ctx, Seasons[1], "instead", ""); err != nil {
		return err
	}
	if err := s.harm(ctx, filepath.Join(folder, "blobs", "originals")); err != nil {
		return err
	}
	kinds := []string{"orphans", "twice", "alike", "broken", "below", "lying"}
	if err := s.Post(ctx, "/api/v1/sweeps", map[string]any{"kinds": kinds}, nil); err != nil {
		return err
	}
	if err := s.idle(ctx); err != nil {
		return err
	}
	var after struct{ Settings struct{ Version int } }
	if err := s.Get(ctx, "/api/v1/upkeep", &after); err != nil {
		return err
	}
	before.Settings["version"] = after.Settings.Version
	if err := s.Put(ctx, "/api/v1/upkeep", before.Settings, nil); err != nil {
		return err
	}
	return s.holdAndPurge(ctx)
}

// harm takes the bytes of one picture away and turns a bit of another's, as a failing disk
// would, and leaves an object that no row names, as a restored database would;
// objects is the folder that they lie in. Where they lie elsewhere, they are left.
func (s *seeder) harm(ctx context.Context, objects string) error {
	var lots struct{ Items []struct{ ID int64 } }
	if err := s.Get(ctx, "/api/v1/lots?limit=1", &lots); err != nil {
		return err
	}
	var files struct{ Items []struct{ Sum string } }
	if err := s.Get(ctx, fmt.Sprintf("/api/v1/lots/%d/files?limit=2", lots.Items[0].ID), &files); err != nil {
		return err
	}
	if err := stray(objects); err != nil {
		return err
	}
	for i, f := range files.Items {
		object := filepath.Join(objects, f.Sum[:2], f.Sum)
		content, err := os.ReadFile(object)
		if err != nil {
			return nil
		}
		if err := os.Remove(object); err != nil {
			return err
		}
		if content[len(content)/2] ^= 1; i > 0 {
			if err := os.WriteFile(object, content, 0o600); err != nil {
				return err
			}
		}
	}
	return nil
}

// stray leaves an object of yesterday.
func stray(objects string) error {
	content := []byte("what was brought in after the last backup")
	sum := fmt.Sprintf("%x", sha256.Sum256(content))
	name, yesterday := filepath.Join(objects, sum[:2], sum), time.Now().Add(-24*time.Hour)
	return errors.Join(os.MkdirAll(filepath.Dir(name), 0o755), os.WriteFile(name, content, 0o600), os.Chtimes(name, yesterday, yesterday))
}

// season gathers and applies an archive; files with a part in their path are set aside.
func (s *seeder) season(ctx context.Context, archive, way, aside string) error {
	lot, err := s.gather(ctx, archive)
	if err != nil {
		return err
	}
	var files struct {
		Items []struct {
			ID      int64
			Version int
			Path    string
		}
	}
	if err := s.Get(ctx, fmt.Sprintf("/api/v1/lots/%d/files?limit=500", lot.ID), &files); err != nil {
		return err
	}
	for _, f := range files.Items {
		if aside == "" || !strings.Contains(f.Path, aside) {
			continue
		}
		err := s.Post(ctx, fmt.Sprintf("/api/v1/files/%d/decision", f.ID),
			map[string]any{"verdict": "set aside", "reason": "the same as the other", "version": f.Version}, nil)
		if err != nil {
			return err
		}
	}
	var plan struct{ ID int64 }
	if err := s.Post(ctx, fmt.Sprintf("/api/v1/lots/%d/plan", lot.ID), map[string]any{"way": way}, &plan); err != nil {
		return err
	}
	if err := s.Apply(ctx, plan.ID); err != nil {
		return err
	}
	if err := s.idle(ctx); err != nil {
		return err
	}
	var now struct{ State string }
	if err := s.Get(ctx, fmt.Sprintf("/api/v1/lots/%d", lot.ID), &now); err != nil || now.State != "ready" {
		return err
	}
	return s.Post(ctx, fmt.Sprintf("/api/v1/lots/%d/finish", lot.ID), nil, nil) // what is undecided is not wanted
}

// idle waits until no run is under way.
func (s *seeder) idle(ctx context.Context) error {
	return client.Until(ctx, func() (bool, error) {
		var waiting struct{ Runs int }
		err := s.Get(ctx, "/api/v1/waiting", &waiting)
		return waiting.Runs == 0, err
	})
}

// holdAndPurge holds some of what was found until tomorrow, and has some of it go.
func (s *seeder) holdAndPurge(ctx context.Context) error {
	var found struct {
		Items []struct {
			ID     int64
			Reason string
		}
	}
	if err := s.Get(ctx, "/api/v1/findings?kind=orphans&limit=500", &found); err != nil {
		return err
	}
	byReason := map[string][]int64{}
	for _, f := range found.Items {
		byReason[f.Reason] = append(byReason[f.Reason], f.ID)
	}
	hold := func(ids []int64, because string) (held struct{ Holding, Files int64 }, err error) {
		err = s.Post(ctx, "/api/v1/findings/hold", map[string]any{"ids": ids, "days": 1, "because": because}, &held)
		return held, err
	}
	replaced, aside, never := byReason["replaced"], byReason["set aside"], byReason["never paired"]
	if len(replaced) < 6 || len(aside) < 2 || len(never) < 2 {
		return fmt.Errorf("a sweep found %d replaced, %d set aside and %d never paired", len(replaced), len(aside), len(never))
	}
	if _, err := hold(replaced[:5], "small ones of last autumn"); err != nil {
		return err
	}
	gone, err := hold([]int64{aside[0], never[0]}, "nobody knows what they show")
	if err != nil {
		return err
	}
	if err := s.Call(ctx, http.MethodPost, "/api/v1/purges", "application/json",
		strings.NewReader(fmt.Sprintf(`{"holdings":[%d],"files":%d}`, gone.Holding, gone.Files)), nil); err != nil {
		return err
	}
	return s.idle(ctx)
}
