// Command shots takes the pictures in docs/screenshots from a running demo.
package main

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"

	"ambrosa/internal/client"
	"ambrosa/tests/browser"
)

type shot struct {
	name, path, ready string
	dark              bool
	click             string
	press             []string
	then              string // what is to be seen after the keys
}

func main() {
	address := flag.String("url", "http://127.0.0.1:8080", "where the demo serves")
	out := flag.String("out", "docs/screenshots", "folder for the pictures")
	only := flag.String("only", "", "names to take, separated by commas")
	flag.Parse()
	if err := take(context.Background(), *address, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}

func take(ctx context.Context, address, out, only string) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	shots, err := list(address)
	if err != nil {
		return err
	}
	for _, dark := range []bool{false, true} {
		page, err := browser.Open(ctx, browser.Options{Dark: dark})
		if err != nil {
			return err
		}
		for _, s := range shots {
			if s.dark != dark || (only != "" && !strings.Contains(","+only+",", ","+s.name+",")) {
				continue
			}
			if err := s.take(page, address, out); err != nil {
				page.Close()
				return fmt.Errorf("%s: %w", s.name, err)
			}
		}
		page.Close()
	}
	return nil
}

func (s shot) take(page *browser.Page, address, out string) error {
	if err := errors.Join(page.Go(address+s.path), page.Until(s.ready), s.clicks(page), page.Press(s.press...),
		page.Until(cmp.Or(s.then, "true")), page.Shown()); err != nil {
		return err
	}
	png, err := page.Screenshot()
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(out, s.name+".png"), png, 0o644)
}

func (s shot) clicks(page *browser.Page) error {
	if s.click == "" {
		return nil
	}
	return page.Click(s.click)
}

// list finds in the sample data what the views are shown with.
func list(address string) ([]shot, error) {
	contested, err := firstFile(address, "contested", "sets")
	if err != nil {
		return nil, err
	}
	paired, err := firstFile(address, "paired", "suits")
	if err != nil {
		return nil, err
	}
	ids, err := origins(address)
	if err != nil {
		return nil, err
	}
	supplier, err := supplierPage(address)
	if err != nil {
		return nil, err
	}
	rows := "document.querySelectorAll('.filerow .mono').length > 0 && document.querySelector('.reading')"
	return []shot{
		{name: "today", path: "/", ready: "document.querySelector('.sheet')"},
		{name: "record", path: "/record", ready: "document.querySelectorAll('.history-line').length > 8"},
		{name: "gather", path: "/gather", ready: "document.querySelectorAll('.row').length > 2"},
		{
			name:  "workshop",
			path:  fmt.Sprintf("/recipes/%d?side=pictures", ids["recipe"]),
			ready: "document.body.innerText.includes('at least 500') && [...document.images].every(i => i.complete)",
		},
		{name: "supplier-link", path: supplier, ready: "document.querySelectorAll('.row').length > 8"},
		{
			name:  "origin",
			path:  fmt.Sprintf("/origins/%d?folder=letters", ids["webdav"]),
			ready: "[...document.querySelectorAll('.card img')].filter(i => i.complete && i.naturalWidth > 0).length > 9",
		},
		{name: "lot", path: "/lots/2", ready: "document.querySelectorAll('.row.pick').length > 5"},
		{
			name:  "bench-contested",
			path:  fmt.Sprintf("/pair/2?file=%d", contested),
			ready: rows + " && document.querySelector('.shot, .choice')",
		},
		{
			name:  "bench-paired-dark",
			path:  fmt.Sprintf("/pair/2?file=%d", paired),
			ready: rows + " && document.querySelector('.shot')",
			dark:  true,
		},
		{name: "plan", path: "/plans/1", ready: "document.querySelectorAll('.shot').length > 3"},
		{name: "catalog", path: "/catalog?category=Tools", ready: "document.querySelectorAll('.card img').length > 5"},
		{name: "category", path: "/categories/1", ready: "document.querySelectorAll('.target img').length > 3"},
		{name: "product", path: "/products/1", ready: "document.querySelectorAll('.placed').length > 2"},
		{
			name:  "sheet",
			path:  "/sheets/3",
			ready: "document.querySelectorAll('[role=gridcell]').length > 40 && document.querySelector('[aria-label=Column] .mono')",
			click: `[aria-rowindex="7"] [aria-colindex="4"]`,
			then:  "document.querySelector('[aria-label=Cell] button')",
		},
		{name: "upkeep", path: "/upkeep", ready: "document.querySelectorAll('.card img').length > 9 && document.querySelector('aside li img')"},
		{name: "shelf", path: "/shelf", ready: "document.querySelectorAll('.gridrow .card img').length > 4"},
		{
			name:  "dispatch",
			path:  "/dispatch/2",
			ready: "document.querySelectorAll('.row img').length > 6 && document.querySelector('[aria-label=\"What would go\"]')",
		},
		{
			name:  "receipt",
			path:  "/dispatch/2",
			ready: "[...document.querySelectorAll('[aria-label=Shown] label')].some(l => l.innerText === 'What went' && (l.click(), true))",
			click: `[aria-label="What went"] button[aria-expanded]`,
			then:  "document.querySelectorAll('[aria-label=\"What went\"] img').length > 6",
		},
		{
			name:  "coverage",
			path:  "/dispatch/coverage?category=Candles",
			ready: "document.querySelectorAll('[aria-label=\"Products by views\"] td').length > 10",
		},
	}, nil
}

// origins returns the first origin of each kind.
func origins(address string) (map[string]int64, error) {
	var page struct {
		Items []struct {
			ID   int64
			Kind string
		}
	}
	c := client.Client{Address: address}
	if err := c.Get(context.Background(), "/api/v1/origins", &page); err != nil {
		return nil, err
	}
	ids := map[string]int64{}
	for _, o := range page.Items {
		if ids[o.Kind] == 0 {
			ids[o.Kind] = o.ID
		}
	}
	// The lookup is shown with answers.
	return ids, c.Post(context.Background(), fmt.Sprintf("/api/v1/origins/%d/lookup", ids["lookup"]), map[string]any{"missing": true}, nil)
}

// supplierPage makes a supplier's link and returns where it leads.
func supplierPage(address string) (string, error) {
	var made struct{ Address string }
	err := client.Client{
		Address: address,
	}.Post(
		context.Background(),
		"/api/v1/supplier-links",
		map[string]any{"supplier": "Weidenau", "asker": "Mara Lind, Lindenhof Bee Supplies",
			"message": "We are preparing the spring catalog and miss pictures of these articles. White ground if you have it, 1000 px or " +
				"more. Thank you!",
			"category": "", "days": 14, "maxFiles": 500, "maxBytes": 4_000_000_000, "rights": "cleared", "licence": "", "credit": ""},
		&made,
	)
	return made.Address, err
}

func firstFile(address, verdict, part string) (int64, error) {
	response, err := http.Get(address + "/api/v1/lots/2/files?limit=1&verdict=" + verdict + "&q=" + part)
	if err != nil {
		return 0, fmt.Errorf("no demo answers at %s: %w", address, err)
	}
	defer response.Body.Close()
	var page struct{ Items []struct{ ID int64 } }
	if err := json.NewDecoder(response.Body).Decode(&page); err != nil {
		return 0, err
	}
	if len(page.Items) == 0 {
		return 0, fmt.Errorf("the sample lot has no %s file with %q", verdict, part)
	}
	return page.Items[0].ID, nil
}
