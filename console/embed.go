// Package console holds the web console as it was built, so that the service
// can serve it from memory.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var built embed.FS

// Files are the built pages; index.html is absent where the console was not
// built.
func Files() fs.FS {
	files, err := fs.Sub(built, "dist")
	if err != nil {
		panic(err) // the name is a constant that is a valid path
	}
	return files
}
