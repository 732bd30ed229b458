package plan

import (
	"errors"
	"maps"
	"slices"

	"ambrosa/core/catalog"
)

// Ref names a picture on a target before it is applied: by its placement where
// it stands already, else by its file.
type Ref struct {
	ID   int64 `json:"id"` // of the placement, 0 for a picture that arrives
	File int64 `json:"file"`
}

// Orders is the order that a person gave the pictures of targets by hand.
type Orders map[catalog.Target][]Ref

// Settle puts an arrangement into the order that was given by hand; what the
// order does not know stays behind, as it was. Warnings of places that collide
// or are left out do not matter any more where a person gave the order.
func (o Orders) Settle(wanted Arrangement, warnings []Warning) (Arrangement, []Warning) {
	for target, order := range o {
		list, known := wanted[target]
		if !known {
			continue
		}
		rank := func(e Entry) int {
			at := slices.IndexFunc(order, func(r Ref) bool { return r.ID != 0 && r.ID == e.ID || r.File == e.File })
			if at < 0 {
				return len(order)
			}
			return at
		}
		list = slices.Clone(list)
		slices.SortStableFunc(list, func(a, b Entry) int { return rank(a) - rank(b) })
		wanted[target] = list
		warnings = slices.DeleteFunc(warnings, func(w Warning) bool {
			return w.Target == target && (w.Kind == "collision" || w.Kind == "gap")
		})
	}
	return wanted, warnings
}

// Wanted is a picture as a person wants it to stand.
type Wanted struct {
	ID     int64 // of its placement; 0 for a copy
	Of     int64 // of a copy: the placement that it is a copy of
	Target catalog.Target
	View   string
	Alt    *string // a person's own text; empty asks for a draft again; nil keeps it, but drafts it again for another view
}

// ErrTwice means that one target would show the same picture twice.
var ErrTwice = errors.New("the same picture twice on one target")

// ErrGone means that a picture that is to be arranged does not stand any more.
var ErrGone = errors.New("a picture does not stand any more")

// ByHand returns what a product or category shows when a person arranges its
// pictures: all that are wanted, in order, each target's for itself. draft words
// the alternative text of a picture that shows a target in a view. The error is
// ErrTwice or ErrGone.
func ByHand(standing Arrangement, pictures []Wanted, draft func(target catalog.Target, view string) string) (Arrangement, error) {
	left := map[int64]Entry{} // stands, and was not taken yet
	for _, entries := range standing {
		for _, e := range entries {
			left[e.ID] = e
		}
	}
	all := maps.Clone(left)
	arranged := Arrangement{}
	for _, p := range pictures {
		e, stands := left[p.ID]
		if p.ID == 0 {
			e, stands = all[p.Of]
			e.ID = 0
		}
		if !stands {
			return nil, ErrGone
		}
		delete(left, p.ID)
		turned := e.View != p.View
		e.View = p.View
		switch {
		case p.Alt == nil && turned && e.AltBy == "draft":
			e.Alt = draft(p.Target, p.View)
		case p.Alt == nil:
		case *p.Alt == "":
			e.Alt, e.AltBy = draft(p.Target, p.View), "draft"
		default:
			e.Alt, e.AltBy = *p.Alt, "person"
		}
		if slices.ContainsFunc(arranged[p.Target], func(o Entry) bool { return o.Sum == e.Sum }) {
			return nil, ErrTwice
		}
		arranged[p.Target] = append(arranged[p.Target], e)
	}
	return arranged, nil
}

// ViewSet is the view that a person sets for a picture.
type ViewSet struct {
	ID   int64  `json:"id" doc:"Of its placement"`
	Was  string `json:"was" maxLength:"40" doc:"Its view as the person saw it"`
	View string `json:"view" maxLength:"40" doc:"Its new view; empty for an unknown one"`
}

// WithViews returns an arrangement with the views that a person sets, and the placements whose view changed. A picture
// that is gone, or whose view is no longer the one the person saw, keeps its view. A drafted text is drafted again.
func WithViews(
	standing Arrangement, views []ViewSet, draft func(target catalog.Target, view string) string,
) (shown Arrangement, changed []int64) {
	by := make(map[int64]ViewSet, len(views))
	for _, s := range views {
		by[s.ID] = s
	}
	shown = standing.Clone()
	for target, list := range shown {
		for i, e := range list {
			s, asked := by[e.ID]
			if !asked || s.Was != e.View || s.View == e.View {
				continue
			}
			if list[i].View = s.View; e.AltBy == "draft" {
				list[i].Alt = draft(target, s.View)
			}
			changed = append(changed, e.ID)
		}
	}
	slices.Sort(changed)
	return shown, changed
}
