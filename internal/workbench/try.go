package workbench

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"ricetta/core/check"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/core/trial"
	"ricetta/internal/folder"
)

// Ready makes a draft ready, or a tree that is not saved yet: that of a variant with base
// and change. The error is a Problems where it cannot be.
func (b *Book) Ready(k Key, tree map[string]any) (*inspect.Plan, error) {
	var text []byte
	if tree != nil {
		text = inspect.Reader.Write(tree)
	} else if d, err := b.Draft(k); err == nil {
		text = []byte(d.Text)
	} else {
		return nil, err
	}
	r, whole, err := b.read(k, text)
	if errors.Is(err, ErrNoRecipe) {
		return nil, err
	}
	if err != nil {
		return nil, problemsOf(err)
	}
	p, err := inspect.PrepareWith(b.cache, r)
	var t *inspect.TeachError
	if errors.As(err, &t) {
		return nil, recipe.Problems{{Field: fmt.Sprintf("checks/%d", placeOf(whole, t.ID)), What: t.Err.Error()}}
	}
	if err != nil {
		return nil, recipe.Problems{{What: err.Error()}}
	}
	return p, nil
}

// placeOf is the number of a check in a tree; a copy is where it was made from.
func placeOf(tree map[string]any, id string) int {
	ids := recipe.IDs(tree)
	if i := slices.Index(ids, id); i >= 0 {
		return i
	}
	if n := strings.LastIndexByte(id, '_'); n > 0 {
		return max(slices.Index(ids, id[:n]), 0)
	}
	return 0
}

// Trial runs a draft, or a tree that is not saved yet, over the recipe's samples.
func (b *Book) Trial(ctx context.Context, k Key, tree map[string]any, each func(done, of int)) (*trial.Report, error) {
	plan, err := b.Ready(k, tree)
	if err != nil {
		return nil, err
	}
	return b.trial(ctx, k, plan, each)
}

// Stress runs a draft, or a tree that is not saved yet, over its samples, more and more
// disturbed.
func (b *Book) Stress(ctx context.Context, k Key, tree map[string]any, each func(done, of int)) (out []trial.Envelope, used int, err error) {
	plan, err := b.Ready(k, tree)
	if err != nil {
		return nil, 0, err
	}
	err = b.inTurn(ctx, k, each, func(samples []trial.Sample, o trial.Options) error {
		out, used, err = trial.Stress(ctx, plan, samples, o)
		return err
	})
	return out, used, err
}

// AddSample makes a picture a sample. label is "" where folder and file name shall tell.
func (b *Book) AddSample(k Key, file string, data []byte, label string) (folder.Sample, error) {
	d, err := b.Draft(k)
	if err != nil {
		return folder.Sample{}, err
	}
	l, err := folder.LabelOf(file, label, recipe.IDs(d.Whole))
	if err != nil {
		return folder.Sample{}, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	s, err := folder.ReadSamples(b.path(k))
	if err != nil {
		return folder.Sample{}, err
	}
	name, err := s.Add(filepath.Base(filepath.ToSlash(file)), data, l)
	if err != nil {
		return folder.Sample{Picture: name}, err
	}
	if err := s.Save(); err != nil {
		return folder.Sample{}, err
	}
	return *s.Find(name), nil
}

// LabelSamples labels samples anew, all or none.
func (b *Book) LabelSamples(k Key, names []string, label string) (*folder.Samples, error) {
	l, err := trial.ParseLabel(label)
	if err != nil {
		return nil, recipe.Problems{{Field: "label", What: err.Error()}}
	}
	return b.changeSamples(k, func(s *folder.Samples) error { return s.Relabel(l, names...) })
}

// RemoveSamples removes samples with their pictures, all or none.
func (b *Book) RemoveSamples(k Key, names []string) (*folder.Samples, error) {
	return b.changeSamples(k, func(s *folder.Samples) error { return s.Remove(names...) })
}

// OrderOfSamples says what the samples were packed for: what is tried on them is compared with it.
func (b *Book) OrderOfSamples(k Key, o check.Order) (*folder.Samples, error) {
	return b.changeSamples(k, func(s *folder.Samples) error {
		s.Order = o
		return s.Save()
	})
}

func (b *Book) changeSamples(k Key, change func(s *folder.Samples) error) (*folder.Samples, error) {
	if _, err := b.folder(k); err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	s, err := folder.ReadSamples(b.path(k))
	if err != nil {
		return nil, err
	}
	if err := change(s); errors.Is(err, folder.ErrNoSample) {
		return nil, recipe.Problems{{Field: "samples", What: err.Error(), Remedy: "load the list anew"}}
	} else if err != nil {
		return nil, err
	}
	return s, nil
}

// SamplePicture returns the picture of a sample, decoded.
func (b *Book) SamplePicture(k Key, name string) (raster.Picture, error) {
	s, err := b.Samples(k)
	if err != nil {
		return raster.Picture{}, err
	}
	if s.Find(name) == nil {
		return raster.Picture{}, ErrNoPicture
	}
	return folder.Cached(s.Path(name), raster.DefaultDecodeLimits)
}
