package recipe

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"github.com/invopop/jsonschema"
	validator "github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Kinds are the kinds of checks that a recipe may use.
type Kinds []check.Kind

// Find returns the kind of that name.
func (k Kinds) Find(name string) (check.Kind, bool) {
	i := slices.IndexFunc(k, func(x check.Kind) bool { return x.Name == name })
	if i < 0 {
		return check.Kind{}, false
	}
	return k[i], true
}

// Names lists the kinds.
func (k Kinds) Names() []string {
	out := make([]string, len(k))
	for i, x := range k {
		out[i] = x.Name
	}
	return out
}

// IsLogic reports whether a kind judges findings and not the picture.
func IsLogic(kindName string) bool {
	return strings.HasPrefix(kindName, "logic.") || kindName == "print.agree"
}

// Patterns of the names in a recipe.
const (
	idPattern   = "^[a-z][a-z0-9_]{0,39}$"
	namePattern = "^[a-z0-9][a-z0-9._-]{0,63}$"
	filePattern = "^[A-Za-z0-9][A-Za-z0-9 ._-]{0,99}$"
)

type object = map[string]any

// reflectObject returns the JSON Schema of a Go struct as plain values.
func reflectObject(v any) object {
	r := jsonschema.Reflector{DoNotReference: true, Anonymous: true}
	s := r.Reflect(v)
	s.Version = ""
	data, err := json.Marshal(s)
	if err != nil {
		panic(err) // only types of the core
	}
	var out object
	if err := json.Unmarshal(data, &out); err != nil {
		panic(err)
	}
	return out
}

// Schema returns the JSON Schema (draft 2020-12) of recipe.yaml for the given kinds.
func Schema(kinds Kinds) []byte {
	region := reflectObject(raster.Region{})
	schema := shareRegions(schemaOf(kinds), region).(object)
	schema["$defs"] = object{"region": region}
	data, err := json.MarshalIndent(schema, "", "  ")
	if err != nil {
		panic(err)
	}
	return append(data, '\n')
}

func schemaOf(kinds Kinds) object {
	limits := reflectObject(check.Limits{})
	byKind := make([]any, 0, len(kinds))
	for _, k := range kinds {
		byKind = append(byKind, object{
			"if":   object{"properties": object{"kind": object{"const": k.Name}}, "required": []any{"kind"}},
			"then": checkSchema(k, limits),
		})
	}
	names := make([]any, len(kinds))
	for i, n := range kinds.Names() {
		names[i] = n
	}
	text := func(pattern, doc string) object {
		return object{"type": "string", "pattern": pattern, "description": doc}
	}
	return object{
		"$schema":              "https://json-schema.org/draft/2020-12/schema",
		"title":                "Ricetta recipe",
		"type":                 "object",
		"additionalProperties": false,
		"required":             []any{"ricetta", "product", "role", "picture", "checks"},
		"properties": object{
			"ricetta": object{"const": Version, "description": "Version of the format"},
			"product": text(namePattern, "Code of the product"),
			"role":    text(namePattern, "Role of the stations that run the recipe"),
			"note":    object{"type": "string", "maxLength": 2000, "description": "For people"},
			"picture": object{
				"type": "object", "additionalProperties": false, "required": []any{"kind"},
				"properties": object{
					"kind":      object{"enum": []any{string(raster.KindGray), string(raster.KindColor)}, "description": "What the camera delivers"},
					"reference": text(filePattern, "File of the picture that the recipe is taught on"),
					"mm_per_px": object{"type": "number", "exclusiveMinimum": 0, "maximum": 100, "description": "Scale of the reference"},
				},
			},
			"checks": object{
				"type": "array", "minItems": 1, "maxItems": 200,
				"items": object{
					"type": "object", "required": []any{"id", "kind"},
					"properties": object{
						"id":   text(idPattern, "Name of the check in rules and readings"),
						"kind": object{"enum": names, "description": "Kind of the check"},
					},
					"allOf": byKind,
				},
			},
			"routes": object{
				"type": "array", "maxItems": 50,
				"items": object{
					"type": "object", "additionalProperties": false, "required": []any{"to", "when"},
					"properties": object{
						"to":   text(namePattern, "Route to take: rework, reject or a named one"),
						"when": object{"type": "string", "maxLength": 1000, "description": "Rule over the findings (CEL)"},
					},
				},
			},
		},
	}
}

