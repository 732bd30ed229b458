package sheet

import (
	"bufio"
	"fmt"
	"os"
	"strings"
	"testing"

	"ambrosa/core/gtin"
)

// listed is a column of testdata/headers.txt.
type listed struct {
	name string
	want Field
	kind string
}

func listsOf(t testing.TB, name string) (lists [][]listed) {
	t.Helper()
	file, err := os.Open("testdata/" + name)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	for lines := bufio.NewScanner(file); lines.Scan(); {
		line := lines.Text()
		if line == "" || line[0] == '#' {
			continue
		}
		var list []listed
		for text := range strings.SplitSeq(line, " | ") {
			at := strings.LastIndexByte(text, '=')
			field, kind, _ := strings.Cut(text[at+1:], "~")
			if field == "-" {
				field = ""
			}
			if kind == "" {
				kind = field
			}
			list = append(list, listed{text[:at], Field(field), kind})
		}
		lists = append(lists, list)
	}
	return lists
}

// valueOf makes up what stands in a row of a column of a kind.
func valueOf(kind string, row, column int) string {
	pick := func(words ...string) string { return words[(row*7+column)%len(words)] }
	barcode := func(n int) string {
		digits := fmt.Sprintf("629104150%03d", n)
		return digits + string(gtin.CheckDigit(digits))
	}
	switch kind {
	case "sku":
		return fmt.Sprintf("HB-%d-%s", 100+row/3, string(rune('A'+row%3)))
	case "code":
		return fmt.Sprintf("%d%04d", 3+column, 1200+row*3)
	case "product", "parent":
		return fmt.Sprintf("HB-%d", 100+row/3)
	case "product-id", "number":
		return fmt.Sprintf("%d", 40+row*31)
	case "gtin":
		return barcode(row + 20*column)
	case "title":
		return pick("Hive body", "Frame nails", "Smoker large", "Bee suit", "Jar with lid", "Queen cage") + fmt.Sprintf(" %c", 'A'+row)
	case "description", "desc":
		return "A long text that says how the " + pick("hive", "frame", "smoker") +
			" is made, what it is made of, how it is used and kept, and for how long."
	case "option", "colour":
		return pick("red", "blue", "natural", "green")
	case "size":
		return pick("S", "M", "L", "500 ml", "XL")
	case "material":
		return pick("pine", "cedar", "poly")
	case "attribute", "brand":
		return pick("Zellrand", "Wabenhof")
	case "category":
		return pick("Hives > Bodies", "Tools > Smokers", "Clothing > Suits")
	case "group":
		return pick("Hives", "Tools", "Clothing")
	case "category-id":
		return fmt.Sprintf("C%02d", row%4)
	case "picture":
		return fmt.Sprintf("HB_%d_%d.jpg", 100+row, column)
	case "files":
		return fmt.Sprintf("HB_%d_a.jpg;HB_%d_b.jpg", 100+row, 100+row)
	case "url":
		return fmt.Sprintf("https://pictures.example/p/%d-%d.jpg", 100+row, column)
	case "urls":
		return fmt.Sprintf("https://pictures.example/p/%d.jpg|https://pictures.example/p/%d-2.jpg", 100+row, 100+row)
	case "view":
		return pick("front", "back", "detail")
	case "place", "small":
		return fmt.Sprint(1 + row%4)
	case "line":
		return fmt.Sprint(row + 1)
	case "alt":
		return "Hive body seen from the " + pick("front", "side")
	case "lead", "yesno", "retire":
		return pick("yes", "no")
	case "rights":
		return pick("cleared", "(c) Wabenhof")
	case "price":
		return fmt.Sprintf("%d,90", 10+row)
	case "unit":
		return pick("ST", "PAK")
	case "date":
		return fmt.Sprintf("2026-03-%02d", 1+row)
	}
	return pick("as agreed", "two years", "in the north")
}

// TestColumnsAreMapped reads header lists of seven languages and many habits with
// values below them, no catalog at hand: of the columns that a careful person
// could map 97 in 100 are right and at most 1 in 200 is wrong.
func TestColumnsAreMapped(t *testing.T) {
	for _, name := range headerLists {
		t.Run(name, func(t *testing.T) { holdMapping(t, listsOf(t, name)) })
	}
}

// headerLists are the lists of the project's own, in the order in which they were read.
var headerLists = []string{"headers.txt", "headers_second.txt", "headers_third.txt", "headers_fourth.txt",
	"headers_fifth.txt"}

// BenchmarkMapping maps all lists, and reports how many columns in a hundred are right and
// how many in a thousand wrong, beside the time that a list takes.
func BenchmarkMapping(b *testing.B) {
	var lists [][]listed
	for _, name := range headerLists {
		lists = append(lists, listsOf(b, name)...)
	}
	mappable, right, wrong := 0, 0, 0
	for b.Loop() {
		mappable, right, wrong = mapped(b, lists)
	}
	b.ReportMetric(100*float64(right)/float64(mappable), "%right(min97)")
	b.ReportMetric(1000*float64(wrong)/float64(mappable), "‰wrong(max5)")
	b.ReportMetric(float64(b.Elapsed().Microseconds())/float64(b.N*len(lists)), "µs/list")
}

func holdMapping(t *testing.T, lists [][]listed) {
	mappable, right, wrong := mapped(t, lists)
	t.Logf("%d lists, %d columns to be mapped: %d right, %d wrong", len(lists), mappable, right, wrong)
	if float64(right) < 0.97*float64(mappable) || wrong*200 > mappable {
		t.Errorf("%d right and %d wrong of %d", right, wrong, mappable)
	}
}

// mapped maps lists with values below them, no catalog at hand, and counts the columns that
// are to be mapped and that are right and wrong.
func mapped(t testing.TB, lists [][]listed) (mappable, right, wrong int) {
	for _, list := range lists {
		var names []string
		rows := make([][]string, 12)
		for i, c := range list {
			names = append(names, c.name)
			for r := range rows {
				rows[r] = append(rows[r], valueOf(c.kind, r, i))
			}
		}
		m := Proposer{}.Propose(names, rows)
		for i, c := range list {
			got := m.Columns[i]
			switch {
			case got.Field == c.want:
				right++
			case got.Field != "":
				wrong++
				fallthrough
			default:
				t.Logf("%s: %q is %q (%s), expected %q, in %v", list[0].name, c.name, got.Field, got.Evidence, c.want, names)
			}
			if c.want != "" {
				mappable++
			} else if got.Field == "" {
				right--
			}
		}
	}
	return mappable, right, wrong
}
