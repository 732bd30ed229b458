package standin

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"html/template"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// ShopKey is what the sample shop's interface asks for in the header Authorization.
const ShopKey = "Bearer clover-honey"

// Shop is a shop that takes pictures over HTTP and shows what it was given, product by product.
// It keeps them in a folder.
type Shop struct {
	folder string

	// Before, where it is set, may answer a request that changes something itself; it says so.
	Before func(w http.ResponseWriter, r *http.Request) (answered bool)

	mu       sync.Mutex
	pictures map[string]ShopPicture // by their path
	Puts     int                    // pictures that it was given, repetitions too
}

// ShopPicture is a picture that a shop was given.
type ShopPicture struct {
	SKU, Place        string
	Product, Title    string
	Name, Text        string
	Type, Idempotency string
	Bytes             []byte
}

// OpenShop opens a shop that keeps its pictures in a folder.
func OpenShop(folder string) (*Shop, error) {
	s := &Shop{folder: folder, pictures: map[string]ShopPicture{}}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	files, err := filepath.Glob(filepath.Join(folder, "*.json"))
	if err != nil {
		return nil, err
	}
	for _, file := range files {
		content, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		var p ShopPicture
		if err := json.Unmarshal(content, &p); err != nil {
			return nil, err
		}
		s.pictures[p.SKU+"/"+p.Place] = p
	}
	return s, nil
}

// Serve serves the shop until ctx ends; it returns where it listens.
func (s *Shop) Serve(ctx context.Context, address string) (net.Addr, error) {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", s.page)
	mux.HandleFunc("GET /pictures/{sku}/{place}", s.picture)
	mux.HandleFunc("GET /interface", s.interfaceOnly(func(w http.ResponseWriter, _ *http.Request) { said(w, http.StatusOK, "ready") }))
	mux.HandleFunc("PUT /interface/{sku}/{place}", s.interfaceOnly(s.put))
	mux.HandleFunc("DELETE /interface/{sku}/{place}", s.interfaceOnly(s.remove))
	return serve(ctx, address, mux)
}

// Pictures returns what the shop has, in order of product, SKU and place.
func (s *Shop) Pictures() []ShopPicture {
	s.mu.Lock()
	defer s.mu.Unlock()
	var all []ShopPicture
	for _, p := range s.pictures {
		all = append(all, p)
	}
	place := func(p ShopPicture) int {
		n, _ := strconv.Atoi(p.Place) // others come first
		return n
	}
	slices.SortFunc(all, func(a, b ShopPicture) int {
		return cmp.Or(strings.Compare(a.Product, b.Product), strings.Compare(a.SKU, b.SKU), cmp.Compare(place(a), place(b)))
	})
	return all
}

func said(w http.ResponseWriter, status int, state string) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]string{"state": state})
}

func (s *Shop) interfaceOnly(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != ShopKey {
			said(w, http.StatusUnauthorized, "the key is missing or wrong")
			return
		}
		if s.Before != nil && s.Before(w, r) {
			return
		}
		next(w, r)
	}
}

const shopPictureBytes = 64 << 20

// put takes a picture as a form: its file, and beside it what shows in the shop.
func (s *Shop) put(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, shopPictureBytes)
	file, head, err := r.FormFile("file")
	if err != nil {
		said(w, http.StatusUnprocessableEntity, "there is no file in the form")
		return
	}
	defer file.Close()
	content, err := io.ReadAll(file)
	if err != nil {
		said(w, http.StatusUnprocessableEntity, "the form ends early")
		return
	}
	p := ShopPicture{SKU: r.PathValue("sku"), Place: r.PathValue("place"), Product: r.FormValue("product"), Title: r.FormValue("title"),
		Name: r.FormValue("name"), Text: r.FormValue("text"), Type: head.Header.Get("Content-Type"),
		Idempotency: r.Header.Get("Idempotency-Key"), Bytes: content}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.Puts++
	if err := s.keep(p); err != nil {
		said(w, http.StatusInternalServerError, "not kept")
		return
	}
	s.pictures[p.SKU+"/"+p.Place] = p
	said(w, http.StatusOK, "done")
}

func (s *Shop) file(sku, place string) string {
	return filepath.Join(s.folder, url.PathEscape(sku)+" "+url.PathEscape(place)+".json")
}

func (s *Shop) keep(p ShopPicture) error {
	content, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return os.WriteFile(s.file(p.SKU, p.Place), content, 0o600)
}

func (s *Shop) remove(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	sku, place := r.PathValue("sku"), r.PathValue("place")
	if err := os.Remove(s.file(sku, place)); err != nil && !errors.Is(err, os.ErrNotExist) {
		said(w, http.StatusInternalServerError, "not removed")
		return
	}
	delete(s.pictures, sku+"/"+place)
	said(w, http.StatusOK, "gone")
}

func (s *Shop) picture(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	p, is := s.pictures[r.PathValue("sku")+"/"+r.PathValue("place")]
	s.mu.Unlock()
	if !is {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", p.Type)
	_, _ = w.Write(p.Bytes)
}

// page shows the shop's products with their pictures.
func (s *Shop) page(w http.ResponseWriter, _ *http.Request) {
	type shelf struct {
		Title    string
		Code     string
		Pictures []ShopPicture
	}
	var shelves []shelf
	for _, p := range s.Pictures() {
		if n := len(shelves); n == 0 || shelves[n-1].Code != p.Product {
			shelves = append(shelves, shelf{p.Title, p.Product, nil})
		}
		last := &shelves[len(shelves)-1]
		last.Pictures = append(last.Pictures, p)
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = shopPage.Execute(w, shelves)
}

var shopWords = template.FuncMap{"path": url.PathEscape, "kB": func(b []byte) int { return len(b) / 1000 }}

var shopPage = template.Must(template.New("shop").Funcs(shopWords).
	Parse(`<!doctype html><html lang="en"><title>Northcomb shop (sample)</title>
<style>body{font:15px/1.5 system-ui;margin:0 auto;max-width:1100px;padding:24px;background:#fbfaf7;color:#222}
h1{font-size:22px}section{border-top:1px solid #ddd;padding:14px 0}h2{font-size:16px;margin:0 0 8px}
ul{display:flex;flex-wrap:wrap;gap:14px;list-style:none;margin:0;padding:0}li{width:190px}
img{width:190px;height:190px;object-fit:contain;background:#fff;border:1px solid #e5e2da}
small{display:block;color:#666;overflow-wrap:anywhere}</style>
<h1>Northcomb shop, as customers would see it</h1>
{{if not .}}<p>The shop has no pictures yet.</p>{{end}}
{{range .}}<section><h2>{{.Title}} <small>{{.Code}}</small></h2><ul>
{{range .Pictures}}<li><img src="/pictures/{{path .SKU}}/{{path .Place}}" alt="{{.Text}}" loading="lazy">
<small>{{.Name}}, {{kB .Bytes}} kB</small><small>{{.Text}}</small></li>{{end}}</ul></section>{{end}}`))
