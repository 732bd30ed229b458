package demo

import (
	"context"
	"fmt"
	"io"
	"time"

	"ambrosa/internal/client"
)

// Dispatch makes two outlets and hands a package on to the first, once. The seeding is done by
// Seed.
func Dispatch(ctx context.Context, address string, out io.Writer) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	s := &seeder{Client: client.Client{Address: address}}
	var before struct{ Total int }
	if err := s.Get(ctx, "/api/v1/outlets", &before); err != nil || before.Total > 0 {
		return err
	}
	fmt.Fprintln(out, "Handing pictures on to a sample shop …")
	settings := func(pictures, names string) map[string]any {
		rendition := map[string]any{"format": "jpeg", "width": 1600, "height": 1600, "ratio": "1:1", "colour": "", "quality": 0, "most": 0,
			"metadata": "written"}
		return map[string]any{"rendition": rendition, "query": "", "category": "", "skus": []string{}, "pictures": pictures, "first": 0, "names": names,
			"rename": false, "changed": false}
	}
	var shop, printer struct{ ID int64 }
	if err := s.Post(ctx, "/api/v1/outlets", map[string]any{"name": "Northcomb shop", "settings": settings("all", "[sku]_[place pad 2]")},
		&shop); err != nil {
		return err
	}
	catalogue := settings("lead", `[category | "other"]/[title slug most 50 | sku]-[options slug | code]`)
	if err := s.Post(ctx, "/api/v1/outlets", map[string]any{"name": "Printed catalogue", "settings": catalogue}, &printer); err != nil {
		return err
	}
	if err := s.Post(ctx, fmt.Sprintf("/api/v1/outlets/%d/dispatch", shop.ID), map[string]any{"version": 1}, nil); err != nil {
		return err
	}
	return s.idle(ctx)
}
