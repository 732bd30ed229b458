package plan

import "slices"

// Exchange returns what a product or category shows when files take the place of others: by
// the file that stands, the entry that comes. Views and texts stay; where the one that comes
// stands already, or came before, the other only goes. touched tells whether anything stands
// that is exchanged. The input is not changed.
func Exchange(standing Arrangement, by map[int64]Entry) (wanted Arrangement, touched bool) {
	wanted = standing.Clone()
	for target, entries := range wanted {
		var list []Entry
		shown := func(sum string) bool {
			return slices.ContainsFunc(list, func(o Entry) bool { return o.Sum == sum })
		}
		stays := func(sum string) bool {
			return slices.ContainsFunc(entries, func(o Entry) bool {
				_, goes := by[o.File]
				return o.Sum == sum && !goes
			})
		}
		for _, e := range entries {
			to, goes := by[e.File]
			if !goes {
				list = append(list, e)
				continue
			}
			touched = true
			if stays(to.Sum) || shown(to.Sum) {
				continue
			}
			to.View, to.Alt, to.AltBy = e.View, e.Alt, e.AltBy
			list = append(list, to)
		}
		wanted[target] = list
	}
	return wanted, touched
}
