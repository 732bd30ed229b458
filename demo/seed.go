// Package demo brings the sample data into an Ambrosa, as a person would. Package
// draw makes it.
package demo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"ambrosa/core/catalog"
	"ambrosa/internal/client"
)

// Archives lists the sample archives in the order they are made. The last one
// is left for whoever tries the application.
var Archives = []string{"northcomb-spring.zip", "lindmoor-pictures.zip", "apigrund-2026.zip"}

// Sheets lists the sample spreadsheets in the order they are made. The last one is
// left for whoever tries the application.
var Sheets = []string{"northcomb-articles.xlsx", "lindmoor-liste.csv", "shop-categories.csv"}

// Seasons lists the archives of a supplier whose second replaces what the first brought.
var Seasons = []string{"northcomb-autumn.zip", "northcomb-retouched.zip"}

// Goods is the folder with the goods of the supplier that has a web site.
const Goods = "weidenau"

// Seed loads the sample data once into the application that serves at address,
// as a person would: the products, then two suppliers' archives, of which one
// is applied and the other is half decided. folder is where the archives are
// made.
func Seed(ctx context.Context, address, folder string, out io.Writer) error {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Minute)
	defer cancel()
	s := &seeder{Client: client.Client{Address: address}, samples: filepath.Join(folder, "samples"), drawn: make(chan error, 1)}
	var waiting struct{ Products int }
	if err := s.Get(ctx, "/api/v1/waiting", &waiting); err != nil {
		return err
	}
	if waiting.Products > 0 {
		return nil
	}
	start := time.Now()
	fmt.Fprintln(out, "Drawing the sample suppliers' pictures, gathering, pairing and applying them …")
	go func() {
		err := s.draw(ctx)
		if err != nil {
			cancel() // nothing is waited for that will not come
		}
		s.drawn <- err
	}()
	err := s.bring(ctx)
	if drawErr := <-s.drawn; drawErr != nil {
		return drawErr
	}
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "The sample data is in after %.1f seconds.\n", time.Since(start).Seconds())
	return nil
}

// bring brings the sample data in, each part as soon as it is drawn.
func (s *seeder) bring(ctx context.Context) error {
	if err := s.bringProducts(ctx); err != nil {
		return err
	}
	mailing := map[string]any{"address": "catalog@northcomb.example", "version": 1}
	if err := s.Put(ctx, "/api/v1/mailing", mailing, nil); err != nil {
		return err
	}
	if err := s.firstLot(ctx); err != nil {
		return err
	}
	if err := s.secondLot(ctx); err != nil {
		return err
	}
	if err := s.categoryPictures(ctx); err != nil {
		return err
	}
	return s.firstSheet(ctx)
}

type seeder struct {
	client.Client
	samples string
	drawn   chan error // how drawing ended
}

// open opens a file of the samples when it is drawn.
func (s *seeder) open(ctx context.Context, name string) (file *os.File, err error) {
	err = client.Until(ctx, func() (bool, error) {
		file, err = os.Open(filepath.Join(s.samples, name))
		if errors.Is(err, os.ErrNotExist) {
			return false, nil
		}
		return err == nil, err
	})
	return file, err
}

