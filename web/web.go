// Package web holds the built console.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Console gives the files of the built console; without a build it is empty.
func Console() fs.FS {
	console, err := fs.Sub(dist, "dist")
	if err != nil {
		return embed.FS{}
	}
	return console
}
