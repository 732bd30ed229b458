package standin

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"ambrosa/core/gtin"
)

// CodesKey is the key that the barcode service asks for, in the header X-Key.
const CodesKey = "wildflower-7"

type codes struct {
	site  site
	goods map[string]Good

	mu     sync.Mutex
	recent []time.Time
	failed map[string]bool
}

// burst is how many requests the barcode service answers in a second before it
// asks to wait.
const burst = 12

// Codes serves pictures by barcode until ctx ends, as services do: with a key,
// a limit of requests, a fault now and then, and among the pictures small ones
// and one of another product. It knows the goods of a folder.
func Codes(ctx context.Context, address, folder string) (net.Addr, error) {
	goods, err := readGoods(folder)
	if err != nil {
		return nil, err
	}
	c := &codes{site: site{folder: folder}, goods: map[string]Good{}, failed: map[string]bool{}}
	for i, g := range goods {
		if i%5 != 4 { // some it does not know
			c.goods[gtin.Pad(g.GTIN)] = g
		}
	}
	c.site.goods = goods
	routes := http.NewServeMux()
	routes.HandleFunc("GET /v1/items/{code}", c.item)
	routes.HandleFunc("GET /pic/{size}/{name}", c.site.picture)
	return serve(ctx, address, routes)
}

func (c *codes) item(w http.ResponseWriter, r *http.Request) {
	if r.Header.Get("X-Key") != CodesKey {
		http.Error(w, `{"fault":"no key"}`, http.StatusUnauthorized)
		return
	}
	code, err := gtin.Normalise(r.PathValue("code"))
	if err != nil {
		http.Error(w, `{"fault":"no barcode"}`, http.StatusBadRequest)
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	now := time.Now()
	for len(c.recent) > 0 && now.Sub(c.recent[0]) > time.Second {
		c.recent = c.recent[1:]
	}
	if len(c.recent) >= burst {
		w.Header().Set("Retry-After", "1")
		http.Error(w, `{"fault":"too many requests"}`, http.StatusTooManyRequests)
		return
	}
	c.recent = append(c.recent, now)
	g, known := c.goods[code]
	if !known {
		http.Error(w, `{"fault":"unknown"}`, http.StatusNotFound)
		return
	}
	if strings.HasSuffix(code, "7") && !c.failed[code] { // once
		c.failed[code] = true
		http.Error(w, `{"fault":"try again"}`, http.StatusServiceUnavailable)
		return
	}
	type picture struct {
		Address string `json:"address"`
	}
	host := "http://" + r.Host
	pictures := []picture{{fmt.Sprintf("%s/pic/whole/%s", host, g.Picture(1))}, {fmt.Sprintf("%s/pic/t480/%s", host, g.Picture(1))}}
	for place := 2; place <= len(g.Views); place++ {
		pictures = append(pictures, picture{fmt.Sprintf("%s/pic/whole/%s", host, g.Picture(place))})
	}
	other := c.site.goods[(len(g.SKU)*7)%len(c.site.goods)]
	if other.SKU != g.SKU {
		pictures = append(pictures, picture{fmt.Sprintf("%s/pic/whole/%s", host, filepath.Base(other.Picture(1)))})
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{"items": []any{map[string]any{"title": g.Title, "gtin": g.GTIN, "pictures": pictures}}})
}
