package backup

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func put(t *testing.T, dir, name, text string) {
	p := filepath.Join(dir, name)
	require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o750))
	require.NoError(t, os.WriteFile(p, []byte(text), 0o600))
}

func source(t *testing.T) Source {
	dir := t.TempDir()
	put(t, dir, "site.yaml", "site: Hall 3\n")
	put(t, dir, "records.db", "being written")
	put(t, dir, "records.db-wal", "being written")
	put(t, dir, "recipes/tin/recipe.yaml", "ricetta: 1\n")
	put(t, dir, "pictures/ab/ab12.png", "a picture")
	put(t, dir, ".backup-old/x", "of one that broke off")
	return Source{Dir: dir, Database: "records.db", PicturesDir: "pictures", Snapshot: func(_ context.Context, to string) error {
		return os.WriteFile(to, bytes.Repeat([]byte("consistent "), 1000), 0o600)
	}}
}

func written(t *testing.T, s Source, m Manifest) string {
	m.Format = Format
	file := filepath.Join(t.TempDir(), "b.zip")
	var b bytes.Buffer
	require.NoError(t, Write(context.Background(), &b, s, m))
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	return file
}

func TestWhatGoesInComesOut(t *testing.T) {
	s := source(t)
	file := written(t, s, Manifest{Site: "Hall 3", Version: "1", Time: time.Date(2026, 3, 2, 1, 2, 4, 0, time.UTC), Pictures: true})
	m, err := Verify(file, nil)
	require.NoError(t, err)
	assert.Equal(t, "Hall 3", m.Site)
	to := filepath.Join(t.TempDir(), "new", "data")
	steps := int64(0)
	_, err = Extract(file, to, func(done, of int64) { steps = done; assert.Equal(t, m.Bytes(), of) })
	require.NoError(t, err)
	assert.Equal(t, m.Bytes(), steps)
	for name, text := range map[string]string{"site.yaml": "site: Hall 3\n", "recipes/tin/recipe.yaml": "ricetta: 1\n", "pictures/ab/ab12.png": "a picture"} {
		got, err := os.ReadFile(filepath.Join(to, name))
		require.NoError(t, err)
		assert.Equal(t, text, string(got))
	}
	records, err := os.ReadFile(filepath.Join(to, "records.db"))
	require.NoError(t, err)
	assert.Len(t, records, 11_000, "the snapshot, and not the file that is written to")
	assert.NoFileExists(t, filepath.Join(to, "records.db-wal"))
	assert.NoDirExists(t, filepath.Join(to, ".backup-old"))
	left, err := filepath.Glob(filepath.Join(s.Dir, ".backup-*"))
	require.NoError(t, err)
	assert.Len(t, left, 1, "the copy is removed")
	_, err = Extract(file, to, nil)
	assert.ErrorContains(t, err, "there already")

	without := written(t, s, Manifest{})
	m, err = Verify(without, nil)
	require.NoError(t, err)
	for _, f := range m.Files {
		assert.NotContains(t, f.Path, "pictures/")
	}
}

func TestDamageIsTold(t *testing.T) {
	file := written(t, source(t), Manifest{Pictures: true})
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	dir := t.TempDir()
	to := filepath.Join(dir, "data")
	try := func(data []byte) error {
		bad := filepath.Join(t.TempDir(), "bad.zip")
		require.NoError(t, os.WriteFile(bad, data, 0o600))
		_, err := Extract(bad, to, nil)
		return err
	}
	// A file that is kept as it is lies open in the archive.
	i := bytes.Index(whole, []byte("a picture"))
	require.Positive(t, i)
	flipped := bytes.Clone(whole)
	flipped[i] ^= 1
	assert.Error(t, try(flipped))
	assert.ErrorContains(t, try(whole[:len(whole)/2]), "broke off")
	assert.ErrorContains(t, try([]byte("PK")), "no backup")

	archive := func(m any, files map[string]string) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for name, text := range files {
			w, err := z.Create(name)
			require.NoError(t, err)
			_, err = w.Write([]byte(text))
			require.NoError(t, err)
		}
		w, err := z.Create(ManifestName)
		require.NoError(t, err)
		require.NoError(t, json.NewEncoder(w).Encode(m))
		require.NoError(t, z.Close())
		return b.Bytes()
	}
	assert.ErrorContains(t, try(archive(Manifest{Format: 99, Version: "9.1"}, nil)), "format 99")
	assert.ErrorContains(t, try(archive(Manifest{Format: Format, Files: []File{{Path: "../x"}}}, map[string]string{"../x": ""})), "outside")
	assert.Error(t, try(archive(Manifest{Format: Format, Files: []File{{Path: "x", Bytes: 1, SHA256: "00"}}}, map[string]string{"x": "longer than it says"})))
	assert.Error(t, try(archive(Manifest{Format: Format, Files: []File{{Path: "gone"}}}, nil)))
	assert.NoDirExists(t, to)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left, "nothing is left behind")

	s := source(t)
	s.Snapshot = func(context.Context, string) error { return errors.New("no room") }
	assert.ErrorContains(t, Write(context.Background(), &bytes.Buffer{}, s, Manifest{}), "no room")
}
