package room

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"ironthread/web/drawing"
)

//go:embed static
var staticFiles embed.FS

// static serves the embedded files under a version that changes with any of them, so that a
// browser may keep them for ever.
type Static struct {
	version string
	files   map[string]staticFile
}

type staticFile struct {
	plain, zipped []byte
	kind          string
}

// TheStatic gives the files, which are zipped once a process however many instances there are in it.
var TheStatic = sync.OnceValues(newStatic)

func newStatic() (*Static, error) {
	s := &Static{files: map[string]staticFile{}}
	sum := sha256.New()
	err := fs.WalkDir(staticFiles, "static", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := staticFiles.ReadFile(name)
		if err != nil {
			return err
		}
		fmt.Fprintf(sum, "%s %d\n", name, len(b))
		sum.Write(b)
		f := staticFile{plain: b, kind: mime.TypeByExtension(path.Ext(name))}
		switch path.Ext(name) {
		case ".js":
			f.kind = "text/javascript; charset=utf-8"
		case ".woff2":
			f.kind = "font/woff2"
		}
		if path.Ext(name) != ".woff2" && path.Ext(name) != ".png" {
			var z bytes.Buffer
			w := gzip.NewWriter(&z)
			if _, err := w.Write(b); err != nil {
				return err
			}
			if err := w.Close(); err != nil {
				return err
			}
			f.zipped = z.Bytes()
		}
		s.files[strings.TrimPrefix(name, "static")] = f
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("room: static files: %w", err)
	}
	s.files["/sheet.css"] = staticFile{plain: []byte(drawing.CSS), kind: "text/css; charset=utf-8"}
	sum.Write([]byte(drawing.CSS))
	s.version = hex.EncodeToString(sum.Sum(nil))[:12]
	return s, nil
}

// url gives a file's address.
func (s *Static) URL(name string) string { return "/static/" + s.version + "/" + name }

// Named are the files that browsers look for at the root, under a name that never changes.
var Named = []string{"/sw.js", "/manifest.webmanifest", "/icon-192.png", "/icon-512.png"}

// ServeNamed gives one of [Named]; a browser asks each time whether it is another by now.
func (s *Static) ServeNamed(c *gin.Context) {
	f := s.files[c.Request.URL.Path]
	if strings.HasSuffix(c.Request.URL.Path, ".webmanifest") {
		f.kind = "application/manifest+json"
	}
	h := c.Writer.Header()
	h.Set("Cache-Control", "no-cache")
	h.Set("ETag", `"`+s.version+`"`)
	if c.GetHeader("If-None-Match") == `"`+s.version+`"` {
		c.Status(http.StatusNotModified)
		return
	}
	c.Data(http.StatusOK, f.kind, f.plain)
}

func (s *Static) Serve(c *gin.Context) {
	f, ok := s.files[c.Param("file")]
	if !ok {
		c.String(http.StatusNotFound, "There is no such file.")
		return
	}
	h := c.Writer.Header()
	h.Set("Cache-Control", "public, max-age=31536000, immutable")
	h.Set("ETag", `"`+s.version+`"`)
	if c.GetHeader("If-None-Match") == `"`+s.version+`"` {
		c.Status(http.StatusNotModified)
		return
	}
	body := f.plain
	if f.zipped != nil && strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		h.Set("Content-Encoding", "gzip")
		h.Set("Vary", "Accept-Encoding")
		body = f.zipped
	}
	c.Data(http.StatusOK, f.kind, body)
}
