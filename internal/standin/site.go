package standin

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"image"
	"image/jpeg"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/image/draw"
)

// Good is something that the sample supplier with a web site sells.
type Good struct {
	SKU   string
	GTIN  string
	Title string
	Facts []Fact
	Views []string
}

// Fact is a property of a good.
type Fact struct{ Name, Text string }

// GoodsFile lists a folder's goods, as JSON.
const GoodsFile = "goods.json"

// Picture names a good's picture at a place, from 1.
func (g Good) Picture(place int) string { return fmt.Sprintf("%s-%d.jpg", g.SKU, place) }

func readGoods(folder string) (goods []Good, err error) {
	content, err := os.ReadFile(filepath.Join(folder, GoodsFile))
	if err != nil {
		return nil, err
	}
	return goods, json.Unmarshal(content, &goods)
}

// aSheet is how many goods the site lists on a page.
const aSheet = 8

type site struct {
	folder string
	goods  []Good
	scaled sync.Map // of renditions that were made
}

// Site serves a supplier's web site until ctx ends: listings with paging that
// leads in a circle, and pages of goods, each with a strip of thumbnails, of
// which the first repeats the lead, one is lazy and one is the still of a film.
// The large renditions are at addresses that no page names but in one
// attribute. A part of the site is closed by robots.txt.
func Site(ctx context.Context, address, folder string) (net.Addr, error) {
	goods, err := readGoods(folder)
	if err != nil {
		return nil, err
	}
	s := &site{folder: folder, goods: goods}
	routes := http.NewServeMux()
	routes.HandleFunc("GET /robots.txt", func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, "User-agent: *\nDisallow: /office/\nDisallow: /*?sort=\nCrawl-delay: 0.05\n")
	})
	routes.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "/goods", http.StatusMovedPermanently)
	})
	routes.HandleFunc("GET /goods", s.listing)
	routes.HandleFunc("GET /goods/{sku}", s.good)
	routes.HandleFunc("GET /pic/{size}/{name}", s.picture)
	routes.HandleFunc(
		"GET /office/prices",
		func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<!doctype html><p>Not for visitors.") },
	)
	return serve(ctx, address, routes)
}

var pages = template.Must(
	template.New("").
		Parse(`{{define "top"}}<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{{.}} | Weidenau bee supplies</title>
<style>body{font-family:sans-serif;margin:2em auto;max-width:60em}
.tiles{display:grid;grid-template-columns:repeat(4,1fr);gap:1em;list-style:none;padding:0}
.strip{display:flex;gap:.5em;list-style:none;padding:0}</style></head>
<body><header class="masthead"><a href="/goods">Weidenau bee supplies</a> <a href="/office/prices">Price office</a></header>{{end}}
{{define "listing"}}{{template "top" "Goods"}}<h1>Goods, sheet {{.Sheet}}</h1><ul class="tiles">
{{range .Goods}}<li class="tile"><a class="tile-link" href="/goods/{{.SKU}}"><img src="/pic/t96/{{.SKU}}-1.jpg" alt="">
	<span>{{.Title}}</span></a></li>
{{end}}</ul><nav class="sheets"><a rel="next" class="onward" href="/goods?sheet={{.Next}}">Next sheet</a>
<a href="/goods?sort=title">By title</a></nav></body></html>{{end}}
{{define "good"}}{{template "top" .Title}}<main class="good"><h1>{{.Title}}</h1>
<figure class="stage"><img src="/pic/t480/{{.SKU}}-1.jpg" data-whole="/pic/whole/{{.SKU}}-1.jpg" alt="{{.Title}}, front"></figure>
<ul class="strip">{{$sku := .SKU}}{{$title := .Title}}{{range $i, $view := .Views}}<li>{{if eq $i 1}}<img class="thumb"
	src="/pic/t96/blank.gif" data-src="/pic/t96/{{$sku}}-2.jpg" alt="{{$title}}, {{$view}}">{{else}}<img class="thumb"
	src="/pic/t96/{{$sku}}-{{if eq $i 0}}1{{else}}3{{end}}.jpg" alt="{{$title}}, {{$view}}">{{end}}</li>
{{end}}<li class="film"><img class="thumb" src="/pic/t96/{{.SKU}}-film.jpg" alt="film"></li></ul>
<dl class="facts"><dt>Article</dt><dd>{{.SKU}}</dd><dt>EAN</dt><dd>{{.GTIN}}</dd>{{range .Facts}}<dt>{{.Name}}</dt>
<dd>{{.Text}}</dd>{{end}}</dl>
<script type="application/ld+json">{"@context":"https://schema.org","@type":"Product","sku":{{.SKU}},"gtin13":{{.GTIN}},
"image":["/pic/t480/{{.SKU}}-1.jpg"]}</script>
</main></body></html>{{end}}`),
)