func checkSchema(k check.Kind, limits object) object {
	s := reflectObject(k.New())
	props, _ := s["properties"].(object)
	if props == nil {
		props = object{}
	}
	for _, name := range common {
		if _, taken := props[name]; taken {
			panic(fmt.Sprintf("recipe: kind %s has a setting %q, which every check has already", k.Name, name))
		}
	}
	props["id"], props["kind"] = true, true
	props["on"] = object{"type": "string", "pattern": idPattern, "description": "Id of the datum that the check rides on; fixed in the frame if absent"}
	props["off"] = object{"type": "boolean", "description": "Leave the check out, as if it were not there"}
	props["measure_only"] = object{"type": "boolean", "description": "Leave the check out of the item's verdict"}
	props["outside"] = object{
		"enum":        []any{string(check.OutsideFault), string(check.OutsideFail), string(check.OutsideJudge)},
		"description": "What becomes of the check where its region hangs out of the picture: a fault if absent, fail, or judge what can be seen",
	}
	if slices.ContainsFunc(k.Measures, func(m check.Measure) bool { return m.Unit == "px" }) {
		props["unit"] = object{
			"enum":        []any{"px", MM},
			"description": "Unit of the readings that are lengths, and of their limits: px if absent, or mm by the station's calibration or the recipe's scale",
		}
	}
	if !IsLogic(k.Name) {
		count := object{"type": "integer", "minimum": 1, "maximum": 100}
		props["copies"] = object{
			"type": "object", "additionalProperties": false, "required": []any{"step"},
			"properties": object{"columns": count, "rows": count, "step": object{
				"type": "array", "items": object{"type": "number"}, "minItems": 2, "maxItems": 2, "description": "Pixels from one column and from one row to the next",
			}},
			"description": "Put the check in a row or a grid: columns times rows copies, called id_1, id_2, … row by row",
		}
	}
	if len(k.Measures) > 0 {
		readings := object{}
		for _, m := range k.Measures {
			l := object{}
			for key, v := range limits {
				l[key] = v
			}
			l["description"] = m.Doc
			readings[m.Name] = l
		}
		props["limits"] = object{"type": "object", "additionalProperties": false, "properties": readings, "description": "Limits of the readings"}
	}
	out := object{"description": k.Doc, "type": "object", "properties": props, "additionalProperties": false}
	if s["required"] != nil {
		out["required"] = s["required"]
	}
	return out
}

// shareRegions puts the schema of a region, which most kinds have, in one place.
func shareRegions(v any, region object) any {
	switch v := v.(type) {
	case []any:
		for i := range v {
			v[i] = shareRegions(v[i], region)
		}
	case object:
		if reflect.DeepEqual(v["properties"], region["properties"]) {
			out := object{"$ref": "#/$defs/region"}
			if v["description"] != nil {
				out["description"] = v["description"]
			}
			return out
		}
		for k, x := range v {
			v[k] = shareRegions(x, region)
		}
	}
	return v
}

// compile makes a validator of the schema. It is done once for a set of kinds.
func compile(kinds Kinds) *validator.Schema {
	c := validator.NewCompiler()
	var doc any
	if err := json.Unmarshal(Schema(kinds), &doc); err != nil {
		panic(err)
	}
	if err := c.AddResource("recipe.json", doc); err != nil {
		panic(err)
	}
	s, err := c.Compile("recipe.json")
	if err != nil {
		panic(err)
	}
	return s
}

