package importing

import (
	"context"
	"fmt"
	"net/url"
	"path"
	"strings"

	"ambrosa/core/harvest"
	"ambrosa/core/legible"
	"ambrosa/core/sheet"
	"ambrosa/internal/store"
)

// mostAddresses bounds how many pictures of a sheet are fetched as one lot.
const mostAddresses = 50_000

// Addresses returns the pictures that a sheet names by address and that are still to be
// fetched, or came as something that cannot be used, each once, in the sheet's order.
func (m *Importer) Addresses(ctx context.Context, found store.Sheet) (items []store.FetchItem, err error) {
	judge, err := sheet.NewJudge(found.Mapping, found.Choices)
	if err != nil {
		return nil, &MappingError{"This mapping cannot be used: " + err.Error() + "."}
	}
	larger, err := m.larger(ctx)
	if err != nil {
		return nil, err
	}
	nothing, seen := sheet.NewItems(nil), map[string]bool{}
	err = m.eachRow(ctx, found, noteAtOnce, func(rows []store.SheetRow) error {
		var some []store.FetchItem
		var addresses []string
		for _, r := range rows {
			row := judge.Row(r.Row, r.Cells, r.Edits, nothing)
			for _, named := range row.Wanted.Pictures {
				if !sheet.IsAddress(named.Name) || seen[named.Name] || row.Verdict == sheet.Skipped {
					continue
				}
				seen[named.Name] = true
				item := fetchItem(found.Name, row, named)
				if better := larger(named.Name); better != "" {
					item.Said[store.SaidLarger] = better
				}
				some, addresses = append(some, item), append(addresses, named.Name)
			}
		}
		came, err := store.FilesAt(ctx, m.Store.Reader(), addresses)
		if err != nil {
			return err
		}
		here := map[string]bool{}
		for _, f := range came {
			here[f.Address] = f.Problem == ""
		}
		for _, item := range some {
			if !here[item.Address] && len(items) < mostAddresses {
				items = append(items, item)
			}
		}
		return nil
	})
	return items, err
}

// fetchItem is a picture to be fetched: it is called as its address ends, in a folder of
// what its row is about.
func fetchItem(name string, row sheet.Judged, named sheet.NamedPicture) store.FetchItem {
	base := "picture"
	if u, err := url.Parse(named.Name); err == nil && path.Base(u.Path) != "/" && path.Base(u.Path) != "." {
		base = path.Base(u.Path)
	}
	folder := strings.NewReplacer("/", "-", "\\", "-").Replace(row.SKU)
	if folder == "" {
		folder = fmt.Sprintf("row %d", row.Row)
	}
	said := map[string]string{"sheet": name, "row": fmt.Sprint(row.Row)}
	if named.Rights != "" {
		said["rights"] = named.Rights
	}
	return store.FetchItem{Path: legible.Name(folder + "/" + base), Address: named.Name, Said: said}
}

// larger returns what tells where a larger rendition of a picture may be, by its address:
// the rewriting of a page recipe that reads that host, or whose pictures came from there.
// It tells "" where no recipe does.
func (m *Importer) larger(ctx context.Context) (func(address string) string, error) {
	recipes, err := m.Store.RecipesThatRewrite(ctx)
	if err != nil {
		return nil, err
	}
	by := map[string]func(string) string{}
	for _, r := range recipes {
		rewrite, err := r.Recipe.Rewriting.Compile()
		if err != nil {
			continue // its own page says what is wrong with it
		}
		hosts := r.Hosts
		for _, start := range r.Recipe.Start {
			hosts = append(hosts, hostOf(start))
		}
		for _, host := range hosts {
			if by[host] == nil {
				by[host] = rewrite
			}
		}
	}
	return func(address string) string {
		rewrite := by[hostOf(address)]
		if rewrite == nil {
			return ""
		}
		after, ok := harvest.Resolve(&url.URL{}, rewrite(address))
		if !ok || after == address {
			return ""
		}
		return after
	}, nil
}

func hostOf(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	return strings.ToLower(u.Host)
}
