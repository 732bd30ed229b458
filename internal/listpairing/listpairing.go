// Package listpairing pairs a list of names with a catalog, both in plain files:
// a CSV and paths in, a CSV of verdicts out. It is what `ambrosa pair` does; it
// needs no database. The rules are in core/pairing.
package listpairing

import (
	"errors"
	"fmt"
	"io"
	"os"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"unicode/utf8"

	"ambrosa/core/pairing"
	sheets "ambrosa/core/sheet"
)

// Files names what Run reads and writes; "-" is standard input or output.
type Files struct {
	Catalog string // CSV; "sku" required, "product", "title", "gtin", "codes" optional, other columns are attributes
	Names   string // one relative path a line, UTF-8
	Clues   string // JSON clue list; empty for the default
	Out     string // CSV
}

// Run pairs every name and writes a row for each, in the order given. An error
// names the file and the line that cannot be used.
func Run(files Files, stdin io.Reader, stdout io.Writer) error {
	clues, err := readClues(files.Clues)
	if err != nil {
		return err
	}
	var names []string
	var namesErr error
	var wait sync.WaitGroup
	wait.Go(func() { names, namesErr = readNames(files.Names, stdin) })
	catalog, err := readCatalogFile(files.Catalog)
	if err != nil {
		return err
	}
	wait.Wait()
	if namesErr != nil {
		return namesErr
	}
	verdicts, err := pairing.Lot(catalog, clues, names, false)
	if err != nil {
		return inFile(files.Clues, err)
	}
	if err := heedSheet(files.Clues, clues, catalog, names, verdicts); err != nil {
		return err
	}
	return write(files.Out, stdout, catalog, names, verdicts)
}

func readClues(path string) (pairing.ClueList, error) {
	if path == "" {
		return pairing.DefaultClues(), nil
	}
	file, err := os.Open(path)
	if err != nil {
		return pairing.ClueList{}, err
	}
	defer file.Close()
	list, err := pairing.ReadClueList(file)
	if err != nil {
		return list, inFile(path, err)
	}
	return list, nil
}

// readText reads a whole file; "-" is stdin, when that may be.
func readText(path string, stdin io.Reader) (string, error) {
	source := stdin
	var text strings.Builder
	if path != "-" || stdin == nil {
		file, err := os.Open(path)
		if err != nil {
			return "", err
		}
		defer file.Close()
		if info, err := file.Stat(); err == nil {
			text.Grow(int(info.Size()))
		}
		source = file
	}
	_, err := io.CopyBuffer(&text, struct{ io.Reader }{source}, make([]byte, 256<<10))
	return text.String(), err
}

func readNames(path string, stdin io.Reader) ([]string, error) {
	text, err := readText(path, stdin)
	if err != nil {
		return nil, err
	}
	if path == "-" {
		path = "standard input"
	}
	if !utf8.ValidString(text) {
		line := 1 + strings.Count(text[:firstInvalid(text)], "\n")
		return nil, &LineError{path, line, errors.New("it is not UTF-8")}
	}
	text = strings.TrimPrefix(text, "\ufeff")
	names := make([]string, 0, strings.Count(text, "\n")+1)
	for len(text) > 0 {
		line, rest, _ := strings.Cut(text, "\n")
		names = append(names, strings.TrimSuffix(line, "\r"))
		text = rest
	}
	return names, nil
}

func firstInvalid(content string) int {
	for i := 0; i < len(content); {
		r, size := utf8.DecodeRuneInString(content[i:])
		if r == utf8.RuneError && size == 1 {
			return i
		}
		i += size
	}
	return len(content)
}

// sheet is a catalog as it stands in a file.
type sheet struct {
	items      []pairing.Item
	lines      []int32  // that the items stand on
	attributes []string // names of their attributes
}

func readCatalogFile(path string) (*pairing.Catalog, error) {
	content, err := readText(path, nil)
	if err != nil {
		return nil, err
	}
	catalog, err := readCatalog(content)
	if err != nil {
		return nil, inFile(path, err)
	}
	return catalog, nil
}

