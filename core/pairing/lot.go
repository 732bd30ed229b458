package pairing

import (
	"runtime"
	"slices"
	"strings"
	"sync"
)

// lotHabits is what a lot's names have in common.
type lotHabits struct {
	prefix map[string]bool // words that stand in most names
}

// sampled is how many names are looked at for a supplier's prefix; of a larger
// lot, a part chosen by the names themselves.
const sampled = 4096

// findHabits counts words over a lot. The order of paths does not matter.
func findHabits(paths []string) *lotHabits {
	habits := &lotHabits{prefix: map[string]bool{}}
	if len(paths) < 4 {
		return habits
	}
	keep := uint32(len(paths)/sampled + 1)
	counts := map[string]int{}
	seen := 0
	var f folded
	for _, path := range paths {
		if keep > 1 {
			h := seed
			for _, b := range []byte(path[max(0, len(path)-12):]) {
				h = (h ^ uint64(b)) * 1099511628211
			}
			if uint32(finish(h))%keep != 0 {
				continue
			}
		}
		seen++
		f.fold(path[strings.LastIndexByte(path, '/')+1:])
		for i, a := range f.atoms {
			word := f.bytes(a)
			if a.class != letter || a.len() < 2 || (i+1 == len(f.atoms) && extensions.of(word)) {
				continue
			}
			repeated := false
			for _, before := range f.atoms[:i] {
				repeated = repeated || string(f.bytes(before)) == string(word)
			}
			if !repeated {
				counts[string(word)]++
			}
		}
	}
	for word, n := range counts {
		if 2*n > seen {
			habits.prefix[word] = true
		}
	}
	return habits
}

// Lot reads all paths of a lot with a clue list and returns a verdict for each,
// in the order given. With spans, each verdict covers its path with spans. The
// error names a clue that cannot be used.
func Lot(c *Catalog, list ClueList, paths []string, spans bool) ([]Verdict, error) {
	return (&Names{catalog: c, paths: paths, habits: findHabits(paths)}).read(list, spans)
}

// Names is a lot's names, to be read with one clue list after the other: the
// keys that stand in them are looked up once.
type Names struct {
	catalog *Catalog
	paths   []string
	habits  *lotHabits

	mu        sync.Mutex
	known     []baseKeys // of each path, for the languages that it was read with last
	languages []string
}

// baseKeys is what matching a base name with the catalog found.
type baseKeys struct {
	done           bool
	matches, found []match // those that count, and with those that better ones explain
}

// NewNames makes names ready to be read more than once. What the clues need that
// are asked when no key is found begins to be built: a list may soon ask them.
func NewNames(c *Catalog, paths []string) *Names {
	go c.prepare()
	return &Names{catalog: c, paths: paths, habits: findHabits(paths), known: make([]baseKeys, len(paths))}
}

// Read is Lot with these names. It may be called from several goroutines; one
// reads at a time.
func (n *Names) Read(list ClueList, spans bool) ([]Verdict, error) {
	n.mu.Lock()
	defer n.mu.Unlock()
	if !slices.Equal(list.Languages, n.languages) {
		// Words decide which of two matches explains the other.
		clear(n.known)
		n.languages = slices.Clone(list.Languages)
	}
	return n.read(list, spans)
}

func (n *Names) read(list ClueList, spans bool) ([]Verdict, error) {
	with, err := list.compile()
	if err != nil {
		return nil, err
	}
	words := vocabulary(list.Languages)
	verdicts := make([]Verdict, len(n.paths))
	workers := min(runtime.GOMAXPROCS(0), len(n.paths)/512+1)
	open := make([][]int, workers)
	var wait sync.WaitGroup
	for w := range workers {
		lo, hi := len(n.paths)*w/workers, len(n.paths)*(w+1)/workers
		wait.Go(func() {
			r := newReader(n.catalog, n.habits, with, words, spans)
			for i := lo; i < hi; i++ {
				v := &verdicts[i]
				var known *baseKeys
				if n.known != nil {
					known = &n.known[i]
				}
				if !r.reads(n.paths[i], v, known) {
					r = newReader(n.catalog, n.habits, with, words, spans)
				}
				if v.Kind == Paired && (v.letter != 0 || v.roman != 0 || v.number == 0) {
					open[w] = append(open[w], i)
				}
			}
		})
	}
	wait.Wait()
	settle(verdicts, slices.Concat(open...))
	return verdicts, nil
}

