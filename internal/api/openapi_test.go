package api

import (
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func bare(t *testing.T) *Server {
	s, err := New(Deps{Version: "test", Hub: NewHub("b"), Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	return s
}

// The shipped document is the one that the handlers make; the console's types are
// generated from it. Run with UPDATE=1 to renew it.
func TestOpenAPIDocumentIsCurrent(t *testing.T) {
	path := filepath.Join("..", "..", "docs", "openapi.json")
	got := strings.Replace(string(bare(t).OpenAPI()), `"version": "test"`, `"version": "1"`, 1)
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.WriteFile(path, []byte(got), 0o644))
	}
	want, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(want), got, "run UPDATE=1 go test ./internal/api and npm run gen in web")
}

func TestOpenAPIDocumentIsValidAndWhole(t *testing.T) {
	s := bare(t)
	doc, err := openapi3.NewLoader().LoadFromData(s.OpenAPI())
	require.NoError(t, err)
	require.NoError(t, doc.Validate(t.Context()))
	for _, r := range s.echo.Router().Routes() {
		if !strings.HasPrefix(r.Path, prefix+"/") || strings.HasSuffix(r.Path, "/*") || strings.HasSuffix(r.Path, "openapi.json") {
			continue
		}
		p := doc.Paths.Find(openPath(strings.TrimPrefix(r.Path, prefix)))
		if assert.NotNil(t, p, "%s is not in the document", r.Path) {
			assert.NotNil(t, p.GetOperation(r.Method), "%s %s", r.Method, r.Path)
		}
	}
	assert.Contains(t, doc.Components.Schemas, "Event")
}

func TestOnlyThisMachineIsAnswered(t *testing.T) {
	s := bare(t)
	for _, tc := range []struct {
		host, origin, method string
		status               int
	}{
		{"127.0.0.1:8440", "", "GET", 200},
		{"localhost", "", "GET", 200},
		{"[::1]:8440", "", "GET", 200},
		{"ricetta.example:8440", "", "GET", 421},
		{"127.0.0.1.example", "", "GET", 421},
		{"127.0.0.1:8440", "http://evil.example", "POST", 403},
		{"127.0.0.1:8440", "http://127.0.0.1:8440", "POST", 200},
		{"127.0.0.1:8440", "", "POST", 200},
	} {
		path := "/api/v1/about"
		if tc.method == "POST" {
			path = "/api/v1/recipes/check"
		}
		r := httptest.NewRequest(tc.method, path, strings.NewReader("ricetta: 1"))
		r.Host = tc.host
		if tc.origin != "" {
			r.Header.Set("Origin", tc.origin)
			r.Header.Set("Sec-Fetch-Site", map[bool]string{true: "same-origin", false: "cross-site"}[strings.Contains(tc.origin, tc.host)])
		}
		w := httptest.NewRecorder()
		s.ServeHTTP(w, r)
		assert.Equal(t, tc.status, w.Code, "%+v", tc)
		assert.Contains(t, w.Header().Get("Content-Security-Policy"), "default-src 'self'")
	}
}
