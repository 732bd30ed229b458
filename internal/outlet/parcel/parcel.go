// Package parcel is outlets whose pictures are packed, and taken by whoever wants them.
package parcel

import "ambrosa/internal/outlet"

// Name is the kind's in the database.
const Name = "package"

// Kind is the kind of outlet: it is no place that anybody connects to.
var Kind = outlet.Kind{Name: Name, Label: "Package", Packed: true, Host: func(map[string]string) string { return "" }}
