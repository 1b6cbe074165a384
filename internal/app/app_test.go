package app

import (
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/plant"
	"ricetta/internal/workbench"
)

func TestDemoKeepsWhatIsThere(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, InstallDemo(dir))
	s, err := LoadSite(dir)
	require.NoError(t, err)
	require.Len(t, s.Lines, 7)
	assert.Equal(t, plant.Lines()[1].Rates, s.Lines[1].Belt.Plant.Rates, "the configuration survives its own YAML")
	assert.Equal(t, plant.Lines()[1].Config(), s.Lines[1].Config)

	path := filepath.Join(dir, SiteFile)
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	mine := strings.Replace(string(text), "Cartoleria Fiordaliso", "Cartoleria Fiordaliso, hall 2", 1)
	require.NoError(t, os.WriteFile(path, []byte(mine), 0o600))
	require.NoError(t, InstallDemo(dir))
	s, err = LoadSite(dir)
	require.NoError(t, err)
	assert.Equal(t, "Cartoleria Fiordaliso, hall 2", s.Name)
}

func TestAConfigurationThatCannotBeMeantIsRefused(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, InstallDemo(dir))
	path := filepath.Join(dir, SiteFile)
	whole, err := os.ReadFile(path)
	require.NoError(t, err)
	for _, tc := range []struct{ old, new, say string }{
		{"every: 3000", "evry: 3000", "unknown field"},
		{"every: 3000", "every: 0", "give the distance between items"},
		{"id: line2-top", "id: line1-top", "two stations are called line1-top"},
		{"pulse: 1600", "pulse: 90000", "or it reaches the neighbors"},
		{"    plant:\n", "    plnt:\n", "unknown field"},
		{"- id: line2\n", "- id: line1\n", "two lines are called line1"},
		{"  line: line2\n", "  line: line9\n", "needs one source"},
		{"  line: line2\n", "  line: line2\n  every: 3000\n", "says what its line says under lines already"},
		{string(whole), "site: x\n", "there are no stations"},
	} {
		text := strings.Replace(string(whole), tc.old, tc.new, 1)
		require.NotEqual(t, string(whole), text, tc.old)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		_, err := LoadSite(dir)
		require.Error(t, err, tc.new)
		assert.Contains(t, err.Error(), tc.say)
		assert.Contains(t, err.Error(), SiteFile)
	}
}

func TestTheServiceAnswersOnThisMachineOnly(t *testing.T) {
	for _, listen := range []string{"0.0.0.0:8440", ":8440", "192.168.1.5:8440", "ricetta.example:80"} {
		_, err := New(Options{DataDir: t.TempDir(), Listen: listen, Log: slog.New(slog.DiscardHandler)})
		assert.ErrorContains(t, err, "there are no accounts yet", listen)
	}
	_, err := New(Options{Listen: "8440", Log: slog.New(slog.DiscardHandler)})
	assert.ErrorContains(t, err, "write it as in 127.0.0.1:8440")
}

// A recipe that cannot be used stops its own station, and nothing else; one that was
// released goes on whatever becomes of its draft.
func TestABrokenRecipeStopsItsOwnStationOnly(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, InstallDemo(dir))
	path := filepath.Join(dir, workbench.DraftsDir, plant.Tins, "recipe.yaml")
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	broken := []byte(strings.Replace(string(text), "turn: 180", "turn: 999", 1))
	open := func() map[string]string {
		a, err := New(Options{DataDir: dir, Listen: "127.0.0.1:0", Log: slog.New(slog.DiscardHandler)})
		require.NoError(t, err)
		defer a.Close()
		out := map[string]string{}
		for _, u := range a.units {
			out[u.Config().Product] = u.Stations()[0].State().Revision
		}
		return out
	}
	require.NoError(t, os.WriteFile(path, broken, 0o600))
	got := open()
	assert.Empty(t, got[plant.Tins])
	assert.NotEmpty(t, got[plant.Rolls])

	require.NoError(t, os.WriteFile(path, text, 0o600))
	good := open()
	assert.NotEmpty(t, good[plant.Tins])
	require.NoError(t, os.WriteFile(path, broken, 0o600))
	assert.Equal(t, good, open(), "what was released runs on")
}

// The demo recipes against the truth, on the first pieces of every line.
func TestTheDemoLetsNothingBadThrough(t *testing.T) {
	n := 0
	s, err := ScoreDemo(t.Context(), 40, func() { n++ })
	require.NoError(t, err)
	assert.GreaterOrEqual(t, s.Tins(), int64(200))
	assert.GreaterOrEqual(t, n, 200)
	assert.Zero(t, s.LetThrough(), "%v", s.Left)
	assert.Zero(t, s.FalseRejects(), "%v", s.Left)
	truth := TruthOf(s)
	require.Len(t, truth.Rows, len(plant.Defects))
	sum := int64(0)
	for _, r := range truth.Rows {
		for _, k := range r.Routes {
			sum += k
		}
	}
	assert.Equal(t, truth.Tins, sum)
}
