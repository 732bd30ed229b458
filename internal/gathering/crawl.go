package gathering

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"strings"

	"golang.org/x/sync/errgroup"

	"ambrosa/core/harvest"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/origin"
	"ambrosa/internal/origin/page"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

// Limits of a crawl where its recipe gives none.
const (
	crawlPages = 5_000
	crawlFiles = 50_000
	barren     = 20 // listing pages one after the other that name no new product
	renditions = 6  // of one picture that are measured
)

// crawl visits a supplier's site page by page and writes down its pictures, in
// their largest rendition. Each page is written with what it held before the
// next is visited, so that a crawl goes on where it was broken off.
func (f *fetch) crawl(ctx context.Context, client *page.Client) error {
	reader, err := harvest.NewReader(*f.origin.Recipe)
	if err != nil {
		return task.Failure{Reason: "The recipe cannot be used: " + err.Error()}
	}
	c := &crawl{fetch: f, client: client, reader: reader, maxPages: crawlPages, maxFiles: crawlFiles}
	if n := f.origin.Recipe.MaxPages; n > 0 {
		c.maxPages = int64(n)
	}
	if n := f.origin.Recipe.MaxFiles; n > 0 {
		c.maxFiles = int64(n)
	}
	for _, address := range f.origin.Recipe.Start {
		u, err := origin.Address(strings.TrimSpace(address))
		if err != nil {
			return err
		}
		if start, ok := harvest.Resolve(&url.URL{}, u.String()); ok {
			c.start = append(c.start, start)
		}
	}
	if _, err := door.Get(ctx, f.Store.Door, door.Step(ctx), func(tx *door.Tx) (int64, error) {
		return store.AddPages(ctx, tx, f.run.ID, c.startKind(), c.start)
	}); err != nil {
		return err
	}
	if c.state, err = f.Store.CrawlState(ctx, f.run.ID); err != nil {
		return err
	}
	for ctx.Err() == nil {
		f.p.Set(c.state.Visited, c.state.Pages)
		if c.state.Visited >= c.maxPages || c.state.Files >= c.maxFiles || c.idle >= barren {
			return c.end(ctx, true)
		}
		next, err := f.Store.NextPage(ctx, f.run.ID)
		if errors.Is(err, store.ErrNotFound) {
			return c.end(ctx, false)
		}
		if err != nil {
			return err
		}
		if err := c.visit(ctx, next); err != nil {
			return err
		}
	}
	return ctx.Err()
}

type crawl struct {
	*fetch
	client             *page.Client
	reader             *harvest.Reader
	start              []string
	maxPages, maxFiles int64
	state              store.Crawl
	idle               int // listing pages since one named a new product
}

// startKind says what the start pages are: listings, unless the recipe has no
// step that leads to products' pages.
func (c *crawl) startKind() string {
	if c.reader.Recipe.Product.Selector == "" {
		return "product"
	}
	return "listing"
}

// visit reads one page. A fault of the network that stays ends the crawl, which
// can go on later; any other fault is the page's own.
func (c *crawl) visit(ctx context.Context, next store.CrawlPage) error {
	known, err := "", error(nil)
	if next.Kind == "product" {
		if known, err = c.Store.KnownPage(ctx, c.origin.ID, next.Address); err != nil {
			return err
		}
	}
	got, err := again(ctx, func() (*page.Page, error) { return c.client.Page(ctx, next.Address, known) })
	var fault *origin.Fault
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &fault) && !fault.Again:
		return c.failed(ctx, next, fault.Reason)
	case err != nil:
		return err
	case got.Same:
		next.State, next.Tag = "same", got.Tag
		return c.visited(ctx, next, nil, harvest.Links{})
	}
	read, err := harvest.ReadPage(got.Address, got.Content)
	if err != nil {
		return c.failed(ctx, next, err.Error())
	}
	next.State, next.Tag = "done", got.Tag
	links := c.reader.Links(read)
	var items []store.FetchItem
	if next.Kind == "product" {
		links.Products = nil
		if c.startKind() == "listing" {
			links.Next = nil
		}
		if items, err = c.pictures(ctx, &next, read); err != nil {
			return err
		}
	}
	next.Links = len(links.Products)
	return c.visited(ctx, next, items, links)
}

