// Package checktest runs one kind of check in its tests as the runner would.
package checktest

import (
	"testing"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Judge validates the settings (a pointer to the kind's own), teaches the kind on ref
// (without pixels where there is none), and returns what it finds in pic, riding on a
// datum found at on.
func Judge(t testing.TB, k check.Kind, settings any, ref, pic raster.Picture, on raster.Transform) *check.Finding {
	t.Helper()
	if v, ok := settings.(check.Validator); ok {
		if err := v.Validate(); err != nil {
			t.Fatalf("%s: %v", k.Name, err)
		}
	}
	teaching := check.Teaching{Picture: ref}
	if ref.Kind() != "" {
		teaching.Reference = ref.Luma(new(raster.Gray))
	}
	taught, err := k.Teach(&teaching, settings)
	if err != nil {
		t.Fatalf("%s cannot be taught: %v", k.Name, err)
	}
	var in check.Input
	in.Reset(pic)
	in.On = on
	f := new(check.Finding)
	f.Reset()
	taught.NewJudge().Judge(&in, f)
	return f
}

// Value returns a reading that must be there.
func Value(t testing.TB, f *check.Finding, name string) float64 {
	t.Helper()
	v, ok := f.Value(name)
	if !ok {
		t.Fatalf("there is no reading %s: %s", name, f.Sentence)
	}
	return v
}
