package workbench

import (
	"bytes"
	"context"
	"image/png"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/folder"
)

// ledger keeps releases in memory.
type ledger map[Key][]Release

func (l ledger) AddRelease(k Key, r Release) (Release, error) {
	r.ID = int64(len(l[k]) + 1)
	l[k] = append([]Release{r}, l[k]...)
	return r, nil
}

func (l ledger) Releases(k Key) ([]Release, error) { return l[k], nil }

var tape = Key{"masking-tape-50", "top"}

// shelf returns a book with the demo's masking tape.
func shelf(t *testing.T) (*Book, string, ledger) {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, DraftsDir, "masking-tape-50"), os.DirFS("../../demo/recipes/masking-tape-50")))
	records := ledger{}
	return reopened(t, dir, records), dir, records
}

func reopened(t *testing.T, dir string, records ledger) *Book {
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	b, warnings, err := Open(dir, records, func() time.Time { now = now.Add(time.Second); return now })
	require.NoError(t, err)
	require.Empty(t, warnings)
	return b
}

// with returns the draft's tree with one check's field changed.
func with(t *testing.T, d *Draft, id, field string, v any) map[string]any {
	tree, err := recipe.Tree([]byte(d.Text))
	require.NoError(t, err)
	for _, c := range tree["checks"].([]any) {
		if c := c.(map[string]any); c["id"] == id {
			c[field] = v
		}
	}
	return tree
}

func TestReleasedMeansFrozen(t *testing.T) {
	b, dir, records := shelf(t)
	first, ok, err := b.Current(tape)
	require.NoError(t, err)
	require.True(t, ok, "what an installation brings is released as it is")
	d, err := b.Draft(tape)
	require.NoError(t, err)
	assert.Equal(t, first.Revision, d.Revision)

	d, err = b.Save(tape, with(t, d, "rim", "height", 3), d.Tag, "Nora")
	require.NoError(t, err)
	assert.NotEqual(t, first.Revision, d.Revision)
	assert.Len(t, d.Kept, 1, "what was saved over is kept")
	now, _, _ := b.Current(tape)
	assert.Equal(t, first.Revision, now.Revision, "editing never touches what runs")

	_, err = b.Release(context.Background(), tape, Wish{Tag: d.Tag, Note: "n"})
	assert.ErrorContains(t, err, "nobody has signed")
	second, err := b.Release(context.Background(), tape, Wish{Tag: d.Tag, Who: "Nora", Note: "finer rim"})
	require.NoError(t, err)
	assert.Equal(t, d.Revision, second.Revision)
	assert.Zero(t, second.Wrong)

	changes, err := b.Diff(tape, first.Revision, second.Revision)
	require.NoError(t, err)
	require.Len(t, changes, 1)
	assert.Equal(t, "rim: height 4 → 3", changes[0].Text)

	// The revision is there after a restart, and known when somebody has touched its files.
	b = reopened(t, dir, records)
	now, _, _ = b.Current(tape)
	p, err := b.Plan(now.Revision)
	require.NoError(t, err)
	assert.Equal(t, second.Revision, p.Recipe.Revision)
	back, err := b.Restore(tape, first.Revision, "Nora", "back")
	require.NoError(t, err)
	assert.Equal(t, first.Revision, back.Revision)
	_, err = b.Restore(tape, "sha256:"+string(make([]byte, 64)), "Nora", "")
	assert.Error(t, err)
	_, err = b.Retire(tape, "Nora", "no longer packed")
	require.NoError(t, err)
	_, ok, _ = b.Current(tape)
	assert.False(t, ok)
	assert.Len(t, records[tape], 4, "nothing is forgotten")
	assert.ErrorContains(t, b.Delete(tape), "retire it instead")

	frozen, err := b.revisionDir(second.Revision)
	require.NoError(t, err)
	text, err := os.ReadFile(filepath.Join(frozen, recipe.FileName))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(frozen, recipe.FileName), append(text, "note: touched\n"...), 0o600))
	_, _, err = b.Revision(second.Revision)
	assert.ErrorContains(t, err, "have been changed on the disk")
}

func TestReleaseIsRefusedWhileASampleIsJudgedWrong(t *testing.T) {
	b, _, records := shelf(t)
	d, err := b.Draft(tape)
	require.NoError(t, err)
	d, err = b.Save(tape, with(t, d, "rim", "limits", map[string]any{"highest": map[string]any{"most": 50}}), d.Tag, "Nora")
	require.NoError(t, err)
	_, err = b.Release(context.Background(), tape, Wish{Tag: d.Tag, Who: "Nora"})
	var wrong *ErrWrong
	require.ErrorAs(t, err, &wrong)
	assert.Equal(t, &ErrWrong{4, 4, 14}, wrong, "two bumps and two notches would pass")
	assert.Len(t, records[tape], 1)
	r, err := b.Release(context.Background(), tape, Wish{Tag: d.Tag, Who: "Nora", Reason: "the customer takes them"})
	require.NoError(t, err)
	assert.Equal(t, 4, r.Wrong)
	assert.Equal(t, "the customer takes them", r.Reason)
}

