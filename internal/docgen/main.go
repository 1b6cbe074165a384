// Command docgen writes docs/checks.md and its pictures from the kinds of checks there
// are: settings, readings and all.
package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"maps"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/demo"
	"ricetta/internal/figures"
	"ricetta/internal/folder"
	"ricetta/internal/plant"
)

func main() {
	dir := flag.String("dir", "docs", "folder of the documents")
	flag.Parse()
	if err := write(*dir); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func write(dir string) error {
	if err := os.WriteFile(filepath.Join(dir, "checks.md"), []byte(document()), 0o644); err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(sheets)) {
		sheet, err := sheet(sheets[name])
		if err != nil {
			return err
		}
		f, err := os.Create(filepath.Join(dir, "screenshots", name+".png"))
		if err != nil {
			return err
		}
		if err := png.Encode(f, sheet); err != nil {
			return err
		}
		if err := f.Close(); err != nil {
			return err
		}
	}
	return nil
}

// sheets are pictures with the examples of the kinds of some families each.
var sheets = map[string][]string{
	"checks-find":    {"locate"},
	"checks-look":    {"presence", "count", "color"},
	"checks-measure": {"measure", "print"},
}

// sheetOf names the sheet that a family is on, "" for none.
func sheetOf(family string) string {
	for name, families := range sheets {
		if slices.Contains(families, family) {
			return name
		}
	}
	return ""
}

func familyOf(k check.Kind) string {
	family, _, _ := strings.Cut(k.Name, ".")
	return family
}

// anchor is how a heading is linked to.
func anchor(title string) string {
	return strings.ReplaceAll(strings.Map(func(r rune) rune {
		if strings.ContainsRune(":,?", r) {
			return -1
		}
		return r
	}, strings.ToLower(title)), " ", "-")
}

// titles of the families.
var titles = map[string]string{
	"locate": "Locate: where is the item", "presence": "Presence: is it there, and does it look right", "count": "Count",
	"color": "Color", "measure": "Measure", "print": "Print", "logic": "Logic",
}

// property is what the schema says of a setting.
type property struct {
	Description      string              `json:"description"`
	Default          any                 `json:"default"`
	Minimum          *float64            `json:"minimum"`
	Maximum          *float64            `json:"maximum"`
	ExclusiveMinimum *float64            `json:"exclusiveMinimum"`
	Enum             []any               `json:"enum"`
	Ref              string              `json:"$ref"`
	Properties       map[string]property `json:"properties"`
	Items            *property           `json:"items"`
}

func document() string {
	var schema struct {
		Properties struct {
			Checks struct {
				Items struct {
					AllOf []struct {
						If struct {
							Properties struct {
								Kind struct {
									Const string `json:"const"`
								} `json:"kind"`
							} `json:"properties"`
						} `json:"if"`
						Then struct {
							Properties map[string]json.RawMessage `json:"properties"`
							Required   []string                   `json:"required"`
						} `json:"then"`
					} `json:"allOf"`
				} `json:"items"`
			} `json:"checks"`
		} `json:"properties"`
	}
	if err := json.Unmarshal(recipe.Schema(inspect.Kinds), &schema); err != nil {
		panic(err) // our own schema
	}
	var b strings.Builder
	b.WriteString(`# The kinds of checks

Made from the program's own types by ` + "`make generate`" + `. What every check has besides its own settings (` + "`id`, `on`, `limits`, `unit`, `outside`, `copies`, `measure_only`" + `)
is told in [recipe.md](recipe.md), as are regions. Lengths are pixels, angles degrees, positive clockwise, gray values 0 to 255.
In the pictures what was taught is amber, what was found green, what was left out red, and where was looked blue.
`)
	family := ""
	for i, k := range inspect.Kinds {
		if f := familyOf(k); f != family {
			family = f
			fmt.Fprintf(&b, "\n## %s\n", titles[f])
			if s := sheetOf(f); s != "" && sheets[s][0] == f {
				fmt.Fprintf(&b, "\n![%s](screenshots/%s.png)\n", titles[f], s)
			} else if s != "" {
				fmt.Fprintf(&b, "\nThe examples are on the picture [above](#%s).\n", anchor(titles[sheets[s][0]]))
			}
		}
		s := schema.Properties.Checks.Items.AllOf[i]
		if s.If.Properties.Kind.Const != k.Name {
			panic("docgen: the schema lists the kinds in another order")
		}
		fmt.Fprintf(&b, "\n### `%s`\n\n%s", k.Name, k.Doc)
		if k.Datum {
			b.WriteString(" A datum: other checks can ride on it.")
		}
		b.WriteString("\n")
		if h := hints[k.Name]; h != "" {
			fmt.Fprintf(&b, "\n%s\n", h)
		}
		if e, ok := examples[k.Name]; ok {
			fmt.Fprintf(&b, "\n```yaml\n- %s\n```\n", e.check)
		}
		b.WriteString("\n| setting | default | |\n|---|---|---|\n")
		for _, name := range ownSettings(k, s.Then.Properties) {
			var p property
			if err := json.Unmarshal(s.Then.Properties[name], &p); err != nil {
				panic(err)
			}
			writeSetting(&b, name, p, slices.Contains(s.Then.Required, name))
		}
		if len(k.Measures) > 0 {
			b.WriteString("\n| reading | unit | |\n|---|---|---|\n")
			for _, m := range k.Measures {
				fmt.Fprintf(&b, "| `%s` | %s | %s |\n", m.Name, m.Unit, m.Doc)
			}
		}
		if len(k.Texts) > 0 {
			b.WriteString("\n| text | |\n|---|---|\n")
			for _, t := range k.Texts {
				fmt.Fprintf(&b, "| `%s` | %s |\n", t.Name, t.Doc)
			}
		}
	}
	return b.String()
}

