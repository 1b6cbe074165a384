package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A recipe is begun, varied, compared, packed and unpacked in folders, without a service.
func TestRecipeFoldersFromTheTerminal(t *testing.T) {
	bin := binary(t)
	dir := t.TempDir()
	in := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.CopyFS(in("masking-tape-50"), os.DirFS("../../demo/recipes/masking-tape-50")))

	got := call(t, bin, "recipe", "new", "--product", "roll", "--role", "top", "--reference", in("masking-tape-50/reference.png"), in("roll"))
	assert.Equal(t, 0, got.status, got.err)
	assert.FileExists(t, in("roll/reference.png"))
	got = call(t, bin, "recipe", "check", in("roll"))
	assert.Equal(t, 2, got.status)
	assert.Contains(t, got.err, "checks: has 0 entries; give at least 1", "what is missing is told")
	assert.Equal(t, 2, call(t, bin, "recipe", "new", "--product", "R O", "--role", "top", "--reference", in("masking-tape-50/reference.png"), in("other")).status)
	assert.NoDirExists(t, in("other"))

	got = call(t, bin, "recipe", "copy", "--product", "masking-tape-40", "--variant", in("masking-tape-50"), in("masking-tape-40"))
	assert.Equal(t, 0, got.status, got.err)
	text, err := os.ReadFile(in("masking-tape-40/recipe.yaml"))
	require.NoError(t, err)
	text = append(text[:len(text)-len("change: {}\n")], "change: {outer/limits/diameter: {least: 119, most: 121}}\n"...)
	require.NoError(t, os.WriteFile(in("masking-tape-40/recipe.yaml"), text, 0o600))
	got = call(t, bin, "recipe", "diff", in("masking-tape-50"), in("masking-tape-40"))
	assert.Equal(t, 1, got.status)
	assert.Contains(t, got.out, "limits of diameter: 119 to 121, before 150 ± 1")
	assert.Equal(t, 0, call(t, bin, "recipe", "check", in("masking-tape-40")).status)

	file := in("tape.ricetta")
	assert.Equal(t, 0, call(t, bin, "recipe", "export", in("masking-tape-50"), file).status)
	assert.Equal(t, 0, call(t, bin, "recipe", "import", file, in("back")).status)
	got = call(t, bin, "recipe", "diff", in("masking-tape-50"), in("back"))
	assert.Equal(t, 0, got.status)
	assert.Contains(t, got.out, "nothing differs")
	assert.Equal(t, 2, call(t, bin, "recipe", "import", in("roll/reference.png"), in("none")).status)
	assert.NoDirExists(t, in("none"))
}
