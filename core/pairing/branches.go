package pairing

import (
	"slices"
	"strconv"
	"strings"
)

// Branch is a category of the catalog, as files and folders may be called.
type Branch struct {
	ID   int64
	Ref  string // its own ID, or empty
	Name string
	Path string // names from the top, apart by " / "
}

// Branches finds categories by what files and folders are called.
type Branches struct {
	all   []Branch
	words [][]string // of each one's path, name after name
	by    map[string][]int
}

// NewBranches indexes categories by their IDs, names and paths.
func NewBranches(all []Branch) *Branches {
	b := &Branches{all: all, words: make([][]string, len(all)), by: map[string][]int{}}
	for i, one := range all {
		for name := range strings.SplitSeq(one.Path, " / ") {
			b.words[i] = append(b.words[i], words(name))
		}
		for _, text := range []string{one.Ref, one.Name, one.Path} {
			key := words(text)
			if key != "" && !slices.Contains(b.by[key], i) {
				b.by[key] = append(b.by[key], i)
			}
		}
	}
	return b
}

// words is a text with its words in lower case, apart by single blanks.
func words(text string) string {
	var f folded
	f.fold(text)
	kept := make([]byte, 0, len(f.text))
	for _, a := range f.atoms {
		if a.class == separator {
			continue
		}
		if len(kept) > 0 && !a.glued {
			kept = append(kept, ' ')
		}
		kept = append(kept, f.bytes(a)...)
	}
	return string(kept)
}

// Weigh pairs files of a lot with categories: one that is called like a category, and one
// that no product's key is in, in a folder that is called like one. Where a folder holds
// pictures of products too, or files with codes that no product has, its category is but
// proposed. verdicts are of paths, one each, and are changed; decided are the paths of
// files beside them that a person paired with products.
func (b *Branches) Weigh(verdicts []Verdict, paths, decided []string) {
	if len(b.all) == 0 {
		return
	}
	ofProducts := map[string]bool{} // folders
	for _, path := range decided {
		ofProducts[folderOf(path)] = true
	}
	for i := range verdicts {
		if v := &verdicts[i]; v.Kind != Loose || v.Why == UnknownKey || v.Why == UnknownBarcode || v.Why == Doubtful {
			ofProducts[folderOf(paths[i])] = true
		}
	}
	for i := range verdicts {
		v := &verdicts[i]
		if !v.mayBeBranch() {
			continue
		}
		if b.byName(v, paths[i]) || v.Kind != Loose || len(v.Candidates) > 0 {
			continue
		}
		b.byFolder(v, paths[i], ofProducts[folderOf(paths[i])])
	}
}

// mayBeBranch tells whether a verdict is none, or one that a file called like a category
// is stronger than.
func (v *Verdict) mayBeBranch() bool {
	switch v.Clue {
	case Title, Attribute, NameInKey, LookAlike:
		return v.Kind != Contested
	}
	return v.Kind == Loose && len(v.Candidates) == 0
}

func folderOf(path string) string { return path[:max(0, strings.LastIndexByte(path, '/'))] }

// branchWords stand beside a category's name in the names of its pictures: common
// practice.
var branchWords = map[string]bool{"banner": true, "header": true, "teaser": true, "tile": true, "hero": true, "cover": true, "icon": true,
	"category": true, "kategorie": true, "categorie": true, "categoria": true, "kategoria": true, "kategoriebild": true,
	"image": true, "img": true, "bild": true, "picture": true}

// byName weighs what a file is called: an ID, name or path of a category, with nothing
// beside it but a number of at most three figures, a view or a word for such pictures.
func (b *Branches) byName(v *Verdict, path string) bool {
	name := words(stemOf(foldName(path)))
	found, place, view := b.by[name], 0, ""
	for rest := name; len(found) == 0; found = b.by[rest] {
		at := strings.LastIndexByte(rest, ' ')
		if at < 0 {
			return false
		}
		word := rest[at+1:]
		number, err := strconv.Atoi(word)
		switch means := everyTongue().of([]byte(word)); {
		case err == nil && len(word) <= 3 && number > 0 && place == 0:
			place = number
		case branchWords[word]:
		case means.role == asView && view == "":
			view = means.what
		default:
			return false
		}
		rest = rest[:at]
	}
	if counter(name) {
		return false // a number alone counts pictures
	}
	b.claim(v, b.within(found, path), "the file is called like the category ")
	if v.Kind == Paired {
		v.Place, v.View = place, view
	}
	return true
}

// counter tells whether a name is nothing but a short number.
func counter(name string) bool {
	_, err := strconv.Atoi(name)
	return err == nil && len(name) < 4
}

// byFolder weighs what the nearest folder is called.
func (b *Branches) byFolder(v *Verdict, path string, doubtful bool) {
	folder := folderOf(path)
	name := words(folder[strings.LastIndexByte(folder, '/')+1:])
	found := b.by[name]
	if len(found) == 0 || counter(name) {
		return
	}
	found = b.within(found, path)
	if doubtful && len(found) > 1 {
		return
	}
	if doubtful {
		v.Candidates = []Candidate{b.candidate(found[0])}
		v.Clue, v.Score, v.Why, v.Reason = InCategory, 0.5, LikeCategory, "its folder is called like the category "+b.all[found[0]].Path+
			", and holds what is of products too"
		return
	}
	b.claim(v, found, "its folder is called like the category ")
	if place, err := strconv.Atoi(words(stemOf(foldName(path)))); err == nil && place > 0 && place < 1000 && v.Kind == Paired {
		v.Place = place
	}
}

// within returns those of some categories whose path the folders agree with best: all,
// where they say nothing of it.
func (b *Branches) within(found []int, path string) []int {
	if len(found) < 2 {
		return found
	}
	var folders []string
	for name := range strings.SplitSeq(folderOf(path), "/") {
		folders = append(folders, words(name))
	}
	best, most := found, 0
	for _, i := range found {
		agrees := 0
		for _, name := range b.words[i] {
			if slices.Contains(folders, name) {
				agrees++
			}
		}
		if agrees > most {
			best, most = nil, agrees
		}
		if agrees == most && most > 0 {
			best = append(best, i)
		}
	}
	return best
}

func (b *Branches) candidate(i int) Candidate {
	return Candidate{Target: NoTarget, Category: b.all[i].ID, Key: b.all[i].Path, Clue: InCategory, Score: 0.8}
}

// claim pairs a file with a category, or has several claim it.
func (b *Branches) claim(v *Verdict, found []int, reason string) {
	v.Candidates = nil
	v.number, v.letter, v.roman = -1, 0, 0
	if len(found) > 1 {
		v.unpair("categories of this name are "+b.all[found[0]].Path+" and "+b.all[found[1]].Path, SeveralCategories)
		v.Kind, v.Clue = Contested, InCategory
		for _, i := range found[:min(len(found), mostClaims)] {
			v.Candidates = append(v.Candidates, b.candidate(i))
		}
		return
	}
	c := b.candidate(found[0])
	v.Kind, v.Target, v.Category, v.Key, v.Clue, v.Rung, v.Score = Paired, NoTarget, c.Category, c.Key, InCategory, c.Rung, c.Score
	v.Why, v.Reason = "", reason+c.Key
}

// mostClaims bounds how many categories claim a file.
const mostClaims = 9