func (c *crawl) failed(ctx context.Context, next store.CrawlPage, reason string) error {
	next.State, next.Message = "failed", reason
	if err := c.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Log(ctx, tx, c.run.ID, next.Address+": "+reason)
	}); err != nil {
		return err
	}
	return c.visited(ctx, next, nil, harvest.Links{})
}

func (c *crawl) visited(ctx context.Context, p store.CrawlPage, items []store.FetchItem, links harvest.Links) error {
	kind := c.startKind()
	listings, products := links.Next, links.Products
	if kind == "product" { // the start pages lead from one product to the next
		listings, products = nil, append(products, links.Next...)
	}
	room := max(0, int(c.maxPages-c.state.Pages))
	products = products[:min(len(products), room)]
	listings = listings[:min(len(listings), room)]
	var newListings, newProducts int64
	err := c.Store.Step(ctx, func(tx *door.Tx) (err error) {
		newListings, newProducts, err = store.Visited(ctx, tx, c.run.ID, c.origin.ID, p, items, listings, products)
		return err
	})
	if err != nil {
		return err
	}
	s := &c.state
	s.Visited, s.Pages, s.Links, s.Shots, s.Small, s.Files = s.Visited+1, s.Pages+newListings+newProducts, s.Links+int64(
		p.Links,
	), s.Shots+int64(p.Shots), s.Small+int64(p.Small), s.Files+int64(len(items))
	s.Width, s.Height = max(s.Width, int64(p.Width)), max(s.Height, int64(p.Height))
	switch {
	case p.State == "failed":
		s.Failed++
	case p.Kind == "listing":
		s.Listings++
		if c.idle++; newProducts > 0 {
			c.idle = 0
		}
	case p.State == "same":
		s.Same++
		s.Files++ // what it named before is there
		fallthrough
	default:
		s.Products++
	}
	return nil
}

