// Package offlinesheet maps and judges a spreadsheet against a catalog, both in plain
// files. It is what `ambrosa sheet` does; it needs no database. The rules are in
// core/sheet.
package offlinesheet

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"ambrosa/core/sheet"
	"ambrosa/internal/contained"
	"ambrosa/internal/sheetfile"
)

// Files names what Run reads and writes.
type Files struct {
	Sheet      string // XLSX or CSV
	Worksheet  string // of an XLSX; empty for the first
	Catalog    string // CSV or XLSX of what is there; empty for nothing
	Mapping    string // JSON; empty for a proposal
	MappingOut string // JSON; empty for none
	Out        string // CSV, "-" for standard output; empty for none
}

// Run proposes a mapping where none is given, and judges every row. An error says in
// one line which file cannot be used, and why.
func Run(files Files, stdout io.Writer) error {
	var panicked *contained.Panic
	err := contained.Safely(func() error { return run(files, stdout) })()
	if errors.As(err, &panicked) {
		return fmt.Errorf("%s: it is damaged in a way that makes its reader fail", files.Sheet)
	}
	return err
}

func run(files Files, stdout io.Writer) error {
	known := sheet.NewItems(nil)
	if files.Catalog != "" {
		items, err := readCatalog(files.Catalog)
		if err != nil {
			return fmt.Errorf("%s: %w", files.Catalog, err)
		}
		known = sheet.NewItems(items)
	}
	rows, err := readRows(files.Sheet, files.Worksheet)
	if err != nil {
		return fmt.Errorf("%s: %w", files.Sheet, err)
	}
	mapping, first, err := mappingOf(files, rows, known)
	if err != nil {
		return err
	}
	if files.MappingOut != "" {
		if err := writeMapping(files.MappingOut, mapping); err != nil {
			return err
		}
	}
	if files.Out == "" {
		return nil
	}
	judge, err := sheet.NewJudge(mapping, sheet.Usual)
	if err != nil {
		return fmt.Errorf("%s: %w", filepath.Base(files.Sheet), err)
	}
	return write(files.Out, stdout, judge, mapping, rows[first:], known)
}

// row is a row of a sheet, with its number.
type row struct {
	number int
	cells  []string
}

// maxRows bounds how many rows are read.
const maxRows = 2_000_000

func readRows(path, worksheet string) (rows []row, err error) {
	opened, err := sheetfile.Open(path, worksheet)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, opened.Close()) }()
	for {
		cells, number, err := opened.Next()
		if errors.Is(err, io.EOF) {
			return rows, nil
		}
		if err != nil {
			return nil, fmt.Errorf("row %d cannot be read: %w", number, err)
		}
		if sheet.Blank(cells) {
			continue
		}
		if len(rows) == maxRows {
			return nil, fmt.Errorf("it has more than %d rows", maxRows)
		}
		rows = append(rows, row{number, slices.Clone(cells)})
	}
}

func cellsOf(rows []row) [][]string {
	all := make([][]string, len(rows))
	for i, r := range rows {
		all[i] = r.cells
	}
	return all
}

// sampled is how many rows a mapping is proposed from.
const sampled = 1000

// mappingOf returns the mapping given, or proposed, and the index of the first row of
// data.
func mappingOf(files Files, rows []row, known *sheet.Items) (m sheet.Mapping, first int, err error) {
	cells := cellsOf(rows)
	top := sheet.FindTop(cells)
	if files.Mapping != "" {
		if m, err = readMapping(files.Mapping); err != nil {
			return m, 0, fmt.Errorf("%s: %w", files.Mapping, err)
		}
		at := slices.IndexFunc(rows, func(r row) bool { return r.number == m.Header })
		if m.Header == 0 {
			at = top.At
		}
		if at < 0 {
			return m, 0, fmt.Errorf("%s: the mapping's header, row %d, is not there", files.Sheet, m.Header)
		}
		top = sheet.TopAt(cells, at)
		m, _ = m.Fit(top.Names)
		m.Header = rows[at].number
		return m, top.First, nil
	}
	if top.At < 0 {
		return m, 0, fmt.Errorf("%s: no header row was found among the first rows", files.Sheet)
	}
	sample := cells[top.First:min(len(cells), top.First+sampled)]
	proposer := sheet.Proposer{Names: known.Names()}
	if files.Catalog != "" {
		proposer.Known = known.Hits
	}
	m = proposer.Propose(top.Names, sample)
	m.Header = rows[top.At].number
	return m, top.First, nil
}

