package naming

import (
	"context"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/gosimple/slug"

	"ambrosa/core/catalog"
	"ambrosa/internal/budget"
)

var jar = Picture{SKU: "HB-10-S", Code: "HB-10", ID: "31", Category: "C7", Title: "Größe: Honigglas / süß", GTIN: "04006381333931",
	Options: []catalog.Option{{Name: "Colour", Value: "Ambré"}}, View: "front", Place: 2, Number: 1, Name: "Delivery/IMG 4406.final.JPG"}

// TestTemplates makes names of fields, modifiers and what stands for empty ones. The German
// transliteration (ä to ae) is DIN 5007-2's (from memory), the Cyrillic and Greek ones common practice.
func TestTemplates(t *testing.T) {
	for _, c := range []struct{ template, want string }{
		{"[sku]_[place pad 2]", "HB-10-S_02"},
		{"[title slug de]", "groesse-honigglas-suess"},
		{"[title slug de most 12]", "groesse"},
		{"[title slug de most 18]", "groesse-honigglas"},
		{"[option colour slug]/[code lower]-[view upper]", "ambre/hb-10-FRONT"},
		{`[option Size | "one size"]`, "one size"},
		{`[option Size | gtin]`, "04006381333931"},
		{"[title]", "Größe: Honigglas - süß"},
		{"[name]", "IMG 4406.final"},
		{"[options slug]", "ambre"},
		{"[[[id]]", "[31]"},
		{"../../[sku]/.. /[category]. ", "HB-10-S/C7"},
	} {
		parsed, err := ParseTemplate(c.template)
		if err != nil {
			t.Errorf("%s: %v", c.template, err)
			continue
		}
		if name, _ := parsed.Name(jar); name != c.want {
			t.Errorf("%s makes %q, expected %q", c.template, name, c.want)
		}
	}
	for text, want := range map[string]string{"Дымарь": "dymar", "Μέλι": "meli", "Blåbær": "blabaer", "蜂蜜": "feng-mi"} {
		parsed, _ := ParseTemplate("[title slug]")
		if name, _ := parsed.Name(Picture{Title: text}); name != want {
			t.Errorf("the slug of %s is %q, expected %q", text, name, want)
		}
	}
}

// TestBadTemplates says what is wrong, and where.
func TestBadTemplates(t *testing.T) {
	for template, want := range map[string]string{
		"":                                  "at least one field",
		"picture":                           "at least one field",
		"ä[sku":                             "at character 2: a bracket is not closed",
		"[]":                                "the brackets are empty",
		"[sku][weight]":                     `at character 6: there is no field "weight"`,
		"[option]":                          "which option",
		"[place pad]":                       "pad wants",
		"[place pad 99]":                    "pad wants",
		"[title most none]":                 "most wants",
		"[title loud]":                      `"loud" is nothing`,
		"[sku]" + strings.Repeat("x", 1000): "too long",
	} {
		if _, err := ParseTemplate(template); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.20s: %v, expected %q", template, err, want)
		}
	}
}

// TestNamesAreJudged tells what some file system or another name is against.
func TestNamesAreJudged(t *testing.T) {
	parsed, err := ParseTemplate("[title]")
	if err != nil {
		t.Fatal(err)
	}
	titles := []string{"Jar", "jar", "Lid", "", "con", "COM1.x", "a?b", strings.Repeat("ü", 130), "Jar"}
	pictures, endings := make([]Picture, len(titles)), make([]string, len(titles))
	for i, title := range titles {
		pictures[i].Title, endings[i] = title, "jpg"
	}
	want := [][]string{{Collision}, {Collision}, nil, {EmptyPart, NoName}, {Reserved}, {Reserved}, {Forbidden}, {TooLong}, {Collision}}
	for i, n := range parsed.Names(t.Context(), len(pictures), func(i int) (Picture, string) { return pictures[i], endings[i] }) {
		if !slices.Equal(n.Problems, want[i]) {
			t.Errorf("%.20s: %q, expected %q", n.Name, n.Problems, want[i])
		}
	}
}

// TestNamesStayWhereTheyBelong tries random templates and values: no name leads out of its
// folder, each is the same when it is made again, and two that are the same are told.
func TestNamesStayWhereTheyBelong(t *testing.T) {
	random := rand.New(rand.NewPCG(4, 2))
	pieces := []string{"[sku]", "[title slug de most 5]", "[title]", "/", "..", "-", "[option Size | view | \"x\"]", "[place pad 2]", " ", "."}
	values := []string{"", "..", "../x", `..\y`, "a/b", "😀", "שלום", "CON", "\x00", "x\xff", "Ä", strings.Repeat("long ", 60)}
	pick := func(from []string) string { return from[random.IntN(len(from))] }
	for range 5000 {
		text := "[sku]"
		for range random.IntN(5) {
			text += pick(pieces)
		}
		parsed, err := ParseTemplate(text)
		if err != nil {
			t.Fatal(err)
		}
		var pictures []Picture
		for range 6 {
			pictures = append(pictures, Picture{SKU: pick(values), Title: pick(values), View: pick(values), Place: random.IntN(12)})
		}
		endings := slices.Repeat([]string{"jpg"}, len(pictures))
		names := parsed.Names(t.Context(), len(pictures), func(i int) (Picture, string) { return pictures[i], endings[i] })
		seen := map[string]bool{}
		for i, n := range parsed.Names(t.Context(), len(pictures), func(i int) (Picture, string) { return pictures[i], endings[i] }) {
			if n.Name != names[i].Name {
				t.Fatalf("%q and %q of one picture", n.Name, names[i].Name)
			}
			for part := range strings.SplitSeq(n.Name, "/") {
				if part == ".." || part == "." || strings.ContainsAny(part, "\\\x00") || !utf8.ValidString(part) {
					t.Fatalf("%q of %q", n.Name, text)
				}
			}
			if key := strings.ToLower(n.Name); seen[key] && !slices.Contains(n.Problems, Collision) {
				t.Fatalf("%q is there twice, and nobody says so", n.Name)
			} else {
				seen[key] = true
			}
		}
	}
}

