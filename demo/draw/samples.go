package draw

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"ambrosa/demo"
	"ambrosa/internal/standin"

	"github.com/davidbyttow/govips/v2/vips"
	"golang.org/x/sync/errgroup"
)

// shot is a file of an archive: drawn, or given as bytes.
type shot struct {
	path    string
	item    item
	view    string
	side    int // longer side, pixels
	tall    bool
	format  string // jpg, png, webp, tif
	finish  func([]byte) []byte
	special string // padded, cmyk, deep, animated: how it is written
	bytes   []byte
	same    *shot // the same bytes as another file
}

// WriteSamples draws the suppliers' archives and the products' CSV into a
// folder. The same program writes the same bytes.
func WriteSamples(folder string) error {
	vips.LoggingSettings(func(string, vips.LogLevel, string) {}, vips.LogLevelError)
	vips.Startup(&vips.Config{ConcurrencyLevel: 1})
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	items := catalogue()
	var table bytes.Buffer
	if err := writeCatalog(&table, items); err != nil {
		return err
	}
	products := filepath.Join(folder, "products.csv")
	if err := errors.Join(os.WriteFile(products+".part", table.Bytes(), 0o644), os.Rename(products+".part", products)); err != nil {
		return err
	}
	if err := writeSheets(folder, items); err != nil {
		return err
	}
	for i, shots := range [][]*shot{northcomb(items), lindmoor(items), apigrund(items)} {
		if err := writeArchive(filepath.Join(folder, demo.Archives[i]), shots); err != nil {
			return fmt.Errorf("make %s: %w", demo.Archives[i], err)
		}
	}
	for i, shots := range [][]*shot{autumn(items), retouched(items)} {
		if err := writeArchive(filepath.Join(folder, demo.Seasons[i]), shots); err != nil {
			return fmt.Errorf("make %s: %w", demo.Seasons[i], err)
		}
	}
	if err := writeLater(filepath.Join(folder, demo.LaterFolder)); err != nil {
		return err
	}
	return writeGoods(filepath.Join(folder, demo.Goods), weidenau(items))
}

// writeGoods draws a site's pictures into a folder, with the list of its goods.
// The last of them has small pictures only.
func writeGoods(folder string, goods []standin.Good) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	bySKU := map[string]item{}
	for _, it := range catalogue() {
		bySKU[it.sku] = it
	}
	var group errgroup.Group
	group.SetLimit(runtime.NumCPU())
	for n, g := range goods {
		for place, view := range g.Views {
			side := 1200
			if n == len(goods)-1 {
				side = 320
			}
			s := &shot{item: bySKU[g.SKU], view: view, side: side, format: "jpg"}
			group.Go(func() error {
				content, err := s.draw()
				if err != nil {
					return fmt.Errorf("draw %s: %w", g.SKU, err)
				}
				return os.WriteFile(filepath.Join(folder, g.Picture(place+1)), content, 0o644)
			})
		}
	}
	list, err := json.Marshal(goods)
	if err != nil {
		return err
	}
	return errors.Join(group.Wait(), os.WriteFile(filepath.Join(folder, standin.GoodsFile), list, 0o644))
}

var archiveTime = time.Date(2026, 3, 14, 9, 30, 0, 0, time.UTC)

// writeArchive writes an archive that has its name only when it is whole.
func writeArchive(name string, shots []*shot) (err error) {
	drawn := make([]chan []byte, len(shots))
	for i := range drawn {
		drawn[i] = make(chan []byte, 1)
	}
	var group errgroup.Group
	group.SetLimit(runtime.NumCPU() + 1)
	group.Go(func() error {
		file, err := os.Create(name + ".part")
		if err != nil {
			return err
		}
		archive := zip.NewWriter(file)
		known := map[*shot][]byte{}
		for i, s := range shots {
			content, ok := <-drawn[i]
			if !ok {
				return errors.Join(fmt.Errorf("draw %s", s.path), file.Close())
			}
			if s.same != nil {
				content = known[s.same]
			}
			known[s] = content
			entry, err := archive.CreateHeader(&zip.FileHeader{Name: s.path, Method: zip.Store, Modified: archiveTime})
			if err != nil {
				return err
			}
			if _, err := entry.Write(content); err != nil {
				return err
			}
		}
		if err := errors.Join(archive.Close(), file.Close()); err != nil {
			return err
		}
		return os.Rename(name+".part", name)
	})
	for i, s := range shots {
		group.Go(func() error {
			defer close(drawn[i])
			content, err := s.draw()
			if err != nil {
				return fmt.Errorf("draw %s: %w", s.path, err)
			}
			drawn[i] <- content
			return nil
		})
	}
	return group.Wait()
}

func (s *shot) draw() ([]byte, error) {
	if s.same != nil {
		return nil, nil
	}
	if s.bytes != nil || s.item.kind == nil {
		return s.bytes, nil
	}
	light := fnv.New32a()
	_, _ = io.WriteString(light, s.item.sku+s.view)
	width, height := s.side, s.side
	if s.tall {
		height = max(s.side, 640) // the shorter side is large enough, too
		width = height * 4 / 5
	}
	image, err := vips.NewImageFromBuffer([]byte(draw(s.item, s.view, width, height, int(light.Sum32()%97))))
	if err != nil {
		return nil, err
	}
	defer image.Close()
	content, err := s.encode(image)
	if err == nil && s.finish != nil {
		content = s.finish(content)
	}
	return content, err
}

func (s *shot) encode(image *vips.ImageRef) (content []byte, err error) {
	switch s.special {
	case "padded":
		white := &vips.Color{R: 255, G: 255, B: 255}
		if err := errors.Join(image.Flatten(white), image.EmbedBackground(s.side*7/4, s.side*7/4, s.side*7/2, s.side*7/2, white)); err != nil {
			return nil, err
		}
	case "enlarged":
		if err := errors.Join(image.Flatten(&vips.Color{R: 255, G: 255, B: 255}), image.Resize(4, vips.KernelCubic)); err != nil {
			return nil, err
		}
	case "cmyk":
		if err := errors.Join(image.Flatten(&vips.Color{R: 255, G: 255, B: 255}), image.ToColorSpace(vips.InterpretationCMYK)); err != nil {
			return nil, err
		}
	case "deep":
		if err := image.ToColorSpace(vips.InterpretationRGB16); err != nil {
			return nil, err
		}
	}
	if s.format == "jpg" && s.special == "" {
		if err := image.Flatten(&vips.Color{R: 255, G: 255, B: 255}); err != nil {
			return nil, err
		}
	}
	switch s.format {
	case "png":
		params := vips.NewPngExportParams()
		params.Compression = 3
		content, _, err = image.ExportPng(params)
	case "webp":
		params := vips.NewWebpExportParams()
		params.ReductionEffort = 0
		content, _, err = image.ExportWebp(params)
	case "tif":
		params := vips.NewTiffExportParams()
		params.Compression = vips.TiffCompressionLzw
		content, _, err = image.ExportTiff(params)
	default:
		params := vips.NewJpegExportParams()
		params.Quality = 86
		params.Interlace = false // progressive pictures take half as long again
		content, _, err = image.ExportJpeg(params)
	}
	return content, err
}

func random(seed uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, 2026)) }

func pick[T any](r *rand.Rand, list []T) T { return list[r.IntN(len(list))] }
