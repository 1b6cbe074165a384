package recipe

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Tree returns the text of a recipe.yaml as plain values: objects, lists, texts, numbers,
// truth values. The error is a Problems where it is not readable at all; what a schema
// would say against it is not looked at, so that unfinished drafts can be read.
func Tree(text []byte) (map[string]any, error) {
	t := readTree(text)
	root, ok := t.value.(object)
	if len(t.problems) == 0 && !ok {
		t.problems = Problems{{What: "there are no fields in the file", Remedy: "begin with ricetta: 1"}}
	}
	if len(t.problems) > 0 {
		for i := range t.problems {
			t.problems[i].File = FileName
		}
		return nil, t.problems
	}
	return root, nil
}

// Order of the fields that all recipes, pictures and checks have; those of a kind's
// settings follow in the order in which the kind declares them.
var (
	rootOrder    = []string{"ricetta", "product", "role", "base", "note", "picture", "checks", "routes", "change"}
	pictureOrder = []string{"kind", "reference", "mm_per_px"}
	checkOrder   = []string{"id", "kind", "off", "on", "measure_only", "outside", "unit"}
	lastOfCheck  = []string{"limits", "copies"}
)

// Write returns the text of a recipe.yaml for a tree, the same for equal trees: fields in
// their order, one check a paragraph, what belongs to a check on as few lines as can be
// read. Reading it gives the tree again.
func (r *Reader) Write(tree map[string]any) []byte {
	var b bytes.Buffer
	for _, name := range ordered(tree, rootOrder, nil) {
		switch v := tree[name].(type) {
		case []any:
			if name == "checks" && len(v) > 0 {
				b.WriteString("checks:\n")
				for i, c := range v {
					if i > 0 {
						b.WriteByte('\n')
					}
					r.writeCheck(&b, c)
				}
				b.WriteByte('\n')
				continue
			}
			if len(v) > 0 {
				fmt.Fprintf(&b, "%s:\n", name)
				for _, x := range v {
					fmt.Fprintf(&b, "  - %s\n", flow(x, []string{"to", "when"}))
				}
				continue
			}
			fmt.Fprintf(&b, "%s: []\n", name)
		case object:
			if name == "change" && len(v) > 0 {
				b.WriteString("change:\n")
				for _, k := range ordered(v, nil, nil) {
					fmt.Fprintf(&b, "  %s: %s\n", key(k), flow(v[k], nil))
				}
				continue
			}
			fmt.Fprintf(&b, "%s: %s\n", name, flow(v, pictureOrder))
		default:
			fmt.Fprintf(&b, "%s: %s\n", key(name), flow(v, nil))
		}
	}
	return b.Bytes()
}

func (r *Reader) writeCheck(b *bytes.Buffer, v any) {
	c, ok := v.(object)
	if !ok || len(c) == 0 {
		fmt.Fprintf(b, "  - %s\n", flow(v, nil))
		return
	}
	order := slices.Clone(checkOrder)
	kind, _ := c["kind"].(string)
	if k, ok := r.kinds.Find(kind); ok {
		order = append(order, fieldsOf(reflect.TypeOf(k.New()).Elem())...)
	}
	lead := "  - "
	for _, name := range ordered(c, order, lastOfCheck) {
		fmt.Fprintf(b, "%s%s: %s\n", lead, key(name), flow(c[name], nil))
		lead = "    "
	}
}

// fieldsOf lists the names of a struct's fields as JSON has them.
func fieldsOf(t reflect.Type) []string {
	var out []string
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case f.Anonymous && name == "" && f.Type.Kind() == reflect.Struct:
			out = append(out, fieldsOf(f.Type)...)
		case f.IsExported() && name != "" && name != "-":
			out = append(out, name)
		}
	}
	return out
}

// ordered lists the names in m: those of first in their order, then the others by the
// alphabet, then those of last.
func ordered(m object, first, last []string) []string {
	var out, rest, end []string
	for _, n := range first {
		if _, ok := m[n]; ok && !slices.Contains(last, n) {
			out = append(out, n)
		}
	}
	for n := range m {
		if !slices.Contains(first, n) && !slices.Contains(last, n) {
			rest = append(rest, n)
		}
	}
	slices.Sort(rest)
	for _, n := range last {
		if _, ok := m[n]; ok {
			end = append(end, n)
		}
	}
	return append(append(out, rest...), end...)
}

// flow writes a value on one line.
func flow(v any, order []string) string {
	switch v := v.(type) {
	case nil:
		return "null"
	case bool:
		return strconv.FormatBool(v)
	case string:
		return text(v)
	case int:
		return strconv.Itoa(v)
	case int64:
		return strconv.FormatInt(v, 10)
	case float64:
		return number(v)
	case json.Number:
		return v.String()
	case []any:
		parts := make([]string, len(v))
		for i, x := range v {
			parts[i] = flow(x, nil)
		}
		return "[" + strings.Join(parts, ", ") + "]"
	case object:
		var parts []string
		for _, n := range ordered(v, order, nil) {
			parts = append(parts, key(n)+": "+flow(v[n], nil))
		}
		return "{" + strings.Join(parts, ", ") + "}"
	}
	panic(fmt.Sprintf("recipe: a %T in a tree", v))
}

// number writes whole numbers as such, for they read the same.
func number(v float64) string {
	if v == math.Trunc(v) && math.Abs(v) < 1<<53 {
		return strconv.FormatInt(int64(v), 10)
	}
	return strconv.FormatFloat(v, 'g', -1, 64)
}

// plainText is a text that YAML takes for nothing else, also between brackets.
var plainText = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_./ -]*[A-Za-z0-9_.]$|^[A-Za-z]$`)

// words that YAML would take for something else than a text.
var taken = []string{"true", "false", "null", "yes", "no", "on", "off", "y", "n", "nan", "inf"}

func text(s string) string {
	if plainText.MatchString(s) && !slices.Contains(taken, strings.ToLower(s)) {
		return s
	}
	b, err := json.Marshal(s) // JSON's texts are YAML's
	if err != nil {
		panic(err)
	}
	var out bytes.Buffer
	_ = json.Compact(&out, b)
	return strings.NewReplacer(`\u003c`, "<", `\u003e`, ">", `\u0026`, "&").Replace(out.String())
}

// key writes the name of a field; on and off are fields of checks.
func key(s string) string {
	if s == "on" || s == "off" {
		return s
	}
	return text(s)
}