func TestTwoPeopleDoNotOverwriteEachOther(t *testing.T) {
	b, _, _ := shelf(t)
	d, err := b.Draft(tape)
	require.NoError(t, err)
	_, err = b.Save(tape, with(t, d, "rim", "height", 3), d.Tag, "Nora")
	require.NoError(t, err)
	_, err = b.Save(tape, with(t, d, "rim", "height", 6), d.Tag, "Ugo/../x")
	var conflict *ErrConflict
	require.ErrorAs(t, err, &conflict)
	assert.Contains(t, conflict.Now.Text, "height: 3")
	text, err := b.Kept(tape, conflict.Kept)
	require.NoError(t, err)
	assert.Contains(t, string(text), "height: 6", "both are kept")
	_, err = b.Kept(tape, "../recipe.yaml")
	assert.ErrorIs(t, err, ErrNoPicture)
	_, err = b.Release(context.Background(), tape, Wish{Tag: d.Tag, Who: "Ugo"})
	assert.ErrorAs(t, err, &conflict, "nor is a draft released that somebody has changed since it was looked at")
}

func TestDraftsAreBegunCopiedAndVaried(t *testing.T) {
	b, dir, records := shelf(t)
	reference, err := b.Picture(tape, "reference.png")
	require.NoError(t, err)
	for _, name := range []string{"../site.yaml", "recipe.yaml", ".kept", "gone.png"} {
		_, err := b.Picture(tape, name)
		assert.ErrorIs(t, err, ErrNoPicture, name)
	}
	require.Error(t, b.PutPicture(tape, "../x.png", reference))
	require.Error(t, b.PutPicture(tape, "x.png", reference[:100]))
	require.NoError(t, b.PutPicture(tape, "other.png", reference))

	fresh := Key{"roll-9", "top"}
	d, err := b.Create(fresh, "DSC 1.PNG", reference)
	require.NoError(t, err)
	assert.Equal(t, []string{"reference.png"}, d.Pictures)
	assert.ErrorContains(t, d.Problems, "give at least 1", "no checks yet")
	_, err = b.Create(fresh, "a.png", reference)
	require.ErrorIs(t, err, ErrExists)
	_, err = b.Create(Key{"No Name", "top"}, "a.png", reference)
	require.ErrorContains(t, err, "is not a name")
	require.NoError(t, b.Delete(fresh))
	_, err = b.Draft(fresh)
	require.ErrorIs(t, err, ErrNoRecipe)

	d, err = b.Copy(tape, Key{"tape-19", "top"}, false)
	require.NoError(t, err)
	assert.Empty(t, d.Problems)
	s, err := b.Samples(d.Key)
	require.NoError(t, err)
	assert.Len(t, s.List, 14)
	v, err := b.Copy(tape, Key{"tape-25", "top"}, true)
	require.NoError(t, err)
	assert.Equal(t, "masking-tape-50", recipe.Base(v.Tree))
	assert.Empty(t, v.Problems)
	v.Tree["change"] = map[string]any{"rim/height": 3}
	v, err = b.Save(v.Key, v.Tree, v.Tag, "")
	require.NoError(t, err)
	assert.Contains(t, v.Text, "change:\n  rim/height: 3")
	vv, err := b.Copy(v.Key, Key{"tape-26", "top"}, true)
	require.NoError(t, err)
	assert.Equal(t, "masking-tape-50", recipe.Base(vv.Tree), "never a variant of a variant")

	b = reopened(t, dir, records)
	assert.Len(t, b.Keys(), 4)
	p, err := b.Ready(v.Key, nil)
	require.NoError(t, err)
	again, err := b.Ready(v.Key, nil)
	require.NoError(t, err)
	assert.Equal(t, p.Recipe.Revision, again.Recipe.Revision)
}

// How a draft stands is kept, but no longer than the files that it comes from stay as they
// are: its own, and those of a variant's base.
func TestADraftFollowsItsFiles(t *testing.T) {
	b, dir, _ := shelf(t)
	v := Key{"tape-30", "top"}
	_, err := b.Copy(tape, v, true)
	require.NoError(t, err)
	revision := func(k Key) string {
		d, err := b.Draft(k)
		require.NoError(t, err)
		again, err := b.Draft(k)
		require.NoError(t, err)
		assert.Equal(t, d, again)
		return d.Revision
	}
	own, varied := revision(tape), revision(v)
	other, err := filepath.Glob(filepath.Join(dir, DraftsDir, "masking-tape-50", "samples", "good-*.jpg"))
	require.NoError(t, err)
	pic, err := folder.Picture(other[0], raster.DefaultDecodeLimits)
	require.NoError(t, err)
	var file bytes.Buffer
	require.NoError(t, png.Encode(&file, pic.Image()))
	require.NoError(t, b.PutPicture(tape, "reference.png", file.Bytes()))
	assert.NotEqual(t, own, revision(tape), "another reference is another revision")
	assert.NotEqual(t, varied, revision(v), "of a variant too")

	own, varied = revision(tape), revision(v)
	d, err := b.Draft(tape)
	require.NoError(t, err)
	_, err = b.Save(tape, with(t, d, "rim", "height", 5.0), d.Tag, "Nora")
	require.NoError(t, err)
	assert.NotEqual(t, own, revision(tape))
	assert.NotEqual(t, varied, revision(v))

	path := filepath.Join(dir, DraftsDir, "masking-tape-50", "reference.png")
	require.NoError(t, os.Rename(path, path+".away"))
	d, err = b.Draft(v)
	require.NoError(t, err)
	assert.NotEmpty(t, d.Problems, "the base's picture is gone")
}
