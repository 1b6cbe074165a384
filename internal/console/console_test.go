package console

import (
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPagesAndFiles(t *testing.T) {
	h, err := handler(fstest.MapFS{
		"index.html":       {Data: []byte("<p>page</p>")},
		"assets/app-1a.js": {Data: []byte("code")},
		"favicon.svg":      {Data: []byte("<svg/>")},
	})
	require.NoError(t, err)
	for _, tc := range []struct {
		path, body, cache string
		status            int
	}{
		{"/", "<p>page</p>", "no-cache", 200},
		{"/stations/line1-top", "<p>page</p>", "no-cache", 200},
		{"/items/line1-top.123", "<p>page</p>", "no-cache", 200},
		{"/assets/app-1a.js", "code", "public, max-age=31536000, immutable", 200},
		{"/assets/gone.js", "404 page not found\n", "", 404},
		{"/favicon.ico", "404 page not found\n", "", 404},
		{"/favicon.svg", "<svg/>", "no-cache", 200},
		{"/../../etc/passwd", "<p>page</p>", "no-cache", 200},
	} {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, httptest.NewRequest("GET", "http://localhost"+tc.path, nil))
		assert.Equal(t, tc.status, w.Code, tc.path)
		assert.Equal(t, tc.body, w.Body.String(), tc.path)
		assert.Equal(t, tc.cache, w.Header().Get("Cache-Control"), tc.path)
	}
	_, err = handler(fstest.MapFS{})
	assert.Error(t, err)
}

func TestTheBinaryCarriesAPage(t *testing.T) {
	_, err := Handler()
	assert.NoError(t, err)
}
