// Package kinds lists the kinds of origins that a person adds by filling in their
// fields: drives, and services that answer barcodes.
package kinds

import (
	"ambrosa/internal/origin"
	"ambrosa/internal/origin/lookup"
	"ambrosa/internal/origin/s3"
	"ambrosa/internal/origin/sftp"
	"ambrosa/internal/origin/webdav"
)

// All kinds, in the order in which they are offered.
var All = []origin.Kind{webdav.Kind, sftp.Kind, s3.Kind, lookup.Kind}

// Of returns the kind of a name.
func Of(name string) (origin.Kind, bool) {
	for _, kind := range All {
		if kind.Name == name {
			return kind, true
		}
	}
	return origin.Kind{}, false
}