// maxMapping bounds a file with a mapping, bytes.
const maxMapping = 16 << 20

func readMapping(path string) (m sheet.Mapping, err error) {
	file, err := os.Open(path)
	if err != nil {
		return m, err
	}
	defer file.Close()
	text, err := io.ReadAll(io.LimitReader(file, maxMapping))
	if err != nil {
		return m, err
	}
	if err := json.Unmarshal(text, &m); err != nil {
		return m, fmt.Errorf("it is no mapping: %w", err)
	}
	if len(m.Identity) == 0 {
		m.Identity = m.Surest()
	}
	return m, nil
}

func writeMapping(path string, m sheet.Mapping) error {
	text, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(path, append(text, '\n'), 0o644)
}

var outColumns = []string{"row", "verdict", "sku", "column", "field", "value", "judgement", "reason", "remedy"}

// write judges every row and writes a line for it, and one for each cell in question.
func write(path string, stdout io.Writer, judge *sheet.Judge, m sheet.Mapping, rows []row, known sheet.Catalog) (err error) {
	out := stdout
	if path != "-" {
		file, err := os.Create(path)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, file.Close()) }()
		out = file
	}
	for _, r := range rows {
		judge.Note(r.number, r.cells, nil)
	}
	lines := csv.NewWriter(out)
	if err := lines.Write(outColumns); err != nil {
		return err
	}
	for _, r := range rows {
		if err := writeRow(lines, judge.Row(r.number, r.cells, nil, known), m); err != nil {
			return err
		}
	}
	lines.Flush()
	return lines.Error()
}

func writeRow(lines *csv.Writer, judged sheet.Judged, m sheet.Mapping) error {
	number, verdict := strconv.Itoa(judged.Row), string(judged.Verdict)
	if err := lines.Write([]string{number, verdict, judged.SKU, "", "", "", "", "", ""}); err != nil {
		return err
	}
	for _, c := range judged.Cells {
		column, remedy := "", ""
		if c.Column >= 0 {
			column = m.Columns[c.Column].Column
		}
		if len(c.Remedies) > 0 {
			remedy = c.Remedies[0].Words
		}
		err := lines.Write([]string{number, verdict, judged.SKU, column, string(c.Field), c.Value, string(c.Kind), c.Reason, remedy})
		if err != nil {
			return err
		}
	}
	return nil
}

// readCatalog reads what the catalog has from a sheet: its columns are found as any
// sheet's; those that mean nothing known are attributes.
func readCatalog(path string) ([]sheet.Item, error) {
	rows, err := readRows(path, "")
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	cells := cellsOf(rows)
	top := sheet.FindTop(cells)
	if top.At < 0 {
		return nil, errors.New("no header row was found")
	}
	m := sheet.Proposer{}.Propose(top.Names, cells[top.First:min(len(cells), top.First+sampled)])
	for i, c := range m.Columns {
		if c.Field == "" && c.Column != "" {
			m.Columns[i].Field, m.Columns[i].Name = sheet.Attribute, c.Column
		}
	}
	judge, err := sheet.NewJudge(m, sheet.Usual)
	if err != nil {
		return nil, err
	}
	nothing := sheet.NewItems(nil)
	items := make([]sheet.Item, 0, len(rows))
	for i, r := range rows[top.First:] {
		w := judge.Row(r.number, r.cells, nil, nothing).Wanted
		if w.SKU == "" && w.Product == "" && w.GTIN == "" {
			continue
		}
		items = append(items, w.AsItem(int64(i+1)))
	}
	return items, nil
}