// FuzzTemplate reads any template and makes a name of it.
func FuzzTemplate(f *testing.F) {
	f.Add("[title slug de most 40 | \"x\"]-[place pad 2]")
	f.Fuzz(func(t *testing.T, text string) {
		budget.Of(len(text)).Check(t, func() {
			parsed, err := ParseTemplate(text)
			if err != nil {
				return
			}
			if name, _ := parsed.Name(jar); strings.HasPrefix(name, "/") || strings.Contains("/"+name+"/", "/../") {
				t.Fatalf("%q of %q", name, text)
			}
		})
	})
}

// TestSlugged: plain texts are made a slug of as slug.Make does.
func TestSlugged(t *testing.T) {
	dice := rand.New(rand.NewPCG(7, 8))
	const alphabet = "aBz09 -_ÄéЖ&."
	runes := []rune(alphabet)
	for n := range 50_000 {
		var text []rune
		for range dice.IntN(14) {
			text = append(text, runes[dice.IntN(len(runes)-n%2*5)])
		}
		if got, want := slugged(string(text)), slug.Make(string(text)); got != want {
			t.Fatalf("%q is %q, by the library %q", string(text), got, want)
		}
	}
}

// TestTitlesOfAllScripts makes names of titles that read from right to left, of pictures, and of
// marks that turn the direction: names are whole characters, say no other direction than they have,
// and are never empty without saying so. Slugs are plain (the transliteration is a library's).
func TestTitlesOfAllScripts(t *testing.T) {
	for _, title := range []string{"عسل طبيعي 250", "דבש טבעי", "🐝🍯 Honey", "👩🏽‍🌾 beekeeper", "a\u202egpj.exe", "e\u0301te\u0301", "ﷺ", "🏳️‍🌈",
		"\u200f\u200e", "ตัวอย่าง", "नमस्ते"} {
		for _, template := range []string{"[title]", "[title most 7]", "[title slug]", "[title slug most 5 | sku]", "[title upper]-[sku]"} {
			parsed, err := ParseTemplate(template)
			if err != nil {
				t.Fatal(err)
			}
			name, empty := parsed.Name(Picture{Title: title, SKU: "HV-1"})
			if !utf8.ValidString(name) || strings.ContainsAny(name, "\x00/\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069") {
				t.Errorf("%s of %q is %q", template, title, name)
			}
			if strings.Trim(name, "-") == "" && !empty {
				t.Errorf("%s of %q is empty, and does not say so", template, title)
			}
			if plain := strings.IndexFunc(name, func(r rune) bool { return r > 0x7f }) < 0; strings.HasPrefix(template, "[title slug") && !plain {
				t.Errorf("the slug of %q is %q", title, name)
			}
		}
	}
}

// TestNamesAreBounded makes names of many long values: each is cut, says so, and is not used. What is
// empty, hidden or reserved is not used either.
func TestNamesAreBounded(t *testing.T) {
	title := strings.Repeat("größe ", 2000)
	for _, c := range []struct {
		template string
		picture  Picture
		unfit    string
	}{
		{strings.Repeat("[title]", 40), Picture{Title: title}, TooLong},
		{"[title most 200]/[title most 200]/[title most 200]/[title most 200]/[title most 200]", Picture{Title: title}, TooLong},
		{"[title slug most 40]", Picture{Title: title}, ""},
		{"[sku]", Picture{}, NoName},
		{"[sku]", Picture{SKU: "."}, NoName},
		{"[sku]", Picture{SKU: ".."}, NoName},
		{"[sku]", Picture{SKU: ".htaccess"}, Hidden},
		{"a/[sku]", Picture{SKU: ".git"}, Hidden},
		{"[sku]", Picture{SKU: "CON"}, Reserved},
		{"[sku]", Picture{SKU: "HB-10"}, ""},
	} {
		parsed, err := ParseTemplate(c.template)
		if err != nil {
			t.Fatal(err)
		}
		name := parsed.Names(t.Context(), 1, func(int) (Picture, string) { return c.picture, "jpg" })[0]
		if got := Unfit(name.Problems); got != c.unfit || len(name.Name) > MostName+10 || !utf8.ValidString(name.Name) {
			t.Errorf("%s of %.20q: %.40q (%d bytes), %q, expected %q", c.template, c.picture.SKU, name.Name, len(name.Name), got, c.unfit)
		}
	}
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	parsed, err := ParseTemplate("[sku]")
	if err != nil {
		t.Fatal(err)
	}
	parsed.Names(ended, 1_000, func(int) (Picture, string) { t.Error("a name was made that nobody waits for"); return Picture{}, "" })
}
