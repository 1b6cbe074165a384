package recipe

import (
	"path"
	"reflect"

	"ricetta/core/check"
	"ricetta/core/edge"
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
	for _, c := range d.Checks {
		at := "check " + c.ID
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
	for _, c := range d.Checks {
		for _, s := range shapes(c.Settings) {
			if s.Mask == "" {
				continue
			}
			pic, err := raster.Decode(files[s.Mask], path.Ext(s.Mask), raster.DefaultDecodeLimits)
			if err == nil {
				err = s.SetMask(pic.Luma(new(raster.Gray)))
			}
			if err != nil {
				out = append(out, Problem{Field: "check " + c.ID, What: "mask " + s.Mask + ": " + err.Error(), Remedy: "paint it light on dark, as large as the reference picture"})
			}
		}
	}
	return out
}

// shapes finds the shapes in a kind's settings, however deep.
func shapes(settings any) []*raster.Shape {
	var out []*raster.Shape
	for _, v := range found(settings, reflect.TypeFor[raster.Shape]()) {
		out = append(out, v.Addr().Interface().(*raster.Shape))
	}
	return out
}

// found lists the values of a type in a kind's settings, however deep.
func found(settings any, of reflect.Type) []reflect.Value {
	var out []reflect.Value
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
			if v.Type() == of {
				out = append(out, v)
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

// Places lists the corners of all regions, the ends of all arrows and the centers of arcs in a kind's
// settings: where on the reference picture the check looks.
func Places(settings any) []raster.Point {
	var out []raster.Point
	for _, s := range shapes(settings) {
		out = s.Outline(raster.Identity(), out)
	}
	for _, l := range lines(settings) {
		for i := 0; i+1 < len(l); i += 2 {
			out = append(out, raster.Point{X: l[i], Y: l[i+1]})
		}
	}
	return out
}

// lines finds the arrows and the centers of arcs in a kind's settings: x, y, x, y, … that
// can be changed in place.
func lines(settings any) [][]float64 {
	var out [][]float64
	for _, v := range found(settings, reflect.TypeFor[edge.Settings]()) {
		out = append(out, v.Interface().(edge.Settings).Arrow)
	}
	own := reflect.ValueOf(settings).Elem()
	for name, numbers := range map[string]int{"Arrow": 4, "Arc": 2} {
		if f := own.FieldByName(name); f.IsValid() && f.Len() >= numbers {
			out = append(out, f.Interface().([]float64)[:numbers])
		}
	}
	return out
}
