package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/trial"
)

// Samples are added, labeled and tried from the terminal; the exit status serves scripts.
func TestTrialFromTheTerminal(t *testing.T) {
	bin := binary(t)
	recipe := filepath.Join(t.TempDir(), "tape")
	require.NoError(t, os.CopyFS(recipe, os.DirFS("../../demo/recipes/masking-tape-50")))
	got := call(t, bin, "trial", "--recipe", recipe)
	assert.Equal(t, 0, got.status, got.err)
	assert.Contains(t, got.out, "14 samples: 14 of 14 labeled ones judged rightly")

	assert.Equal(t, 0, call(t, bin, "sample", "label", "--recipe", recipe, "bad: rim", "good-1.jpg").status)
	got = call(t, bin, "trial", "--recipe", recipe, "--json")
	assert.Equal(t, 1, got.status, "a sample is judged wrong")
	var report trial.ReportJSON
	require.NoError(t, json.Unmarshal([]byte(got.out), &report))
	assert.Equal(t, []int{14, 1, 1}, []int{report.Samples, report.Wrong, report.LetThrough})
	assert.Equal(t, "rim", report.Limits[0].Check, "the thinnest margin is that of the limit it breaks")
	assert.Negative(t, *report.Limits[0].Margin)

	// One broken picture in a batch is told, and the others are taken.
	batch := t.TempDir()
	whole, err := os.ReadFile("../../demo/pictures/masking-tape-50/good.jpg")
	require.NoError(t, err)
	require.NoError(t, os.MkdirAll(filepath.Join(batch, "good"), 0o750))
	require.NoError(t, os.WriteFile(filepath.Join(batch, "good", "whole.jpg"), whole, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(batch, "good", "cut.jpg"), whole[:5000], 0o600))
	got = call(t, bin, "sample", "add", "--recipe", recipe, batch)
	assert.Equal(t, 1, got.status)
	assert.Contains(t, got.err, "cut.jpg")
	assert.Contains(t, got.out, "1 sample added, 15 in all")
	assert.Contains(t, call(t, bin, "sample", "list", "--recipe", recipe).out, "whole.jpg")
	assert.Equal(t, 2, call(t, bin, "sample", "remove", "--recipe", recipe, "gone.jpg").status)
	assert.Equal(t, 0, call(t, bin, "sample", "remove", "--recipe", recipe, "whole.jpg", "good-1.jpg").status)
	assert.Equal(t, 0, call(t, bin, "trial", "--recipe", recipe).status)

	// Pictures say by folder and name what they are.
	got = call(t, bin, "trial", "--recipe", recipe, batch)
	assert.Equal(t, 1, got.status, "the cut one")
	assert.Contains(t, got.out, "2 samples: 1 of 2 labeled ones judged rightly; 1 could not be read")

	got = call(t, bin, "stress", "--recipe", recipe, "--json", filepath.Join(batch, "good", "whole.jpg"))
	assert.Equal(t, 0, got.status, got.err)
	var envelopes []trial.EnvelopeJSON
	require.NoError(t, json.Unmarshal([]byte(got.out), &envelopes))
	assert.Len(t, envelopes, len(trial.Disturbances))
}
