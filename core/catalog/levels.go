package catalog

// Levels is the shape of the category tree: who lies in whom. The zero one is empty.
type Levels struct {
	below map[int64][]int64 // the categories directly in one, in the order they were added; 0 for the top
}

// Add adds a category that lies in parent; 0 for none.
func (l *Levels) Add(id, parent int64) {
	if l.below == nil {
		l.below = map[int64][]int64{}
	}
	l.below[parent] = append(l.below[parent], id)
}

// In returns the categories directly in one, in the order they were added; 0 for the top of the tree.
func (l *Levels) In(id int64) []int64 { return l.below[id] }

// Down returns the categories below top (0 for all), level by level, as many whole levels as hold most
// categories, and always the first level.
func (l *Levels) Down(top int64, most int) (found []int64) {
	for level := l.In(top); len(level) > 0 && (found == nil || len(found)+len(level) <= most); {
		found = append(found, level...)
		var next []int64
		for _, id := range level {
			next = append(next, l.In(id)...)
		}
		level = next
	}
	return found
}

// Totals adds up what is counted in each category and all below it, by category; 0 for the whole tree.
// own has what is counted in one itself, and under 0 what is in none. A category without a way to the top has no total.
func Totals[T any](l *Levels, own map[int64]T, add func(a, b T) T) map[int64]T {
	totals := make(map[int64]T, len(own))
	var walk func(id int64) T
	walk = func(id int64) T {
		sum := own[id]
		for _, below := range l.In(id) {
			sum = add(sum, walk(below))
		}
		totals[id] = sum
		return sum
	}
	walk(0)
	return totals
}
