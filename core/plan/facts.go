package plan

import (
	"cmp"
	"fmt"

	"ambrosa/core/upkeep"
)

// Facts is what is known of pictures, by the SHA-256 of their bytes.
type Facts map[string]Fact

// Fact is what a plan needs to know of a picture.
type Fact struct {
	Pixels   int64 // width times height
	Look     upkeep.Look
	Small    bool   // below the least size
	HeldBack string // why it may not be handed on; empty when it may
}

// sameLook returns the place of a smaller picture of the same look as an
// arriving one, -1 when there is none.
func (f Facts) sameLook(list []Entry, taken []bool, a Arriving) int {
	fact, known := f[a.Sum]
	if !known {
		return -1
	}
	for i, e := range list {
		if stands, known := f[e.Sum]; known && !taken[i] && stands.Pixels < fact.Pixels && stands.Look.Like(fact.Look) {
			return i
		}
	}
	return -1
}

// Warn tells what a person should know of the pictures themselves: a lead that
// is replaced by a smaller one, one that is a larger version of what stands,
// rights that keep it from being handed on, and one below the least size.
func Warn(before, after Arrangement, facts Facts) (warnings []Warning) {
	for _, target := range targets(after) {
		was, will := before[target], after[target]
		if len(was) > 0 && len(will) > 0 && was[0].Sum != will[0].Sum {
			if a, b := facts[was[0].Sum], facts[will[0].Sum]; b.Pixels > 0 && b.Pixels < a.Pixels {
				warnings = append(
					warnings,
					Warning{
						Kind:   "smaller lead",
						Target: target,
						Text: fmt.Sprintf(
							"the lead is replaced by a smaller picture, %.1f instead of %.1f megapixels",
							float64(b.Pixels)/1e6,
							float64(a.Pixels)/1e6,
						),
					},
				)
			}
		}
		held := ""
		var small, larger, twins []int64
		for _, e := range will {
			if find(was, e) >= 0 {
				continue
			}
			fact := facts[e.Sum]
			held = cmp.Or(held, fact.HeldBack)
			if fact.Small {
				small = append(small, e.File)
			}
			alike, largest := false, int64(0) // of those that stand and look the same
			for _, o := range will {
				if o.Sum != e.Sum && find(was, o) >= 0 && facts[o.Sum].Look.Like(fact.Look) {
					alike, largest = true, max(largest, facts[o.Sum].Pixels)
				}
			}
			if alike && largest < fact.Pixels {
				larger = append(larger, e.File)
			} else if alike {
				twins = append(twins, e.File)
			}
		}
		if held != "" {
			warnings = append(warnings, Warning{Kind: "rights", Target: target, Text: "cannot be handed on: " + held})
		}
		for _, w := range []struct {
			files      []int64
			kind, text string
		}{{small, "small", "below the least size"}, {larger, "larger", "the same as one that stands, but larger: like for like would replace it"},
			{twins, "alike", "the same as one that stands, and no larger: set it aside"}} {
			if n := len(w.files); n > 0 {
				subject := "one picture is "
				if n > 1 {
					subject = fmt.Sprintf("%d pictures are ", n)
				}
				warnings = append(warnings, Warning{Kind: w.kind, Target: target, Text: subject + w.text, Files: w.files})
			}
		}
	}
	return warnings
}
