package picturespec

import (
	"fmt"
	"math"
)

// Least is the least width and height of a picture that marketplaces take, in
// pixels, as common practice has it; both must hold.
const Least = 500

// Mark is something about a file that a person should look at.
type Mark int

// The marks; a file's are kept as a sum of them.
const (
	Small       Mark = 1 << iota // below the least size
	Padded                       // the content is much smaller than the frame
	Enlarged                     // detail is missing for its size
	Same                         // the same bytes as an earlier file
	Alike                        // looks like an earlier file
	Animated                     // more than one frame
	Print                        // in print colours (CMYK)
	Transparent                  // some of it can be looked through
)

// Facts are what is measured of a picture.
type Facts struct {
	Width, Height               int     // pixels
	ContentWidth, ContentHeight int     // of the box around what is not border, pixels; 0 where it was not measured
	Detail                      float64 // the part of its size that its detail needs: 0.5 if enlarged twofold; 0 if not measured
	Frames                      int
	Colour                      string
	Alpha                       bool // some of it can be looked through
	Twin                        Twin // an earlier file that it is the same as, or looks like
}

// Twin is an earlier file that has the same bytes as a picture, or looks like it;
// empty for none.
type Twin struct {
	SamePath, SameLot string
	LikePath, LikeLot string
	LikeBits          int   // of the fingerprint's 64, in which they differ
	LikePixels        int64 // of the earlier one
}

func (f Facts) compared() string {
	switch mine := int64(f.Width) * int64(f.Height); {
	case mine > f.Twin.LikePixels:
		return "and is the larger one"
	case mine < f.Twin.LikePixels:
		return "which is larger"
	}
	return "which is as large"
}

// paddedBelow is how much of both sides of the frame the content has to fill.
const paddedBelow = 0.55

// Marks returns the marks that facts alone give.
func (f Facts) Marks() (m Mark) {
	for mark, holds := range map[Mark]bool{
		Small:       f.Width > 0 && (f.Width < Least || f.Height < Least),
		Padded:      f.padded(),
		Enlarged:    f.Detail > 0 && f.Detail < 1,
		Animated:    f.Frames > 1,
		Print:       f.Colour == "CMYK",
		Transparent: f.Alpha,
	} {
		if holds {
			m |= mark
		}
	}
	return m
}

// RealSide is the longer side that a picture really has, in pixels: of its content, where a border was put
// around a small one, and of what its detail needs, where it was enlarged.
func (f Facts) RealSide() int {
	side := float64(max(f.Width, f.Height))
	if f.padded() {
		side = float64(max(f.ContentWidth, f.ContentHeight))
	}
	if f.Detail > 0 && f.Detail < 1 {
		side *= f.Detail
	}
	return int(math.Round(side))
}

func (f Facts) padded() bool {
	return f.ContentWidth > 0 && float64(f.ContentWidth) < paddedBelow*float64(f.Width) &&
		float64(f.ContentHeight) < paddedBelow*float64(f.Height)
}

// Measure says in words what a mark rests on; "" for marks that rest on other
// files.
func (f Facts) Measure(m Mark) string {
	switch m {
	case Small:
		return fmt.Sprintf("%d × %d pixels, least are %d × %d", f.Width, f.Height, Least, Least)
	case Padded:
		return fmt.Sprintf("the content is %d × %d of %d × %d pixels", f.ContentWidth, f.ContentHeight, f.Width, f.Height)
	case Enlarged:
		return fmt.Sprintf(
			"detail for about %d × %d of %d × %d pixels",
			int(f.Detail*float64(f.Width)),
			int(f.Detail*float64(f.Height)),
			f.Width,
			f.Height,
		)
	case Same:
		return "the same bytes as " + f.Twin.SamePath + " in " + f.Twin.SameLot
	case Alike:
		return fmt.Sprintf("looks like %s in %s (%d of 64 bits differ), %s", f.Twin.LikePath, f.Twin.LikeLot, f.Twin.LikeBits, f.compared())
	case Animated:
		return fmt.Sprintf("%d frames", f.Frames)
	case Print:
		return "CMYK, shops show RGB"
	case Transparent:
		return "some of it can be looked through"
	}
	return ""
}

// Names of the marks, in order.
var markNames = []struct {
	Mark Mark
	Name string
}{{Small, "small"}, {Padded, "padded"}, {Enlarged, "enlarged"}, {Same, "same bytes"}, {Alike, "look-alike"}, {Animated,
	"animated"}, {Print, "CMYK"}, {Transparent, "transparent"}}

// MarkOf returns the mark of a name; 0 for none.
func MarkOf(name string) Mark {
	for _, m := range markNames {
		if m.Name == name {
			return m.Mark
		}
	}
	return 0
}

// Names returns the names of a sum of marks.
func (m Mark) Names() []string {
	list := []string{}
	for _, each := range markNames {
		if m&each.Mark != 0 {
			list = append(list, each.Name)
		}
	}
	return list
}