// reads is read for names of any kind: one that it cannot cope with is loose, and
// costs nothing but itself. It returns false then, and the reader is not to be
// used any more.
func (r *reader) reads(path string, v *Verdict, known *baseKeys) (read bool) {
	defer func() {
		if recover() != nil {
			*v = Verdict{Kind: Loose, Target: NoTarget, number: -1, Why: NoKey, Reason: "the name could not be read: tell us what it is"}
		}
	}()
	r.read(path, v, known)
	return true
}

// settle adds what only the lot as a whole tells: whether single letters are
// places or views, and whether a product's numbers begin at nought. open are
// the pairs by a name with such a letter or with the number nought.
func settle(verdicts []Verdict, open []int) {
	if len(open) == 0 {
		return
	}
	settleRomans(verdicts, open)
	letters := map[Target]uint32{}
	zero := map[Target]bool{}
	for _, i := range open {
		v := &verdicts[i]
		if v.letter != 0 {
			letters[v.Target] |= 1 << (v.letter - 'a')
		}
		if v.number == 0 {
			zero[v.Target] = true
		}
	}
	inSequence, all := false, uint32(0)
	for _, mask := range letters {
		inSequence = inSequence || mask&3 == 3
		all |= mask
	}
	// Letters from a on with no gap, over the whole lot: a product that came with
	// b alone still has its second picture.
	throughout := all&(all+1) == 0 && (all > 3 && len(letters) > 5 || inSequence)
	for _, i := range open {
		if v := &verdicts[i]; v.letter != 0 {
			v.settleLetter(letters[v.Target], inSequence, throughout)
		}
	}
	if len(zero) > 0 {
		countFromNought(verdicts, zero)
	}
}

// countFromNought moves the places of those targets up that have a number 0 and
// a number 1.
func countFromNought(verdicts []Verdict, zero map[Target]bool) {
	one := map[Target]bool{}
	for i := range verdicts {
		if v := &verdicts[i]; v.Kind == Paired && v.number == 1 && zero[v.Target] {
			one[v.Target] = true
		}
	}
	if len(one) == 0 {
		return
	}
	for i := range verdicts {
		if v := &verdicts[i]; v.Kind == Paired && v.number >= 0 && one[v.Target] {
			v.Place = v.number + 1
		}
	}
}

// settleRomans makes places of roman numerals where the lot has several, one of
// them of more letters than one: a single I, V or X is a letter like others.
func settleRomans(verdicts []Verdict, open []int) {
	seen, several := map[int]bool{}, false
	for _, i := range open {
		if n := verdicts[i].roman; n > 0 {
			seen[n] = true
			several = several || n != 1 && n != 5 && n != 10
		}
	}
	for _, i := range open {
		v := &verdicts[i]
		switch {
		case v.roman == 0:
		case several && len(seen) > 1:
			v.Place, v.letter, v.gluedOnly = v.roman, 0, false
			v.respan(PlaceSpan, "")
		case v.letter == 0:
			v.respan(NoiseSpan, "not read")
		}
	}
}

func (v *Verdict) settleLetter(mask uint32, inSequence, throughout bool) {
	const first = 1 // the letter a
	view := singleViews[v.letter]
	views := 0
	for c := range singleViews {
		if mask&(1<<(c-'a')) != 0 {
			views++
		}
	}
	switch {
	case (throughout || inSequence && mask&first != 0) && v.letter <= 'l':
		v.Place = int(v.letter-'a') + 1
		v.respan(PlaceSpan, "")
		return
	case view != "" && views >= 2 && mask&first == 0 && !v.gluedOnly:
		if v.View == "" {
			v.View = view
		}
		v.respan(ViewSpan, view)
		return
	}
	v.respan(NoiseSpan, "not read")
	if v.gluedOnly {
		v.Candidates = []Candidate{v.candidate()}
		v.unpair("found "+v.Key+", but "+string(v.letter)+" goes on right beside it", Doubtful)
	}
}

func (v *Verdict) respan(kind SpanKind, what string) {
	for i := range v.Spans {
		if v.Spans[i].What == "letter" {
			v.Spans[i].Kind, v.Spans[i].What = kind, what
		}
	}
}
