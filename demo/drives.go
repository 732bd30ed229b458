package demo

import (
	"context"
	"fmt"
	"io"
	"net"
	"path/filepath"
	"strconv"

	"ambrosa/core/harvest"
	"ambrosa/internal/client"
	"ambrosa/internal/standin"
)

// Drives serves the last supplier's pictures as drives on loopback, at a port
// and the two behind it, until ctx ends, and makes origins of them in the
// application at address when it has none.
func Drives(ctx context.Context, address, folder string, port int, out io.Writer) error {
	samples := filepath.Join(folder, "samples")
	files := filepath.Join(samples, "drive")
	if err := standin.Unpack(filepath.Join(samples, Archives[2]), files); err != nil {
		return err
	}
	at := func(n int) string { return net.JoinHostPort("127.0.0.1", strconv.Itoa(port+n)) }
	dav, err := standin.WebDAV(ctx, at(0), files)
	if err != nil {
		return err
	}
	ssh, err := standin.SFTP(ctx, at(1), files, filepath.Join(folder, "sample-host-key"))
	if err != nil {
		return err
	}
	objects, err := standin.S3(ctx, at(2), files)
	if err != nil {
		return err
	}
	site, err := standin.Site(ctx, at(4), filepath.Join(samples, Goods))
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "A sample supplier's web site is at http://%s/goods\n", site)
	codes, err := standin.Codes(ctx, at(5), filepath.Join(samples, Goods))
	if err != nil {
		return err
	}
	c := client.Client{Address: address}
	var known struct{ Total int }
	if err := c.Get(ctx, "/api/v1/origins", &known); err != nil || known.Total > 0 {
		return err
	}
	for _, o := range []struct {
		kind, name, folder string
		settings           map[string]string
	}{
		{"webdav", "Apigrund share", "", map[string]string{"address": "http://" + dav.String() + "/", "user": standin.User, "password": standin.Password}},
		{"sftp", "Apigrund studio", "", map[string]string{"host": ssh.String(), "user": standin.User, "password": standin.Password, "folder": "/"}},
		{"lookup", "Sample barcode service", "", map[string]string{"address": "http://" + codes.String() + "/v1/items/{gtin}", "header": "X-Key", "key": standin.CodesKey,
			"pictures": "items.#.pictures.#.address", "title": "items.0.title", "quota": "500", "pause": "20"}},
		{"s3", "Apigrund archive", "letters", map[string]string{"address": "http://" + objects.String(), "bucket": standin.Bucket, "access": "demo", "secret": standin.Password}},
	} {
		body := map[string]any{"kind": o.kind, "name": o.name, "settings": o.settings, "folder": o.folder, "selection": map[string]any{"exclude": []string{"*.txt"}},
			"everyMinutes": 0, "rights": "cleared", "licence": "supplier's terms 2026", "credit": "Apigrund"}
		if o.kind == "lookup" {
			body["rights"], body["licence"], body["credit"], body["selection"] = "unknown", "", "", map[string]any{}
		}
		if err := c.Post(ctx, "/api/v1/origins", body, nil); err != nil {
			return fmt.Errorf("make the origin %s: %w", o.name, err)
		}
	}
	recipe := harvest.Recipe{Start: []string{"http://" + site.String() + "/goods"}, Next: harvest.Pick{Selector: "a.onward"}, Product: harvest.Pick{Selector: "a.tile-link"},
		Name: harvest.Pick{Selector: "h1"}, SKU: harvest.Pick{Selector: `dt:contains("Article") + dd`}, Barcode: harvest.Pick{Selector: `dt:contains("EAN") + dd`},
		Pictures: harvest.Pick{Selector: ".stage img, .strip img"}, Exclude: []string{".film"}, Rewriting: harvest.Rewriting{{Find: `/t\d+/`, With: "/whole/", Pattern: true}},
		MinWidth: 500, MinHeight: 500, PauseMS: 50}
	body := map[string]any{"kind": "recipe", "name": "Weidenau site", "settings": map[string]string{}, "folder": "", "selection": map[string]any{}, "recipe": recipe, "everyMinutes": 0,
		"rights": "unknown", "licence": "", "credit": ""}
	if err := c.Post(ctx, "/api/v1/origins", body, nil); err != nil {
		return fmt.Errorf("make the sample recipe: %w", err)
	}
	return nil
}