// ownSettings lists the settings of a kind in the order of their declaration.
func ownSettings(k check.Kind, properties map[string]json.RawMessage) []string {
	names := settingsOrder(k)
	return slices.DeleteFunc(names, func(n string) bool { return properties[n] == nil })
}

// mostEnum is how many values of a setting are listed.
const mostEnum = 14

func writeSetting(b *strings.Builder, name string, p property, required bool) {
	def := ""
	switch {
	case p.Default != nil:
		def = fmt.Sprintf("`%v`", p.Default)
	case required:
		def = "required"
	}
	text := p.Description
	if p.Items != nil && len(p.Enum) == 0 {
		p.Enum = p.Items.Enum
	}
	if len(p.Enum) > 0 && len(p.Enum) <= mostEnum {
		var words []string
		for _, e := range p.Enum {
			words = append(words, fmt.Sprintf("`%v`", e))
		}
		text += ": " + strings.Join(words, ", ")
	}
	switch least := p.Minimum; {
	case least != nil && p.Maximum != nil:
		text += fmt.Sprintf(" (%g to %g)", *least, *p.Maximum)
	case p.ExclusiveMinimum != nil && p.Maximum != nil:
		text += fmt.Sprintf(" (above %g, to %g)", *p.ExclusiveMinimum, *p.Maximum)
	}
	fmt.Fprintf(b, "| `%s` | %s | %s |\n", name, def, text)
	parts := p.Properties
	if p.Items != nil && p.Items.Ref == "" {
		parts = p.Items.Properties
	}
	for _, n := range sortedKeys(parts) {
		if n == "nominal" || n == "tolerance" || parts[n].Description == "The reading must be at least this" || parts[n].Description == "The reading must be at most this" {
			continue // limits as everywhere
		}
		writeSetting(b, name+"."+n, parts[n], false)
	}
}

func sortedKeys(m map[string]property) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// The size of a figure on a sheet.
const (
	tileW, tileH = 620, 400
	columns      = 2
)

// sheet draws the examples of a family, nil where there are none.
func sheet(families []string) (image.Image, error) {
	var tiles []image.Image
	for _, k := range inspect.Kinds {
		if e, ok := examples[k.Name]; ok && slices.Contains(families, familyOf(k)) {
			t, err := tile(k.Name, e)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", k.Name, err)
			}
			tiles = append(tiles, t)
		}
	}
	rows := (len(tiles) + columns - 1) / columns
	out := image.NewRGBA(image.Rect(0, 0, columns*(tileW+8)+8, rows*(tileH+8)+8))
	draw.Draw(out, out.Bounds(), image.White, image.Point{}, draw.Src)
	for i, t := range tiles {
		at := image.Pt(8+i%columns*(tileW+8), 8+i/columns*(tileH+8))
		draw.Draw(out, image.Rectangle{at, at.Add(image.Pt(tileW, tileH))}, t, image.Point{}, draw.Src)
	}
	return out, nil
}

func tile(kind string, e example) (image.Image, error) {
	ref, pic, files, err := scene(e.on)
	if err != nil {
		return nil, err
	}
	doc, err := inspect.Reader.Parse([]byte(fmt.Sprintf("ricetta: 1\nproduct: example\nrole: top\npicture: {kind: %s, reference: reference.png, mm_per_px: 0.25}\nchecks:\n  - %s\n", ref.Kind(), e.check)))
	if err != nil {
		return nil, err
	}
	r, err := recipe.New(doc, files)
	if err != nil {
		return nil, err
	}
	plan, err := inspect.Prepare(r)
	if err != nil {
		return nil, err
	}
	f := plan.NewRunner().Inspect(pic).Findings[0]
	if f.Outcome != check.OK && kind != "measure.rim" {
		return nil, fmt.Errorf("the example is %s: %s", f.Outcome, f.Sentence)
	}
	c := figures.New(pic, e.view[0], e.view[1], e.view[2], e.view[3], tileW, tileH)
	c.Marks(f.Marks)
	text := strings.NewReplacer("°", " deg", "Δ", "d").Replace(string(f.Sentence))
	c.Text(8, 18, kind+": "+text, color.White)
	return c.Image, nil
}

// scene returns the pictures of an example: what it is taught on and what it sees.
func scene(p picture) (ref, pic raster.Picture, files map[string][]byte, err error) {
	product := plant.Tins
	switch p {
	case aRoll:
		product = plant.Rolls
	case aStick:
		product = plant.Sticks
	}
	r, _, err := folder.Recipe(demo.Recipes, "recipes/"+product)
	if err != nil {
		return ref, pic, nil, err
	}
	if ref, err = raster.Decode(r.Files["reference.png"], ".png", raster.DefaultDecodeLimits); err != nil {
		return ref, pic, nil, err
	}
	pic = ref
	if p == aRoll {
		pic = plant.DrawOf(product, 21, 0, plant.Rates{plant.Bump: 1}).Picture()
	}
	return ref, pic, r.Files, nil
}

// settingsOrder lists the names of a kind's settings as they are declared.
func settingsOrder(k check.Kind) []string {
	var out []string
	var walk func(t reflect.Type)
	walk = func(t reflect.Type) {
		for i := range t.NumField() {
			f := t.Field(i)
			if f.Anonymous {
				walk(f.Type)
				continue
			}
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			out = append(out, name)
		}
	}
	walk(reflect.TypeOf(k.New()).Elem())
	return out
}