func readCatalog(content string) (*pairing.Catalog, error) {
	s, err := readSheet(content)
	if err != nil {
		return nil, err
	}
	catalog := pairing.NewCatalog(s.items, s.attributes...)
	if first, second, ok := catalog.Twice(); ok {
		twice := fmt.Errorf("the SKU %q stands in line %d already", s.items[second].SKU, s.lines[first])
		return nil, &LineError{Line: int(s.lines[second]), Err: twice}
	}
	return catalog, nil
}

// readSheet reads a catalog's rows: in parts side by side, unless quotes may
// hold line ends.
func readSheet(content string) (sheet, error) {
	header := &rows{text: strings.TrimPrefix(content, "\ufeff"), next: 1}
	names, err := header.read(nil)
	if err != nil {
		return sheet{}, err
	}
	if names == nil {
		return sheet{}, &LineError{Line: 1, Err: errors.New("the file is empty, a header row with the column \"sku\" is needed")}
	}
	columns, err := readHeader(names)
	if err != nil {
		return sheet{}, err
	}
	parts := []*rows{header}
	if workers := min(runtime.GOMAXPROCS(0), len(header.text)>>16+1); strings.IndexByte(header.text, '"') < 0 {
		parts = header.split(workers)
	}
	most := make([]int, len(parts)+1) // rows in the parts before each
	for w, part := range parts {
		most[w+1] = most[w] + strings.Count(part.text, "\n") + 1
	}
	all := sheet{items: make([]pairing.Item, most[len(parts)]), lines: make([]int32, most[len(parts)])}
	counts, errs := make([]int, len(parts)), make([]error, len(parts))
	var wait sync.WaitGroup
	for w, part := range parts {
		wait.Go(func() {
			counts[w], errs[w] = columns.readRows(part, sheet{items: all.items[most[w]:most[w+1]], lines: all.lines[most[w]:most[w+1]]})
		})
	}
	wait.Wait()
	n := 0
	for w := range parts {
		if errs[w] != nil {
			return sheet{}, errs[w]
		}
		copy(all.items[n:], all.items[most[w]:most[w]+counts[w]])
		copy(all.lines[n:], all.lines[most[w]:most[w]+counts[w]])
		n += counts[w]
	}
	for _, i := range columns.attributes {
		all.attributes = append(all.attributes, strings.TrimSpace(names[i]))
	}
	return sheet{all.items[:n], all.lines[:n], all.attributes}, nil
}

// columns tells which column holds what; -1 where there is none.
type columns struct {
	sku, product, title, gtin, codes int
	attributes                       []int
	width                            int
}

func readHeader(cells []string) (columns, error) {
	header, err := products.Header(cells, false, sheets.SKU)
	if err != nil {
		return columns{}, &LineError{Line: 1, Err: err}
	}
	return columns{
		sku:        header.Column(sheets.SKU),
		product:    header.Column(sheets.Product),
		title:      header.Column(sheets.Title),
		gtin:       header.Column(sheets.GTIN),
		codes:      header.Column(sheets.Codes),
		attributes: header.Others,
		width:      len(cells),
	}, nil
}

// readRows fills into with the rows of a part and returns how many there are.
func (c *columns) readRows(part *rows, into sheet) (n int, err error) {
	var cells []string
	for {
		if cells, err = part.read(cells[:0]); err != nil || cells == nil {
			return n, err
		}
		if len(cells) != c.width {
			return n, &LineError{Line: part.line, Err: fmt.Errorf("%d cells, but the header has %d", len(cells), c.width)}
		}
		c.readItem(cells, &into.items[n])
		if into.items[n].SKU == "" {
			return n, &LineError{Line: part.line, Err: errors.New("the SKU is empty")}
		}
		into.lines[n] = int32(part.line)
		n++
	}
}

func (c *columns) readItem(cells []string, item *pairing.Item) {
	cell := func(i int) string {
		if i < 0 {
			return ""
		}
		return strings.TrimSpace(cells[i])
	}
	item.SKU, item.Product, item.Title, item.GTIN = cell(c.sku), cell(c.product), cell(c.title), cell(c.gtin)
	if codes := cell(c.codes); codes != "" {
		for code := range strings.SplitSeq(codes, "|") {
			item.Codes = append(item.Codes, strings.TrimSpace(code))
		}
	}
	for _, i := range c.attributes {
		item.Attributes = append(item.Attributes, cells[i])
	}
}

