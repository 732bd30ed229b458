package demo

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"

	"ambrosa/internal/client"
)

// LaterFolder is where the samples lie that are saved for later.
const LaterFolder = "for later"

// Later is what is saved for later, by file: its folder on the shelf, and its words.
var Later = map[string]struct {
	Folder string
	Words  []string
}{
	"size-chart-suits-eu.png": {"Size charts", []string{"size chart", "EU", "suits"}},
	"size-chart-gloves.png":   {"Size charts", []string{"size chart", "EU", "gloves"}},
	"care-cotton.png":         {"Labels/Care", []string{"cotton", "60 degrees"}},
	"care-mixed.png":          {"Labels/Care", []string{"cotton", "polyester", "40 degrees"}},
	"care-goatskin.png":       {"Labels/Care", []string{"leather"}},
}

// later brings pictures straight to the shelf, and puts each into its folder.
func (s *seeder) later(ctx context.Context, folder string) error {
	var lot struct{ ID int64 }
	if err := s.Post(ctx, "/api/v1/lots", map[string]any{"name": "To the shelf", "uploads": len(Later), "shelf": ""}, &lot); err != nil {
		return err
	}
	for name := range Later {
		content, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil {
			return err
		}
		if err := s.Upload(ctx, lot.ID, name, bytes.NewReader(content), int64(len(content))); err != nil {
			return err
		}
	}
	var shelf struct {
		Items []struct {
			ID   int64
			Path string
		}
	}
	if err := client.Until(ctx, func() (bool, error) {
		err := s.Get(ctx, "/api/v1/shelf", &shelf)
		return len(shelf.Items) == len(Later), err
	}); err != nil {
		return fmt.Errorf("save for later: %w", err)
	}
	for _, item := range shelf.Items {
		place := Later[item.Path]
		body := map[string]any{"files": []int64{item.ID}, "folder": place.Folder, "add": place.Words}
		if err := s.Post(ctx, "/api/v1/shelf", body, nil); err != nil {
			return err
		}
	}
	return nil
}
