package pairing

import (
	"slices"
	"strconv"
	"strings"
)

// Row is a spreadsheet's row that names a file for a SKU.
type Row struct {
	Line  int // in the sheet
	File  string
	SKU   string // or what else says what the row is about
	Place int    // 0 when the sheet says none
	View  string
	Alt   string
	Lead  bool
	Means []Candidate // what the row is about, where that is known; else its SKU is looked up
}

// meaning returns what the row is about.
func (row *Row) meaning(r *reader) []Candidate {
	if len(row.Means) > 0 {
		return row.Means
	}
	var found []Candidate
	for _, m := range r.lookUp(row.SKU) {
		found = append(found, Candidate{Target: m.target, Key: m.key, Clue: SheetRow, Rung: m.rung, Score: 1})
	}
	return found
}

// Rows finds rows by the names of files, without regard to case or folder; a
// name without extension stands for any.
type Rows struct {
	rows   []Row
	byName map[string][]int
	byStem map[string][]int
}

// NewRows indexes rows.
func NewRows(rows []Row) *Rows {
	s := &Rows{rows, map[string][]int{}, map[string][]int{}}
	for i, row := range rows {
		name := foldName(row.File)
		if name == "" {
			continue
		}
		s.byName[name] = append(s.byName[name], i)
		if stem := stemOf(name); stem == name {
			s.byStem[stem] = append(s.byStem[stem], i)
		}
	}
	return s
}

// Any tells whether there are rows at all.
func (s *Rows) Any() bool { return len(s.rows) > 0 }

func foldName(path string) string {
	var f folded
	f.fold(strings.ReplaceAll(strings.TrimSpace(path), "\\", "/"))
	text := string(f.text)
	return strings.TrimSpace(text[strings.LastIndexByte(text, '/')+1:])
}

func stemOf(name string) string {
	if dot := strings.LastIndexByte(name, '.'); dot > 0 && extensions.of([]byte(name[dot+1:])) {
		return name[:dot]
	}
	return name
}

// Of returns the rows that name a path: those with its folder, when some have
// it; else all with its name.
func (s *Rows) Of(path string) (named []Row) {
	for _, i := range s.naming(path) {
		named = append(named, s.rows[i])
	}
	return named
}

func (s *Rows) naming(path string) []int {
	name := foldName(path)
	at := s.byName[name]
	if len(at) == 0 {
		at = s.byStem[stemOf(name)]
	}
	whole := strings.ToLower(path)
	within := slices.DeleteFunc(slices.Clone(at), func(i int) bool {
		file := strings.ToLower(strings.ReplaceAll(s.rows[i].File, "\\", "/"))
		return !strings.Contains(file, "/") || !strings.HasSuffix("/"+whole, "/"+strings.TrimPrefix(file, "/"))
	})
	if len(within) > 0 {
		return within
	}
	return at
}

// Unused returns the rows that name none of the paths, in their order.
func (s *Rows) Unused(paths []string) (unused []Row) {
	used := map[int]bool{}
	for _, path := range paths {
		for _, i := range s.naming(path) {
			used[i] = true
		}
	}
	for i, row := range s.rows {
		if !used[i] {
			unused = append(unused, row)
		}
	}
	return unused
}

// Row weighs what a sheet says of a file: it pairs it, whatever its name says;
// rows that name it for several products make it contested. With no rows the
// verdict stays.
func (l *Listener) Row(v *Verdict, rows []Row) {
	if len(rows) == 0 {
		return
	}
	var found []Candidate
	for _, row := range rows {
		means := row.meaning(l.reader)
		if len(means) == 0 {
			v.Candidates = nil
			v.unpair("row "+strconv.Itoa(row.Line)+" of the sheet names it for "+row.SKU+", which no product has", AgainstSheet)
			return
		}
		for _, c := range means {
			if !slices.ContainsFunc(found, func(o Candidate) bool { return o.Target == c.Target && o.Category == c.Category }) {
				found = append(found, c)
			}
		}
	}
	found = l.shared(found)
	if len(found) > 1 {
		v.unpair("the sheet names it for "+found[0].Key+" and "+found[1].Key, AgainstSheet)
		v.Kind, v.Candidates, v.Clue = Contested, found, SheetRow
		return
	}
	row, c := rows[0], found[0]
	v.Candidates, v.Why = nil, ""
	v.number, v.letter, v.roman = -1, 0, 0
	v.Kind, v.Target, v.Category, v.Key, v.Clue, v.Rung, v.Score = Paired, c.Target, c.Category, c.Key, SheetRow, c.Rung, 1
	v.Reason = "row " + strconv.Itoa(row.Line) + " of the sheet names it for " + row.SKU
	if row.Place > 0 {
		v.Place = row.Place
	}
	if row.Lead {
		v.Place = 1
	}
	if row.View != "" {
		v.View = l.reader.viewNamed(strings.ToLower(row.View))
	}
}

// shared makes of variants of one product the product as a whole: they share the file.
func (l *Listener) shared(found []Candidate) []Candidate {
	for _, c := range found {
		if c.Category != 0 || c.Target.Product != found[0].Target.Product {
			return found
		}
	}
	if len(found) > 1 {
		whole := found[0]
		whole.Target.Item, whole.Key = -1, l.catalog.ProductCode(whole.Target.Product)
		return []Candidate{whole}
	}
	return found
}
