package folder

import (
	"bytes"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/trial"
)

func init() { cacheDir = func() string { return "" } } // the user's is none of the tests' business

func pngOf(t testing.TB, tone uint8) []byte {
	g := raster.NewGray(20, 10)
	for i := range g.Pix {
		g.Pix[i] = tone
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, raster.Picture{Gray: g}.Image()))
	return b.Bytes()
}

func TestSamplesAreKeptWithTheRecipe(t *testing.T) {
	dir := t.TempDir()
	s, err := ReadSamples(dir)
	require.NoError(t, err)
	assert.Empty(t, s.List, "none yet")
	good, bad := trial.Label{Route: "pass"}, trial.Label{Route: "reject", Reason: "tips"}
	name, err := s.Add("a.png", pngOf(t, 10), good)
	require.NoError(t, err)
	assert.Equal(t, "a.png", name)
	name, err = s.Add("deep/a.PNG", pngOf(t, 20), bad)
	require.NoError(t, err)
	assert.Equal(t, "a-2.png", name, "its name is taken")
	name, err = s.Add("../../.hid den\\x:y.png", pngOf(t, 30), trial.Label{})
	require.NoError(t, err)
	assert.Equal(t, "hid-den-x-y.png", name, "never outside of its folder")
	name, err = s.Add("other.png", pngOf(t, 10), bad)
	require.ErrorIs(t, err, ErrThere)
	assert.Equal(t, "a.png", name)
	_, err = s.Add("b.png", pngOf(t, 10)[:30], good)
	require.Error(t, err, "what is no picture is no sample")
	require.NoError(t, s.Save())

	again, err := ReadSamples(dir)
	require.NoError(t, err)
	assert.Equal(t, []Sample{{"a.png", "good", ""}, {"a-2.png", "bad: tips", ""}, {"hid-den-x-y.png", "unlabeled", ""}}, again.List)
	_, err = again.Add("new.png", pngOf(t, 20), good)
	require.ErrorIs(t, err, ErrThere, "known by its bytes after a restart, too")
	require.NoError(t, again.Remove("a.png"))
	assert.NoFileExists(t, again.Path("a.png"))
	require.Error(t, again.Remove("a.png"))
	third, err := ReadSamples(dir)
	require.NoError(t, err)
	assert.Len(t, third.List, 2)

	for text, want := range map[string]string{
		"samples: [{picture: ../x.png, label: good}]":                                 "samples/0",
		"samples: [{picture: x.png, label: goodish one}]":                             "is no label",
		"samples: [{picture: x.png, label: good}, {picture: x.png, label: good}]":     "listed twice",
		"samples: [{picture: x.png, label: good, color: red}]":                        "color",
		"samples: [{picture: recipe.yaml, label: good}]":                              "not the name of a picture",
		"samples: [{picture: C:x.png, label: good}]":                                  "not the name of a picture",
		"samples: [{picture: .hidden.png, label: good}, {picture: y.png, label: ''}]": "not the name of a picture",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, SamplesDir, SamplesFile), []byte(text), 0o600))
		_, err := ReadSamples(dir)
		assert.ErrorContains(t, err, want, text)
	}
}

func TestGuessLabel(t *testing.T) {
	checks := []string{"tips", "tips_end", "cap"}
	for file, want := range map[string]string{
		"good/a.png": "good", "x/bad/tips/a.png": "bad: tips", "bad/a.png": "bad", "bad/other/a.png": "bad", "rework/1.jpg": "rework",
		"good-1.png": "good", "Bad_tips-3.png": "bad: tips", "bad-tips_end-3.png": "bad: tips_end", "bad 7.png": "bad", "rework2.png": "rework",
		"good/bad-tips-1.png": "good", "goods.png": "", "a.png": "", "badge/cap.png": "", "good": "",
	} {
		l, ok := GuessLabel(file, checks)
		assert.Equal(t, want != "", ok, file)
		if want != "" {
			assert.Equal(t, want, l.String(), file)
		}
	}
}

func TestCachedPicturesAreTheSame(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "cache"), 0o750))
	cacheDir = func() string { return filepath.Join(dir, "cache") }
	defer func() { cacheDir = func() string { return "" } }()
	file := filepath.Join(dir, "a.png")
	require.NoError(t, os.WriteFile(file, pngOf(t, 77), 0o600))
	want, err := Picture(file, raster.DefaultDecodeLimits)
	require.NoError(t, err)
	for range 2 {
		got, err := Cached(file, raster.DefaultDecodeLimits)
		require.NoError(t, err)
		assert.Equal(t, want.Gray.Pix, got.Gray.Pix)
	}
	kept, err := filepath.Glob(filepath.Join(dir, "cache", "*"))
	require.NoError(t, err)
	require.Len(t, kept, 1)
	require.NoError(t, os.Truncate(kept[0], 50))
	got, err := Cached(file, raster.DefaultDecodeLimits)
	require.NoError(t, err, "a cut file of the cache is made anew")
	assert.Equal(t, want.Gray.Pix, got.Gray.Pix)

	require.NoError(t, os.WriteFile(file, pngOf(t, 99), 0o600))
	got, err = Cached(file, raster.DefaultDecodeLimits)
	require.NoError(t, err)
	assert.Equal(t, uint8(99), got.Gray.Pix[0], "another content under the same name")
	_, err = Cached(filepath.Join(dir, "gone.png"), raster.DefaultDecodeLimits)
	require.Error(t, err)
	prune(filepath.Join(dir, "cache"), 300)
	kept, _ = filepath.Glob(filepath.Join(dir, "cache", "*"))
	assert.Len(t, kept, 1, "the one used longest ago goes")
}
