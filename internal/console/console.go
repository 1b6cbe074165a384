// Package console serves the console's pages from the binary.
package console

import (
	"bytes"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"

	"ricetta/web"
)

// Handler serves the pages. Files under /assets carry a hash in their name and may
// be kept for good; a missing one is a 404 and not a page. Every other path is a
// place within the console and gets its one page.
func Handler() (http.Handler, error) {
	dir := "dist/app"
	if _, err := fs.Stat(web.Dist, dir+"/index.html"); err != nil {
		dir = "dist" // not built: a page that says so
	}
	files, err := fs.Sub(web.Dist, dir)
	if err != nil {
		return nil, err
	}
	return handler(files)
}

func handler(files fs.FS) (http.Handler, error) {
	page, err := fs.ReadFile(files, "index.html")
	if err != nil {
		return nil, err
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
		if name != "" && name != "index.html" {
			if data, err := fs.ReadFile(files, name); err == nil {
				if strings.HasPrefix(name, "assets/") {
					w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
				} else {
					w.Header().Set("Cache-Control", "no-cache")
				}
				http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(data))
				return
			}
			if strings.HasPrefix(name, "assets/") || path.Ext(name) != "" && !strings.Contains(name, "/") {
				http.NotFound(w, r)
				return
			}
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Cache-Control", "no-cache")
		_, _ = w.Write(page)
	}), nil
}
