// Package ui holds the built interface, so that the program carries it.
package ui

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Pages returns the files of the built interface.
func Pages() (fs.FS, error) { return fs.Sub(dist, "dist") }
