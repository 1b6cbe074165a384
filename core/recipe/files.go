package recipe

import (
	"fmt"
	"path"
	"reflect"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// NamedFile is a picture file that a document names, and the field that names it.
type NamedFile struct{ Name, Field string }

// Files lists the picture files that the document names, the reference first, each
// once.
func (d *Document) Files() []NamedFile {
	var out []NamedFile
	seen := map[string]bool{"": true}
	add := func(name, field string) {
		if !seen[name] {
			seen[name] = true
			out = append(out, NamedFile{name, field})
		}
	}
	add(d.Picture.Reference, "picture/reference")
	for i, c := range d.Checks {
		at := fmt.Sprintf("checks/%d", i)
		for _, s := range shapes(c.Settings) {
			add(s.Mask, at)
		}
		if f, ok := c.Settings.(check.Files); ok {
			for _, name := range f.Files() {
				add(name, at)
			}
		}
	}
	return out
}

// setMasks gives every mask of the document its pixels.
func setMasks(d *Document, files map[string][]byte) Problems {
	var out Problems
	for i, c := range d.Checks {
		for _, s := range shapes(c.Settings) {
			if s.Mask == "" {
				continue
			}
			pic, err := raster.Decode(files[s.Mask], path.Ext(s.Mask), raster.DefaultDecodeLimits)
			if err == nil {
				err = s.SetMask(pic.Luma(new(raster.Gray)))
			}
			if err != nil {
				out = append(out, Problem{Field: fmt.Sprintf("checks/%d", i), What: "mask " + s.Mask + ": " + err.Error(), Remedy: "paint it light on dark, as large as the reference picture"})
			}
		}
	}
	return out
}

var shapeType = reflect.TypeFor[raster.Shape]()

// shapes finds the shapes in a kind's settings, however deep.
func shapes(settings any) []*raster.Shape {
	var out []*raster.Shape
	var walk func(v reflect.Value)
	walk = func(v reflect.Value) {
		switch v.Kind() {
		case reflect.Pointer, reflect.Interface:
			if !v.IsNil() {
				walk(v.Elem())
			}
		case reflect.Slice:
			for i := range v.Len() {
				walk(v.Index(i))
			}
		case reflect.Struct:
			if v.Type() == shapeType {
				out = append(out, v.Addr().Interface().(*raster.Shape))
				return
			}
			for i := range v.NumField() {
				if f := v.Type().Field(i); f.IsExported() || f.Anonymous {
					walk(v.Field(i))
				}
			}
		}
	}
	walk(reflect.ValueOf(settings))
	return out
}