func (s *site) listing(w http.ResponseWriter, r *http.Request) {
	sheets := (len(s.goods) + aSheet - 1) / aSheet
	sheet, err := strconv.Atoi(r.URL.Query().Get("sheet"))
	if err != nil || sheet < 1 || sheet > sheets {
		sheet = 1
	}
	from := (sheet - 1) * aSheet
	show(w, r, "listing", map[string]any{"Sheet": sheet, "Next": sheet%sheets + 1, "Goods": s.goods[from:min(from+aSheet, len(s.goods))]})
}

func (s *site) good(w http.ResponseWriter, r *http.Request) {
	for _, g := range s.goods {
		if g.SKU == r.PathValue("sku") {
			show(w, r, "good", g)
			return
		}
	}
	http.NotFound(w, r)
}

// show answers with a page, and its tag, so that a visitor can ask whether it
// has changed.
func show(w http.ResponseWriter, r *http.Request, name string, with any) {
	var page bytes.Buffer
	if err := pages.ExecuteTemplate(&page, name, with); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	sum := sha256.Sum256(page.Bytes())
	tag := fmt.Sprintf(`"%x"`, sum[:8])
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("ETag", tag)
	if r.Header.Get("If-None-Match") == tag {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	_, _ = w.Write(page.Bytes())
}

// picture serves renditions: t96 and t480 by their longer side, whole as it is.
func (s *site) picture(w http.ResponseWriter, r *http.Request) {
	size, name := r.PathValue("size"), filepath.Base(r.PathValue("name"))
	if name == "blank.gif" {
		w.Header().Set("Content-Type", "image/gif")
		_, _ = w.Write(
			[]byte(
				"GIF89a\x01\x00\x01\x00\x80\x00\x00\x00\x00\x00\xff\xff\xff!\xf9\x04\x01\x00\x00\x00\x00,\x00\x00\x00\x00\x01\x00\x01\x00\x00" +
					"\x02\x02D\x01\x00;",
			),
		)
		return
	}
	if name, film := strings.CutSuffix(name, "-film.jpg"); film {
		if size == "whole" { // there is a film, not a picture
			w.Header().Set("Content-Type", "image/jpeg")
			fmt.Fprint(w, "<!doctype html><p>Play the film.")
			return
		}
		s.scaledTo(w, r, name+"-1.jpg", size)
		return
	}
	if size == "whole" {
		http.ServeFile(w, r, filepath.Join(s.folder, name))
		return
	}
	s.scaledTo(w, r, name, size)
}

func (s *site) scaledTo(w http.ResponseWriter, r *http.Request, name, size string) {
	side, err := strconv.Atoi(strings.TrimPrefix(size, "t"))
	if err != nil || side < 16 || side > 1000 {
		http.NotFound(w, r)
		return
	}
	key := size + "/" + name
	content, ok := s.scaled.Load(key)
	if !ok {
		made, err := scale(filepath.Join(s.folder, name), side)
		if errors.Is(err, os.ErrNotExist) {
			http.NotFound(w, r)
			return
		}
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		content = made
		s.scaled.Store(key, content)
	}
	w.Header().Set("Content-Type", "image/jpeg")
	_, _ = w.Write(content.([]byte))
}

func scale(file string, side int) ([]byte, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	whole, err := jpeg.Decode(f)
	if err != nil {
		return nil, err
	}
	width, height := whole.Bounds().Dx(), whole.Bounds().Dy()
	longer := max(width, height)
	small := image.NewRGBA(image.Rect(0, 0, max(1, width*side/longer), max(1, height*side/longer)))
	draw.ApproxBiLinear.Scale(small, small.Bounds(), whole, whole.Bounds(), draw.Src, nil)
	var out bytes.Buffer
	err = jpeg.Encode(&out, small, &jpeg.Options{Quality: 80})
	return out.Bytes(), err
}
