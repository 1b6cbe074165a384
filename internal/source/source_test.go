package source

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
)

// plain is a picture whose only gray value is v, as a PNG file.
func plain(t *testing.T, v uint8) []byte {
	g := image.NewGray(image.Rect(0, 0, 8, 8))
	for i := range g.Pix {
		g.Pix[i] = v
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, g))
	return b.Bytes()
}

func valueOf(t *testing.T, p raster.Picture, err error) uint8 {
	require.NoError(t, err)
	return p.Image().At(0, 0).(color.Gray).Y
}

// put writes a file that looks age old.
func put(t *testing.T, dir, name string, age time.Duration, data []byte) {
	file := filepath.Join(dir, name)
	require.NoError(t, os.WriteFile(file, data, 0o600))
	then := time.Now().Add(-age)
	require.NoError(t, os.Chtimes(file, then, then))
}

func TestAFolderIsReadInItsOrderAndWaitsForMore(t *testing.T) {
	dir := t.TempDir()
	ctx := t.Context()
	put(t, dir, "b.png", time.Hour, plain(t, 2))
	put(t, dir, "a.png", time.Minute, plain(t, 1))
	put(t, dir, "notes.txt", time.Hour, []byte("no picture"))
	for order, want := range map[string][2]uint8{"": {1, 2}, "name": {1, 2}, "time": {2, 1}} {
		p, err := Open(Config{Folder: &FolderConfig{Path: filepath.Join("..", filepath.Base(dir)), Order: order}}, filepath.Join(filepath.Dir(dir), "data"))
		require.NoError(t, err)
		next := func() uint8 { pic, err := p.Next(ctx); return valueOf(t, pic, err) }
		pic, err := p.Snap(ctx)
		assert.Equal(t, want[0], valueOf(t, pic, err), "looking does not go on")
		assert.Equal(t, want, [2]uint8{next(), next()}, order)
		assert.False(t, p.Waiting(), "that was all")
		_, err = p.Next(ctx)
		assert.ErrorContains(t, err, "there is no picture")
		pic, err = p.Snap(ctx)
		assert.Equal(t, want[1], valueOf(t, pic, err), "the last one stays to be looked at")
	}

	p, err := Open(Config{Folder: &FolderConfig{Path: dir, Order: "time"}}, "")
	require.NoError(t, err)
	for range 2 {
		_, err := p.Next(ctx)
		require.NoError(t, err)
	}
	assert.False(t, p.Waiting())
	put(t, dir, "0.png", 0, plain(t, 3)[:20]) // still being written
	time.Sleep(looked + 10*time.Millisecond)
	put(t, dir, "0.png", 0, plain(t, 3))
	assert.False(t, p.Waiting(), "half a file is not taken")
	require.Eventually(t, p.Waiting, 5*time.Second, 20*time.Millisecond)
	pic, err := p.Next(ctx)
	assert.Equal(t, uint8(3), valueOf(t, pic, err))
}

func TestAFolderBeginsAgainAndTellsOfBrokenFiles(t *testing.T) {
	dir := t.TempDir()
	put(t, dir, "a.png", time.Hour, plain(t, 1))
	put(t, dir, "b.png", time.Hour, plain(t, 2)[:30])
	p, err := Open(Config{Folder: &FolderConfig{Path: dir, Repeat: true}}, "")
	require.NoError(t, err)
	pic, err := p.Next(t.Context())
	assert.Equal(t, uint8(1), valueOf(t, pic, err))
	_, err = p.Next(t.Context())
	assert.ErrorContains(t, err, "b.png: the picture is broken")
	pic, err = p.Next(t.Context())
	assert.Equal(t, uint8(1), valueOf(t, pic, err), "from the beginning")

	require.NoError(t, os.RemoveAll(dir))
	time.Sleep(looked + 10*time.Millisecond)
	assert.True(t, p.Waiting(), "a folder that is gone is told as a fault, not taken for the end")
	_, err = p.Next(t.Context())
	assert.ErrorContains(t, err, "cannot be read")
}

func TestAConfigurationThatCannotBeMeant(t *testing.T) {
	for say, c := range map[string]Config{
		"no source is given":    {},
		"two sources":           {Folder: &FolderConfig{Path: "x"}, HTTP: &HTTPConfig{Address: "http://x"}},
		"no path is given":      {Folder: &FolderConfig{}},
		"there is no folder":    {Folder: &FolderConfig{Path: "/nowhere/at/all"}},
		"order \"size\"":        {Folder: &FolderConfig{Path: t.TempDir(), Order: "size"}},
		"\"camera\" is no addr": {HTTP: &HTTPConfig{Address: "camera"}},
		"is no address":         {HTTP: &HTTPConfig{Address: "file:///etc/passwd"}},
		"lies in the data":      {Folder: &FolderConfig{Path: "pictures"}},
	} {
		_, err := Open(c, "/data")
		assert.ErrorContains(t, err, say)
	}
}

func TestASnapshotAddress(t *testing.T) {
	other := httptest.NewServer(http.NotFoundHandler())
	defer other.Close()
	release := make(chan struct{})
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		user, password, _ := r.BasicAuth()
		switch r.URL.Path {
		case "/snapshot.png":
			if user != "nora" || password != "secret" {
				w.WriteHeader(http.StatusUnauthorized)
				return
			}
			_, _ = w.Write(plain(t, 9))
		case "/page":
			_, _ = w.Write([]byte("<html>"))
		case "/away":
			http.Redirect(w, r, other.URL, http.StatusFound)
		case "/slow":
			<-release
		}
	}))
	defer s.Close()
	defer close(release)
	get := func(path string) (raster.Picture, error) {
		p, err := Open(Config{HTTP: &HTTPConfig{Address: path}}, "")
		require.NoError(t, err)
		ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
		defer cancel()
		return p.Next(ctx)
	}
	with := "http://nora:secret@" + s.Listener.Addr().String()
	pic, err := get(with + "/snapshot.png")
	assert.Equal(t, uint8(9), valueOf(t, pic, err))
	for path, say := range map[string]string{
		s.URL + "/snapshot.png": "answers 401 Unauthorized",
		with + "/page":          "not a PNG, JPEG, BMP or TIFF picture",
		with + "/away":          "it sends to another machine",
		with + "/slow":          "deadline exceeded",
	} {
		_, err := get(path)
		require.ErrorContains(t, err, say)
		assert.NotContains(t, err.Error(), "secret")
	}
}