// Header is the first row of the output.
var Header = []string{"file", "verdict", "sku", "product", "place", "view", "clue", "rung", "score", "reason", "candidates"}

func write(path string, stdout io.Writer, catalog *pairing.Catalog, names []string, verdicts []pairing.Verdict) (err error) {
	if path != "" && path != "-" {
		file, err := os.Create(path)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, file.Close()) }()
		stdout = file
	}
	if _, err := io.WriteString(stdout, strings.Join(Header, ",")+"\n"); err != nil {
		return err
	}
	// Some write rows into buffers, this one writes the buffers out in order.
	const chunk = 8192
	chunks := make([]chan *[]byte, (len(names)+chunk-1)/chunk)
	for i := range chunks {
		chunks[i] = make(chan *[]byte, 1)
	}
	buffers := sync.Pool{New: func() any { buffer := make([]byte, 0, 128*chunk); return &buffer }}
	var next atomic.Int64
	for range min(runtime.GOMAXPROCS(0), len(chunks)) {
		go func() {
			for i := int(next.Add(1)) - 1; i < len(chunks); i = int(next.Add(1)) - 1 {
				lo, hi := i*chunk, min((i+1)*chunk, len(names))
				buffer, _ := buffers.Get().(*[]byte)
				*buffer = appendRows((*buffer)[:0], catalog, names[lo:hi], verdicts[lo:hi])
				chunks[i] <- buffer
			}
		}()
	}
	for _, done := range chunks {
		buffer := <-done
		if _, err := stdout.Write(*buffer); err != nil {
			return err
		}
		buffers.Put(buffer)
	}
	return nil
}

func appendRows(row []byte, catalog *pairing.Catalog, names []string, verdicts []pairing.Verdict) []byte {
	for i := range verdicts {
		v := &verdicts[i]
		row = append(appendCell(row, names[i]), ',')
		row = append(append(row, v.Kind.String()...), ',')
		if v.Item >= 0 {
			row = appendCell(row, catalog.SKU(v.Item))
		}
		row = append(row, ',')
		if v.Product >= 0 {
			row = appendCell(row, catalog.ProductCode(v.Product))
		}
		row = append(row, ',')
		if v.Place > 0 {
			row = strconv.AppendInt(row, int64(v.Place), 10)
		}
		row = append(append(row, ','), v.View...)
		row = append(append(row, ','), v.Clue.String()...)
		row = append(append(row, ','), v.Rung.String()...)
		row = append(row, ',')
		if v.Score > 0 {
			row = append(row, scores[int(v.Score*100+0.5)]...)
		}
		row = append(appendCell(append(row, ','), v.Reason), ',')
		if len(v.Candidates) > 0 {
			row = appendCell(row, candidates(catalog, v))
		}
		row = append(row, '\n')
	}
	return row
}

// scores holds the texts of 0.00 to 1.00.
var scores = func() (texts [101]string) {
	for i := range texts {
		texts[i] = strconv.FormatFloat(float64(i)/100, 'f', 2, 64)
	}
	return texts
}()

// special tells which bytes make a cell need quotes (RFC 4180).
var special = [256]bool{',': true, '"': true, '\n': true, '\r': true}

func appendCell(row []byte, text string) []byte {
	quoted := len(text) > 0 && text[0] == ' '
	for i := 0; i < len(text) && !quoted; i++ {
		quoted = special[text[i]]
	}
	if !quoted {
		return append(row, text...)
	}
	row = append(row, '"')
	row = append(row, strings.ReplaceAll(text, `"`, `""`)...)
	return append(row, '"')
}

func candidates(catalog *pairing.Catalog, v *pairing.Verdict) string {
	if len(v.Candidates) == 0 {
		return ""
	}
	var codes []string
	for _, c := range v.Candidates {
		if c.Target.Item >= 0 {
			codes = append(codes, catalog.SKU(c.Target.Item))
		} else {
			codes = append(codes, catalog.ProductCode(c.Target.Product))
		}
	}
	return strings.Join(codes, "|")
}
