package demo

import (
	"context"
	"fmt"
	"io"
	"net"
	"path/filepath"
	"strconv"
	"time"

	"ambrosa/core/catalog"
	"ambrosa/core/harvest"
	"ambrosa/core/rendition"
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
	d := &driven{client.Client{Address: address}}
	c := d.Client
	var known struct{ Total int }
	if err := c.Get(ctx, "/api/v1/origins", &known); err != nil || known.Total > 0 {
		return err
	}
	for _, o := range []struct {
		kind, name, folder string
		settings           map[string]string
	}{
		{"webdav", "Apigrund share", "", map[string]string{"address": "http://" + dav.String() + "/", "user": standin.User,
			"password": standin.Password}},
		{"sftp", "Apigrund studio", "", map[string]string{"host": ssh.String(), "user": standin.User, "password": standin.Password,
			"folder": "/"}},
		{"lookup", "Sample barcode service", "", map[string]string{"address": "http://" + codes.String() + "/v1/items/{gtin}",
			"header": "X-Key", "key": standin.CodesKey,
			"pictures": "items.#.pictures.#.address", "title": "items.0.title", "quota": "500", "pause": "20"}},
		{"s3", "Apigrund archive", "letters", map[string]string{"address": "http://" + objects.String(), "bucket": standin.Bucket,
			"access": "demo", "secret": standin.Password}},
	} {
		body := map[string]any{
			"kind":         o.kind,
			"name":         o.name,
			"settings":     o.settings,
			"folder":       o.folder,
			"selection":    map[string]any{"exclude": []string{"*.txt"}},
			"everyMinutes": 0, "rights": "cleared", "licence": "supplier's terms 2026", "credit": "Apigrund",
		}
		if o.kind == "lookup" {
			body["rights"], body["licence"], body["credit"], body["selection"] = "unknown", "", "", map[string]any{}
		}
		if err := c.Post(ctx, "/api/v1/origins", body, nil); err != nil {
			return fmt.Errorf("make the origin %s: %w", o.name, err)
		}
	}
	recipe := harvest.Recipe{
		Start:   []string{"http://" + site.String() + "/goods"},
		Next:    harvest.Pick{Selector: "a.onward"},
		Product: harvest.Pick{Selector: "a.tile-link"},
		Name: harvest.Pick{
			Selector: "h1",
		},
		SKU:     harvest.Pick{Selector: `dt:contains("Article") + dd`},
		Barcode: harvest.Pick{Selector: `dt:contains("EAN") + dd`},
		Pictures: harvest.Pick{
			Selector: ".stage img, .strip img",
		},
		Exclude:   []string{".film"},
		Rewriting: rendition.Rewriting{{Find: `/t\d+/`, With: "/whole/", Pattern: true}},
		MinWidth:  500,
		MinHeight: 500,
		PauseMS:   50,
	}
	body := map[string]any{
		"kind":         "recipe",
		"name":         "Weidenau site",
		"settings":     map[string]string{},
		"folder":       "",
		"selection":    map[string]any{},
		"recipe":       recipe,
		"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
	}
	var recipeOrigin struct{ ID int64 }
	if err := c.Post(ctx, "/api/v1/origins", body, &recipeOrigin); err != nil {
		return fmt.Errorf("make the sample recipe: %w", err)
	}
	fmt.Fprintln(out, "Fetching from two of the sample origins, as on the days before …")
	return d.daysBefore(ctx, recipeOrigin.ID, "Apigrund archive")
}

// driven is an application whose origins are used.
type driven struct{ client.Client }

// daysBefore fetches from a supplier's site and applies what came, and from a
// drive, whose lot waits to be planned.
func (d *driven) daysBefore(ctx context.Context, site int64, drive string) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	lot, err := d.fetched(ctx, site)
	if err != nil {
		return err
	}
	if err := d.applied(ctx, lot); err != nil {
		return err
	}
	var page struct {
		Items []struct {
			ID   int64
			Name string
		}
	}
	if err := d.Get(ctx, "/api/v1/origins", &page); err != nil {
		return err
	}
	for _, o := range page.Items {
		if o.Name != drive {
			continue
		}
		if _, err := d.fetched(ctx, o.ID); err != nil {
			return err
		}
	}
	return nil
}

// fetched fetches from an origin and returns the lot, when it is read.
func (d *driven) fetched(ctx context.Context, origin int64) (lot int64, err error) {
	var run struct{ ID int64 }
	if err := d.Post(ctx, fmt.Sprintf("/api/v1/origins/%d/fetch", origin), nil, &run); err != nil {
		return 0, fmt.Errorf("fetch from a sample origin: %w", err)
	}
	err = client.Until(ctx, func() (bool, error) {
		var now struct {
			State, Message string
			Lot            int64
		}
		if err := d.Get(ctx, fmt.Sprintf("/api/v1/runs/%d", run.ID), &now); err != nil {
			return false, err
		}
		if now.State == "failed" {
			return false, fmt.Errorf("fetch from a sample origin: %s", now.Message)
		}
		if lot = now.Lot; now.State != "done" || lot == 0 {
			return now.State == "done", nil
		}
		var found struct{ State string }
		err := d.Get(ctx, fmt.Sprintf("/api/v1/lots/%d", lot), &found)
		return found.State == "ready", err
	})
	return lot, err
}

// applied plans a lot, leaves every other product out for another day, and applies
// the plan.
func (d *driven) applied(ctx context.Context, lot int64) error {
	if lot == 0 {
		return nil
	}
	var plan struct{ ID int64 }
	if err := d.Post(ctx, fmt.Sprintf("/api/v1/lots/%d/plan", lot), map[string]any{"way": "after"}, &plan); err != nil {
		return err
	}
	path := fmt.Sprintf("/api/v1/plans/%d", plan.ID)
	var page struct {
		Items []struct{ Owner catalog.Target }
	}
	if err := d.Get(ctx, path+"/changes?limit=500", &page); err != nil {
		return err
	}
	for n, p := range page.Items {
		if n%2 == 0 {
			continue
		}
		if err := d.Put(ctx, fmt.Sprintf("%s/changes/%s/%d", path, p.Owner.Kind, p.Owner.ID), map[string]any{"way": "", "leftOut": true},
			nil); err != nil {
			return err
		}
	}
	if err := d.Apply(ctx, plan.ID); err != nil {
		return err
	}
	return client.Until(ctx, func() (bool, error) {
		var now struct{ State string }
		err := d.Get(ctx, path, &now)
		return now.State == "applied", err
	})
}