// draw makes the archives in a process of its own, so that the memory it takes
// is given back.
func (s *seeder) draw(ctx context.Context) error {
	if _, err := os.Stat(filepath.Join(s.samples, ".complete")); err == nil {
		return nil
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	command := exec.CommandContext(ctx, filepath.Join(filepath.Dir(self), "ambrosa-draw"), s.samples)
	if said, err := command.CombinedOutput(); err != nil {
		return fmt.Errorf("draw the sample pictures: %w: %s", err, bytes.TrimSpace(said))
	}
	return os.WriteFile(filepath.Join(s.samples, ".complete"), nil, 0o644)
}

func (s *seeder) bringProducts(ctx context.Context) error {
	file, err := s.open(ctx, "products.csv")
	if err != nil {
		return err
	}
	defer file.Close()
	return s.Call(ctx, http.MethodPost, "/api/v1/products/import", "text/csv", file, nil)
}

type lotState struct {
	ID                       int64
	State                    string
	Contested, Loose, Paired int
}

// gather uploads an archive as a lot and waits until it is read.
func (s *seeder) gather(ctx context.Context, name string) (lot lotState, err error) {
	file, err := s.open(ctx, name)
	if err != nil {
		return lot, err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return lot, err
	}
	id, err := s.Gather(ctx, name, file, info.Size())
	if err != nil {
		return lot, err
	}
	err = client.Until(ctx, func() (bool, error) {
		err := s.Get(ctx, fmt.Sprintf("/api/v1/lots/%d", id), &lot)
		return lot.State == "ready", err
	})
	if err != nil {
		return lot, err
	}
	// The pictures of what stayed loose are looked at for barcodes.
	return lot, client.Until(ctx, func() (bool, error) {
		var waiting struct{ Runs int }
		err := s.Get(ctx, "/api/v1/waiting", &waiting)
		return waiting.Runs == 0, err
	})
}

// firstLot is decided and applied.
func (s *seeder) firstLot(ctx context.Context) error {
	lot, err := s.gather(ctx, Archives[0])
	if err != nil {
		return err
	}
	var plan struct{ ID int64 }
	if err := s.Post(ctx, fmt.Sprintf("/api/v1/lots/%d/plan", lot.ID), map[string]any{"way": "after"}, &plan); err != nil {
		return err
	}
	if err := s.Apply(ctx, plan.ID); err != nil {
		return err
	}
	return client.Until(ctx, func() (bool, error) {
		var now struct{ State string }
		err := s.Get(ctx, fmt.Sprintf("/api/v1/plans/%d", plan.ID), &now)
		return now.State == "applied", err
	})
}

// categoryPictures gives the hives a text, and pictures of their products.
func (s *seeder) categoryPictures(ctx context.Context) error {
	var categories struct {
		Items []struct {
			ID, Version int64
			Path        string
		}
	}
	if err := s.Get(ctx, "/api/v1/categories?q=hives", &categories); err != nil {
		return err
	}
	for _, c := range categories.Items {
		if c.Path != "Hives" {
			continue
		}
		texts := map[string]any{"version": c.Version, "ref": "C-HIV", "description": "Hives of wood and of foam, whole or in parts."}
		if err := s.Put(ctx, fmt.Sprintf("/api/v1/categories/%d", c.ID), texts, nil); err != nil {
			return err
		}
		return s.spread(ctx, c.ID)
	}
	return nil
}

// spread puts the first pictures of some hives on their category.
func (s *seeder) spread(ctx context.Context, category int64) error {
	var products struct {
		Items []struct{ ID, Pictures int64 }
	}
	if err := s.Get(ctx, "/api/v1/products?category=Hives&limit=20", &products); err != nil {
		return err
	}
	left := 3
	for _, p := range products.Items {
		if p.Pictures == 0 || left == 0 {
			continue
		}
		left--
		var page struct{ PictureList []struct{ File int64 } }
		if err := s.Get(ctx, fmt.Sprintf("/api/v1/products/%d", p.ID), &page); err != nil {
			return err
		}
		var plan struct{ ID int64 }
		on := []map[string]any{{"kind": "category", "id": category}}
		if err := s.Post(ctx, "/api/v1/plans/spread", map[string]any{"file": page.PictureList[0].File, "way": "after", "on": on},
			&plan); err != nil {
			return err
		}
		if err := s.Apply(ctx, plan.ID); err != nil {
			return err
		}
		err := client.Until(ctx, func() (bool, error) {
			var now struct{ State string }
			err := s.Get(ctx, fmt.Sprintf("/api/v1/plans/%d", plan.ID), &now)
			return now.State == "applied", err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// firstSheet is brought and rehearsed, its mapping kept by name; what is in question is
// left.
func (s *seeder) firstSheet(ctx context.Context) error {
	file, err := s.open(ctx, Sheets[0])
	if err != nil {
		return err
	}
	defer file.Close()
	var sheet struct {
		ID                  int64
		State, Problem      string
		Revision, Rehearsed int
	}
	if err := s.Call(ctx, http.MethodPost, "/api/v1/sheets?name="+Sheets[0], "application/octet-stream", file, &sheet); err != nil {
		return err
	}
	err = client.Until(ctx, func() (bool, error) {
		err := s.Get(ctx, fmt.Sprintf("/api/v1/sheets/%d", sheet.ID), &sheet)
		return sheet.State != "reading" && sheet.Rehearsed == sheet.Revision, err
	})
	if err != nil {
		return err
	}
	return s.Post(ctx, fmt.Sprintf("/api/v1/sheets/%d/keep", sheet.ID), map[string]string{"name": "Northcomb articles"}, nil)
}

// secondLot is left half decided: one contested file has been paired by hand,
// two loose ones are set aside.
func (s *seeder) secondLot(ctx context.Context) error {
	lot, err := s.gather(ctx, Archives[1])
	if err != nil {
		return err
	}
	var page struct {
		Items []struct {
			ID, Version int64
			Path        string
		}
	}
	if err := s.Get(ctx, fmt.Sprintf("/api/v1/lots/%d/files?verdict=contested&limit=1", lot.ID), &page); err != nil {
		return err
	}
	for _, f := range page.Items {
		var detail struct {
			Version    int64
			Candidates []struct{ Product, Variant int64 }
		}
		if err := s.Get(ctx, fmt.Sprintf("/api/v1/files/%d", f.ID), &detail); err != nil {
			return err
		}
		if len(detail.Candidates) == 0 {
			return errors.New("a contested file has no candidates")
		}
		decision := map[string]any{
			"verdict": "paired",
			"target":  catalog.TargetOf(detail.Candidates[0].Product, detail.Candidates[0].Variant),
			"reason":  "chosen among those that claim it",
			"version": f.Version,
		}
		if err := s.Post(ctx, fmt.Sprintf("/api/v1/files/%d/decision", f.ID), decision, nil); err != nil {
			return err
		}
	}
	if err := s.Get(ctx, fmt.Sprintf("/api/v1/lots/%d/files?verdict=loose&limit=2&q=wx-2210", lot.ID), &page); err != nil {
		return err
	}
	for _, f := range page.Items {
		if err := s.Post(ctx, fmt.Sprintf("/api/v1/files/%d/decision", f.ID),
			map[string]any{"verdict": "set aside", "reason": "not in our range", "version": f.Version}, nil); err != nil {
			return err
		}
	}
	return nil
}
