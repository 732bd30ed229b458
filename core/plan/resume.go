package plan

import (
	"slices"

	"ambrosa/core/catalog"
)

// Withdraw returns an arrangement without pictures that no longer belong on it: gone tells whether a file leaves a target.
// The input is not changed.
func (a Arrangement) Withdraw(gone func(target catalog.Target, file int64) bool) Arrangement {
	left := a.Clone()
	for target, list := range left {
		left[target] = slices.DeleteFunc(list, func(e Entry) bool { return gone(target, e.File) })
	}
	return left
}

// resume prepares a target for a later plan of the same lot. own are the files that an earlier plan placed and that still
// stand; files are those that are to be placed: new ones, and earlier ones whose place changed. Views that changed are set.
// An earlier file that does not stand any more was removed by a person, and does not come back.
func resume(standing []Entry, arriving []Arriving) (stands []Entry, files, own []Arriving) {
	earlier := map[int64]Arriving{}
	for _, a := range arriving {
		if a.Placed == nil {
			files = append(files, a)
		} else {
			earlier[a.File] = a
		}
	}
	for _, e := range standing {
		a, known := earlier[e.File]
		if !known {
			stands = append(stands, e)
			continue
		}
		if a.View != a.Placed.View && e.View == a.Placed.View {
			e.View = a.View
			if e.AltBy == "draft" && a.AltBy == "draft" {
				e.Alt = a.Alt
			}
		}
		if a.Place != a.Placed.Place {
			a.Entry = e
			files = append(files, a)
			continue
		}
		own, stands = append(own, a), append(stands, e)
	}
	return stands, files, own
}

// among puts files among those of the same lot that stand already: each behind the one that its place and name order in
// front of it, else in front of the next. Instead removes what is not of the lot. twice are files whose bytes the target
// shows without them.
func among(stands []Entry, files, own []Arriving, way Way) (list []Entry, twice []Arriving) {
	isOwn := filesOf(own)
	if way == Instead {
		stands = slices.DeleteFunc(slices.Clone(stands), func(e Entry) bool { return !isOwn[e.File] })
	}
	fresh, twice := without(files, stands, After)
	entry := map[int64]Entry{}
	for _, e := range fresh {
		entry[e.File] = e
	}
	order := slices.Concat(own, files)
	Order(order)
	front, behind := map[int64][]Entry{}, map[int64][]Entry{} // by the own file that they stand next to
	var waiting []Entry                                       // that no own file is in front of
	last := int64(0)
	for _, a := range order {
		e, isFresh := entry[a.File]
		switch {
		case isOwn[a.File]:
			if last == 0 {
				front[a.File] = waiting
			}
			last = a.File
		case isFresh && last == 0:
			waiting = append(waiting, e)
		case isFresh:
			behind[last] = append(behind[last], e)
		}
	}
	for _, e := range stands {
		list = append(list, front[e.File]...)
		list = append(list, e)
		list = append(list, behind[e.File]...)
	}
	return list, twice
}

func filesOf(arriving []Arriving) map[int64]bool {
	files := make(map[int64]bool, len(arriving))
	for _, a := range arriving {
		files[a.File] = true
	}
	return files
}
