package folder

import (
	"os"
	"path/filepath"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/demo"
)

func TestTheDemoRecipeIsInOrder(t *testing.T) {
	r, text, err := Recipe(demo.Recipes, "recipes/pencil-tin-12")
	require.NoError(t, err)
	assert.Equal(t, "pencil-tin-12", r.Product)
	assert.Contains(t, string(text), "locate.outline")
	fromDisk, _, err := RecipeDir("../../demo/recipes/pencil-tin-12")
	require.NoError(t, err)
	assert.Equal(t, r.Revision, fromDisk.Revision, "the same recipe, wherever it is read from")
	viaFile, _, err := RecipeDir("../../demo/recipes/pencil-tin-12/recipe.yaml")
	require.NoError(t, err)
	assert.Equal(t, r.Revision, viaFile.Revision)
}

func TestRecipeFaultsAreSaid(t *testing.T) {
	const text = "ricetta: 1\nproduct: x\nrole: top\npicture: {kind: gray, reference: ref.png}\nchecks:\n  - {id: r, kind: logic.rule, when: 'true'}\n"
	_, _, err := Recipe(fstest.MapFS{"a/recipe.yaml": {Data: []byte(text)}}, "a")
	var p recipe.Problems
	require.ErrorAs(t, err, &p)
	assert.Contains(t, err.Error(), "the file ref.png is not in the recipe's folder; put it there or name another")
	_, _, err = Recipe(fstest.MapFS{}, "a")
	assert.ErrorContains(t, err, "there is no recipe.yaml in a")
	_, _, err = RecipeDir(filepath.Join(t.TempDir(), "gone"))
	assert.ErrorContains(t, err, "cannot be read: no such file")
	file := filepath.Join(t.TempDir(), "x.txt")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	_, _, err = RecipeDir(file)
	assert.ErrorContains(t, err, "is a file; name the folder of a recipe")
}

func TestPicturesAreResolved(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"b.png", "a.JPG", "c.tiff", "notes.txt", "sub/d.bmp"} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o700))
		require.NoError(t, os.WriteFile(path, []byte("x"), 0o600))
	}
	at := func(names ...string) (out []string) {
		for _, n := range names {
			out = append(out, filepath.Join(dir, n))
		}
		return out
	}
	assert.Equal(t, at("a.JPG", "b.png", "c.tiff"), Pictures([]string{dir}), "the pictures of a folder, by name, not those below")
	assert.Equal(t, at("sub/d.bmp", "b.png"), Pictures(at("sub", "*.png")), "in the order given; globs too")
	assert.Equal(t, at("notes.txt"), Pictures(at("notes.txt")), "a file is taken as it is")
	assert.Equal(t, at("gone*.png"), Pictures(at("gone*.png")), "what leads nowhere stays, to be told")
	empty := filepath.Join(dir, "empty")
	require.NoError(t, os.Mkdir(empty, 0o700))
	assert.Equal(t, []string{empty}, Pictures([]string{empty}))
	_, err := Picture(empty, raster.DefaultDecodeLimits)
	assert.ErrorContains(t, err, "it is a folder")
	_, err = Picture(filepath.Join(dir, "b.png"), raster.DecodeLimits{Bytes: 0, Pixels: 1})
	assert.ErrorIs(t, err, raster.ErrTooLarge, "told before it is read")
}
