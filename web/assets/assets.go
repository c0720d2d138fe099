// Package assets is what pages load: style, scripts, fonts and icons, as ./assets built them.
package assets

import (
	"embed"
	"io/fs"
)

//go:embed dist
var dist embed.FS

// Files gives them by name.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the name is embedded above
	}
	return files
}
