// Package kinds lists the kinds of outlets.
package kinds

import (
	"ambrosa/internal/origin/s3"
	"ambrosa/internal/origin/sftp"
	"ambrosa/internal/origin/webdav"
	"ambrosa/internal/outlet"
	"ambrosa/internal/outlet/drive"
	"ambrosa/internal/outlet/letter"
	"ambrosa/internal/outlet/parcel"
	"ambrosa/internal/outlet/shop"
)

// All kinds, in the order in which they are offered.
var All = []outlet.Kind{parcel.Kind, letter.Kind, shop.Kind, drive.Of(webdav.Kind), drive.Of(sftp.Kind), drive.Of(s3.Kind)}

// Packed tells whether pictures are packed for a kind, in the stead of being put somewhere.
func Packed(name string) bool {
	kind, known := Of(name)
	return known && kind.Packed
}

// Of returns the kind of a name.
func Of(name string) (outlet.Kind, bool) {
	for _, kind := range All {
		if kind.Name == name {
			return kind, true
		}
	}
	return outlet.Kind{}, false
}
