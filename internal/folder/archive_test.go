package folder

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/recipe"
)

func zipOf(t *testing.T, files map[string][]byte) *bytes.Reader {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, data := range files {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write(data)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return bytes.NewReader(b.Bytes())
}

func TestExportAndImportAreIdentity(t *testing.T) {
	from := "../../demo/recipes/masking-tape-50"
	var first, second bytes.Buffer
	require.NoError(t, Export(from, &first))
	to := filepath.Join(t.TempDir(), "deep", "tape")
	r, err := Import(bytes.NewReader(first.Bytes()), int64(first.Len()), to, 0)
	require.NoError(t, err)
	was, _, err := RecipeDir(from)
	require.NoError(t, err)
	assert.Equal(t, was.Revision, r.Revision)
	require.NoError(t, Export(to, &second))
	assert.Equal(t, first.Bytes(), second.Bytes(), "to the byte, samples included")
	_, err = Import(bytes.NewReader(first.Bytes()), int64(first.Len()), to, 0)
	assert.ErrorContains(t, err, "exists already")
}

func TestHostileArchivesAreRefusedWhole(t *testing.T) {
	text, err := os.ReadFile("../../demo/recipes/masking-tape-50/recipe.yaml")
	require.NoError(t, err)
	plain := []byte("ricetta: 1\nproduct: p\nrole: r\npicture: {kind: gray}\nchecks:\n  - {id: a, kind: presence.level, region: {rect: [1, 1, 5, 5]}}\n")
	for want, files := range map[string]map[string][]byte{
		"is no part of a recipe":             {"recipe.yaml": plain, "../../up.png": pngOf(t, 1)},
		`"/etc/x.png" in the archive`:        {"recipe.yaml": plain, "/etc/x.png": pngOf(t, 1)},
		`run.sh`:                             {"recipe.yaml": plain, "run.sh": []byte("x")},
		`samples/../../x.png`:                {"recipe.yaml": plain, "samples/../../x.png": pngOf(t, 1)},
		"times its size, which no picture":   {"recipe.yaml": plain, "zeros.png": make([]byte, 40<<20)},
		"too large":                          {"recipe.yaml": plain, "zeros.png": make([]byte, 65<<20)},
		"is in the archive twice":            {"recipe.yaml": plain, "A.png": pngOf(t, 1), "a.png": pngOf(t, 1)},
		"there is no recipe.yaml":            {"a.png": pngOf(t, 1)},
		"reference.png is not in the recipe": {"recipe.yaml": text},
		"this is format version 2":           {"recipe.yaml": bytes.Replace(plain, []byte("ricetta: 1"), []byte("ricetta: 2"), 1)},
		"does not hold its picture":          {"recipe.yaml": plain, "samples/samples.yaml": []byte("samples: [{picture: a.png, label: good}]")},
		"there is no recipe.yaml in":         {},
	} {
		dir := t.TempDir()
		z := zipOf(t, files)
		_, err := Import(z, z.Size(), filepath.Join(dir, "new"), 0)
		require.ErrorContains(t, err, want)
		left, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.Empty(t, left, "%s: nothing is half imported", want)
	}
	_, err = Import(strings.NewReader("no zip"), 6, filepath.Join(t.TempDir(), "x"), 0)
	assert.ErrorContains(t, err, "no recipe archive")
	z := zipOf(t, map[string][]byte{"recipe.yaml": plain, "a.png": bytes.Repeat([]byte{1, 2, 3, 7, 99, 4}, 500)})
	_, err = Import(z, z.Size(), filepath.Join(t.TempDir(), "x"), 2000)
	assert.ErrorContains(t, err, "too large")
}

func TestVariantInAFolderBesideItsBase(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "masking-tape-50"), os.DirFS("../../demo/recipes/masking-tape-50")))
	base, _, err := RecipeDir(filepath.Join(dir, "masking-tape-50"))
	require.NoError(t, err)
	write := func(text string) string {
		to := filepath.Join(dir, "masking-tape-40")
		require.NoError(t, os.MkdirAll(to, 0o750))
		require.NoError(t, os.WriteFile(filepath.Join(to, recipe.FileName), []byte(text), 0o600))
		return to
	}
	v, _, err := RecipeDir(write("ricetta: 1\nproduct: masking-tape-40\nbase: masking-tape-50\nchange: {rim/height: 3}\n"))
	require.NoError(t, err)
	assert.Equal(t, "masking-tape-40", v.Product)
	assert.Equal(t, base.Role, v.Role)
	assert.NotEqual(t, base.Revision, v.Revision)
	assert.Equal(t, base.Files, v.Files, "its pictures are the base's")
	_, _, err = RecipeDir(write("ricetta: 1\nproduct: masking-tape-40\nbase: gone\n"))
	assert.ErrorContains(t, err, "names as its base")
	_, _, err = RecipeDir(write("ricetta: 1\nproduct: masking-tape-40\nbase: masking-tape-40\n"))
	assert.ErrorContains(t, err, "is a variant of")
}
