package api

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"pikegate/console"
	"pikegate/internal/core/fault"
)

// page is one file of the console, ready to be sent.
type page struct {
	media   string
	plain   []byte
	zipped  []byte // nil where zipping gains nothing
	forever bool   // its name changes when it does
}

// guard is the content security policy: nothing comes from outside.
const guard = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

// pages are the console's files by path, compressed once for all services of a program.
var pages = sync.OnceValue(func() map[string]page {
	pages := map[string]page{}
	files := console.Files()
	err := fs.WalkDir(files, ".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		text, err := fs.ReadFile(files, name)
		if err != nil {
			return err
		}
		pages["/"+name] = newPage(name, text)
		return nil
	})
	if err != nil {
		panic("api: the embedded console cannot be read: " + err.Error())
	}
	return pages
})

// consolePages serves the console from memory: its files by name, and its
// first page for every other path, since the console does its own routing.
func consolePages() gin.HandlerFunc {
	pages := pages()
	first, built := pages["/index.html"]
	return func(c *gin.Context) {
		p, found := pages[c.Request.URL.Path]
		switch {
		case c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead:
			writeProblem(c, newProblem(http.StatusMethodNotAllowed, fault.NotFound, c.Request.Method+" is not a method of "+c.Request.URL.Path))
			return
		case !found && path.Ext(c.Request.URL.Path) != "":
			writeProblem(c, newProblem(http.StatusNotFound, fault.NotFound, "there is nothing at "+c.Request.URL.Path))
			return
		case !found && !built:
			c.String(http.StatusNotFound, "This program was built without its console; build it with make.\n")
			return
		case !found:
			p = first
		}
		p.send(c)
	}
}

func newPage(name string, text []byte) page {
	p := page{media: mime.TypeByExtension(path.Ext(name)), plain: text, forever: strings.HasPrefix(name, "assets/")}
	if p.media == "" {
		p.media = http.DetectContentType(text)
	}
	var b bytes.Buffer
	z, _ := gzip.NewWriterLevel(&b, gzip.BestCompression) // the level is a valid constant
	z.Write(text)                                         // into memory: cannot fail
	z.Close()
	if b.Len() < len(text)*9/10 {
		p.zipped = b.Bytes()
	}
	return p
}

func (p page) send(c *gin.Context) {
	c.Header("Content-Security-Policy", guard)
	if p.forever {
		c.Header("Cache-Control", "public, max-age=31536000, immutable")
	}
	c.Header("Vary", "Accept-Encoding")
	if p.zipped != nil && strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		c.Header("Content-Encoding", "gzip")
		c.Data(http.StatusOK, p.media, p.zipped)
		return
	}
	c.Data(http.StatusOK, p.media, p.plain)
}