// pictures measures what a product's page shows and returns the largest
// rendition of each picture.
func (c *crawl) pictures(ctx context.Context, p *store.CrawlPage, read *harvest.Page) (items []store.FetchItem, err error) {
	product := c.reader.Product(read)
	p.Shots = len(product.Shots)
	largest := make([]measured, len(product.Shots))
	group, measuring := errgroup.WithContext(ctx)
	group.SetLimit(fetchers)
	for i, shot := range product.Shots {
		group.Go(contained.Safely(func() (err error) {
			largest[i], err = c.largest(measuring, shot)
			return err
		}))
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	recipe := c.reader.Recipe
	fields := product.Said(read.Address.String())
	fields["page"] = read.Title
	template := recipe.Template
	if template == "" {
		template = defaultTemplate(product)
	}
	seen := map[string]bool{}
	for i, m := range largest {
		if m.Problem != "" {
			if err := c.Store.Step(ctx, func(tx *door.Tx) error {
				return store.Log(ctx, tx, c.run.ID, fmt.Sprintf("%s: %s: %s", p.Address, product.Shots[i].Before, m.Problem))
			}); err != nil {
				return nil, err
			}
			continue
		}
		if seen[m.address] {
			continue
		}
		seen[m.address] = true
		if m.Width > 0 && (m.Width < recipe.MinWidth || m.Height < recipe.MinHeight) {
			p.Small++
			p.Width, p.Height = max(p.Width, m.Width), max(p.Height, m.Height)
			continue
		}
		fields["file"] = harvest.FileOf(m.address)
		items = append(
			items,
			store.FetchItem{Path: harvest.NameFor(template, fields, len(items)+1, extensionOf(m)), Address: m.address, Page: p.Address,
				Said: product.Said(read.Address.String()), Tag: m.tag(), Bytes: m.Bytes, Fresh: true},
		)
	}
	return items, nil
}

// defaultTemplate names files by what the page says of its product.
func defaultTemplate(p harvest.Finding) string {
	switch {
	case p.SKU != "":
		return "{sku}-{n}"
	case p.Barcode != "":
		return "{barcode}-{n}"
	}
	return "{page}-{n}"
}

// measured is a rendition and what its first bytes tell.
type measured struct {
	page.Measured
	address string
}

// tag tells one state of a picture from another.
func (m measured) tag() string {
	if m.Tag != "" {
		return m.Tag
	}
	return fmt.Sprintf("%d %d %d", m.Bytes, m.Width, m.Height)
}

func extensionOf(m measured) string {
	switch m.Type {
	case "image/jpeg":
		return "jpg"
	case "":
		return harvest.ExtensionOf(m.address)
	}
	return strings.TrimPrefix(m.Type, "image/")
}

// largest measures the renditions of a picture and returns the one with most
// pixels; of equals, the one that promised most. Where none is a picture, it is
// the first, with what is wrong with it.
func (c *crawl) largest(ctx context.Context, shot harvest.Shot) (best measured, err error) {
	list := shot.Candidates()
	for i, address := range list[:min(len(list), renditions)] {
		m, err := again(ctx, func() (page.Measured, error) { return c.client.Measure(ctx, address) })
		if err != nil {
			var fault *origin.Fault
			if ctx.Err() != nil || !errors.As(err, &fault) {
				return best, err
			}
			if !sameHost(address, shot.Before) {
				m = page.Measured{Problem: fault.Reason}
			} else {
				return best, err
			}
		}
		if i == 0 || best.Problem != "" && m.Problem == "" || m.Problem == "" && m.Width*m.Height > best.Width*best.Height {
			best = measured{m, address}
		}
	}
	return best, nil
}

func sameHost(a, b string) bool {
	u, err := url.Parse(a)
	v, other := url.Parse(b)
	return err == nil && other == nil && u.Host == v.Host
}

// end says how a crawl went; one that brings nothing says which step is why.
func (c *crawl) end(ctx context.Context, atLimit bool) error {
	s, recipe := c.state, c.reader.Recipe
	if atLimit {
		if err := c.Store.Step(ctx, func(tx *door.Tx) error { return store.EndCrawl(ctx, tx, c.run.ID) }); err != nil {
			return err
		}
	}
	c.about = fmt.Sprintf("%d pages read", s.Visited)
	if s.Same > 0 {
		c.about += fmt.Sprintf(" (%d of them as they were)", s.Same)
	}
	if s.Failed > 0 {
		c.about += fmt.Sprintf(", %d could not be read", s.Failed)
	}
	if s.Small > 0 {
		c.about += fmt.Sprintf(", %d pictures are smaller than %d × %d", s.Small, recipe.MinWidth, recipe.MinHeight)
	}
	switch {
	case c.idle >= barren:
		c.about += fmt.Sprintf(", stopped after %d listing pages without a new product", barren)
	case atLimit:
		c.about += fmt.Sprintf(", stopped at the recipe's limit of %d pages and %d files", c.maxPages, c.maxFiles)
	}
	if s.Files > 0 {
		return nil
	}
	why := ""
	switch {
	case s.Failed > 0 && s.Failed == s.Visited:
		why = "no page could be read; the log says why"
	case c.startKind() == "listing" && s.Links == 0:
		why = fmt.Sprintf("the step “%s” (%s) finds no link on %d listing pages", harvest.StepProduct, recipe.Product.Selector, s.Listings)
	case s.Shots == 0:
		why = fmt.Sprintf("the step “%s” (%s) finds nothing on %d pages", harvest.StepPictures, recipe.Pictures.Selector, s.Products)
	case s.Small > 0:
		why = fmt.Sprintf(
			"every picture is too small: the largest has %d × %d pixels, asked for are %d × %d; a rewriting may lead to larger ones",
			s.Width, s.Height, recipe.MinWidth, recipe.MinHeight,
		)
	default:
		why = "no address leads to a picture; the log says why"
	}
	return task.Failure{Reason: "The recipe brings nothing: " + why + "."}
}
