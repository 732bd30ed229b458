package demo

import (
	"context"
	"fmt"
	"io"
	"net"
	"path/filepath"
	"strconv"
	"time"

	"ambrosa/core/coverage"
	"ambrosa/core/dispatch"
	"ambrosa/internal/client"
	"ambrosa/internal/standin"
)

// Dispatch serves a sample shop on loopback, at a port, until ctx ends, makes outlets, and hands
// pictures on to the shop once. The seeding is done by Seed.
func Dispatch(ctx context.Context, address, folder string, port int, out io.Writer) error {
	shop, err := standin.OpenShop(filepath.Join(folder, "samples", "shop"))
	if err != nil {
		return err
	}
	at, err := shop.Serve(ctx, net.JoinHostPort("127.0.0.1", strconv.Itoa(port)))
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "A sample shop shows what it is given at http://%s/\n", at)
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	s := &seeder{Client: client.Client{Address: address}}
	var before struct{ Total int }
	if err := s.Get(ctx, "/api/v1/outlets", &before); err != nil || before.Total > 0 {
		return err
	}
	fmt.Fprintln(out, "Handing pictures on to the sample shop …")
	var made struct{ ID int64 }
	for _, o := range sampleOutlets("http://" + at.String()) {
		if err := s.Post(ctx, "/api/v1/outlets", o, &made); err != nil {
			return fmt.Errorf("make the outlet %s: %w", o["name"], err)
		}
	}
	// The last one is the shop.
	if err := s.Post(ctx, fmt.Sprintf("/api/v1/outlets/%d/dispatch", made.ID), map[string]any{"version": 1}, nil); err != nil {
		return err
	}
	if err := s.idle(ctx); err != nil {
		return err
	}
	if err := s.cover(ctx); err != nil {
		return err
	}
	return s.later(ctx, filepath.Join(folder, "samples", LaterFolder))
}

// cover sets a shot list for the catalog, and asks a studio for what one category lacks.
func (s *seeder) cover(ctx context.Context) error {
	shots := coverage.List{{View: "front", Count: 1, Least: 600, Background: "white"}, {View: "side", Count: 1}, {View: "detail", Count: 1},
		{View: "in use", Count: 1, Background: "outdoors"}}
	if err := s.Put(ctx, "/api/v1/shot-lists", map[string]any{"path": "", "shots": shots, "version": 0}, nil); err != nil {
		return err
	}
	var covered struct{ Categories []struct{ Path string } }
	if err := s.Get(ctx, "/api/v1/coverage?limit=1&only=missing", &covered); err != nil || len(covered.Categories) == 0 {
		return err
	}
	category := covered.Categories[len(covered.Categories)-1].Path
	return s.Post(ctx, "/api/v1/requests", map[string]any{"name": "Studio, winter session", "category": category}, nil)
}

// sampleOutlets are a package for a printer, and the sample shop.
func sampleOutlets(shop string) []map[string]any {
	sheet := dispatch.UsualSheet()
	sheet.Format, sheet.Size = dispatch.Workbook, 90
	settings := func(pictures, names, ratio string) map[string]any {
		rendition := map[string]any{"format": "jpeg", "width": 1600, "height": 1600, "ratio": ratio, "colour": "", "quality": 0, "most": 0,
			"metadata": "written"}
		return map[string]any{"rendition": rendition, "query": "", "category": "", "skus": []string{}, "pictures": pictures, "first": 0,
			"names": names, "rename": false, "changed": false, "remove": true, "sheet": sheet, "language": ""}
	}
	picture := shop + "/interface/[sku]/[place]"
	return []map[string]any{
		{"name": "Printed catalogue", "kind": "package",
			"settings": settings("lead", `[category | "other"]/[title slug most 50 | sku]-[options slug | code]`, "")},
		{"name": "Northcomb shop", "kind": "shop", "settings": settings("all", "[sku]_[place pad 2]", "1:1"),
			"address": map[string]string{"address": picture, "method": "PUT", "body": "a form (multipart)", "field": "file",
				"values": "product = [code]\ntitle = [title]\nname = [file]\ntext = [text]", "key": standin.ShopKey, "done": "state = done",
				"remove": picture, "test": shop + "/interface", "rate": "100"}},
	}
}