// schemaProblems returns what the schema finds wrong with the tree.
func schemaProblems(s *validator.Schema, t *tree) Problems {
	err := s.Validate(t.value)
	if err == nil {
		return nil
	}
	ve, ok := err.(*validator.ValidationError)
	if !ok {
		return Problems{{What: err.Error()}}
	}
	var out Problems
	var walk func(e *validator.ValidationError)
	walk = func(e *validator.ValidationError) {
		if len(e.Causes) > 0 {
			for _, c := range e.Causes {
				walk(c)
			}
			return
		}
		pointer := ""
		for _, part := range e.InstanceLocation {
			pointer += "/" + part
		}
		p := Problem{Line: t.line(pointer), Field: fieldOf(pointer)}
		if extra, ok := e.ErrorKind.(*kind.AdditionalProperties); ok {
			for _, name := range extra.Properties {
				p := Problem{Line: t.line(pointer + "/" + name), Field: fieldOf(pointer + "/" + name), What: "there is no such field here"}
				known := knownFields(s, e.SchemaURL)
				if n := nearest(name, known); n != "" {
					p.Remedy = "did you mean " + n + "?"
				} else {
					p.Remedy = "known are " + strings.Join(known, ", ")
				}
				out = append(out, p)
			}
			return
		}
		p.What, p.Remedy = describe(e.ErrorKind)
		out = append(out, p)
	}
	walk(ve)
	return out
}

// knownFields finds the properties of the schema that an error came from.
func knownFields(s *validator.Schema, url string) []string {
	var found []string
	seen := map[*validator.Schema]bool{}
	var walk func(s *validator.Schema)
	walk = func(s *validator.Schema) {
		if s == nil || seen[s] || found != nil {
			return
		}
		seen[s] = true
		if s.Ref != nil {
			walk(s.Ref)
		}
		if s.Location == url {
			for n := range s.Properties {
				found = append(found, n)
			}
			slices.Sort(found)
			return
		}
		for _, p := range s.Properties {
			walk(p)
		}
		for _, p := range s.AllOf {
			walk(p)
		}
		walk(s.Then)
		walk(s.Items2020)
	}
	walk(s)
	return found
}

func describe(k validator.ErrorKind) (what, remedy string) {
	switch e := k.(type) {
	case *kind.Required:
		return "missing: " + strings.Join(e.Missing, ", "), "add it"
	case *kind.Type:
		return fmt.Sprintf("is a %s", e.Got), "give a " + strings.Join(e.Want, " or ")
	case *kind.Enum:
		words := make([]string, len(e.Want))
		for i, w := range e.Want {
			words[i] = fmt.Sprint(w)
		}
		if got, ok := e.Got.(string); ok {
			if n := nearest(got, words); n != "" {
				return fmt.Sprintf("%s is not known", got), "did you mean " + n + "?"
			}
		}
		return fmt.Sprintf("%v is not known", e.Got), "use one of " + strings.Join(words, ", ")
	case *kind.Const:
		if e.Want == float64(Version) || fmt.Sprint(e.Want) == fmt.Sprint(Version) {
			return fmt.Sprintf("this is format version %v, and this program reads version %d", e.Got, Version), "install the Ricetta that wrote it, or save it as version 1 there"
		}
		return fmt.Sprintf("is %v", e.Got), fmt.Sprintf("write %v", e.Want)
	case *kind.Minimum:
		return "is too small", "give at least " + ratio(e.Want.Float64())
	case *kind.Maximum:
		return "is too large", "give at most " + ratio(e.Want.Float64())
	case *kind.ExclusiveMinimum:
		return "is too small", "give more than " + ratio(e.Want.Float64())
	case *kind.MinItems:
		return fmt.Sprintf("has %d entries", e.Got), fmt.Sprintf("give at least %d", e.Want)
	case *kind.MaxItems:
		return fmt.Sprintf("has %d entries", e.Got), fmt.Sprintf("give at most %d", e.Want)
	case *kind.Pattern:
		return fmt.Sprintf("%q is not a name", e.Got), "use small letters, digits and _ (file names: also . and -), beginning with a letter"
	case *kind.MaxLength:
		return "is too long", fmt.Sprintf("give at most %d characters", e.Want)
	}
	return fmt.Sprintf("does not fit (%v)", k.KeywordPath()), "see docs/recipe.md"
}

func ratio(v float64, _ bool) string { return string(check.AppendNumber(nil, v)) }
