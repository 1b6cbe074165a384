package recipe

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"

	validator "github.com/santhosh-tekuri/jsonschema/v6"

	"ricetta/core/check"
)

// Reader reads recipes that use a given set of kinds. It may be used concurrently.
type Reader struct {
	kinds  Kinds
	schema func() *validator.Schema
}

// NewReader returns a reader of recipes with checks of these kinds.
func NewReader(kinds Kinds) *Reader {
	return &Reader{kinds, sync.OnceValue(func() *validator.Schema { return compile(kinds) })}
}

// Parse reads and validates the text of a recipe.yaml. A document comes back only
// when there are no problems; otherwise the error is a Problems, with every fault
// that could be told apart, in the order of the lines.
func (r *Reader) Parse(data []byte) (*Document, error) {
	t := readTree(data)
	problems := t.problems
	var doc *Document
	if len(problems) == 0 {
		problems = schemaProblems(r.schema(), t)
	}
	if len(problems) == 0 {
		doc, problems = r.build(t)
	}
	if len(problems) == 0 {
		return doc, nil
	}
	for i := range problems {
		problems[i].File = FileName
	}
	slices.SortStableFunc(problems, func(a, b Problem) int { return cmp.Compare(a.Line, b.Line) })
	return nil, slices.CompactFunc(problems, func(a, b Problem) bool { return a == b })
}

// build fills the types from a tree that fits the schema and checks what a schema
// cannot say.
func (r *Reader) build(t *tree) (*Document, Problems) {
	root := t.value.(object)
	var doc Document
	plain := object{}
	for k, v := range root {
		if k != "checks" {
			plain[k] = v
		}
	}
	if err := into(plain, &doc); err != nil {
		return nil, Problems{{What: err.Error()}}
	}
	b := &builder{reader: r, tree: t, doc: &doc}
	for i, c := range root["checks"].([]any) {
		if c := c.(object); c["off"] == true {
			id, _ := c["id"].(string)
			b.off = append(b.off, id)
		} else {
			b.check(i, c)
		}
	}
	b.riding()
	b.reference()
	if len(b.problems) == 0 {
		b.rules()
	}
	return &doc, b.problems
}

type builder struct {
	reader   *Reader
	tree     *tree
	doc      *Document
	off      []string // ids of checks that are left out
	source   []int    // by check of the document: its number in the text, which copies share
	problems Problems
}

func (b *builder) problem(pointer, what, remedy string) {
	b.problems = append(b.problems, Problem{Line: b.tree.line(pointer), Field: fieldOf(pointer), What: what, Remedy: remedy})
}

func (b *builder) check(i int, fields object) {
	at := fmt.Sprintf("/checks/%d", i)
	var c Check
	shared, own := object{}, object{}
	for k, v := range fields {
		if k == "copies" || k == "off" {
			continue
		}
		if slices.Contains(common, k) {
			shared[k] = v
		} else {
			own[k] = v
		}
	}
	if err := into(shared, &c); err != nil {
		b.problem(at, err.Error(), "")
		return
	}
	k, _ := b.reader.kinds.Find(c.Kind) // the schema knows it
	c.Settings = k.New()
	if err := into(own, c.Settings); err != nil {
		b.problem(at, err.Error(), "")
		return
	}
	if _, ok := fields["copies"]; ok {
		b.copies(i, c, k, own, fields)
		return
	}
	b.add(i, c)
}

// add checks what a schema cannot say of a check and adds it to the document; i is its
// number in the text.
func (b *builder) add(i int, c Check) {
	at := fmt.Sprintf("/checks/%d", i)
	if v, ok := c.Settings.(check.Validator); ok {
		if err := v.Validate(); err != nil {
			field, what, _ := strings.Cut(err.Error(), ": ")
			what, remedy, _ := strings.Cut(what, "; ")
			b.problem(at+"/"+field, what, remedy)
		}
	}
	for name, l := range c.Limits {
		if err := l.Validate(); err != nil {
			what, remedy, _ := strings.Cut(err.Error(), "; ")
			b.problem(at+"/limits/"+name, what, remedy)
		}
	}
	switch {
	case reserved[c.ID]:
		b.problem(at+"/id", c.ID+" has a meaning of its own in rules", "choose another id")
	case b.doc.Find(c.ID) != nil:
		b.problem(at+"/id", "another check is called "+c.ID+" already", "give each check its own id")
	}
	b.doc.Checks = append(b.doc.Checks, c)
	b.source = append(b.source, i)
}

// riding checks that datums exist, are datums, and do not ride in a circle.
func (b *builder) riding() {
	for i, c := range b.doc.Checks {
		if c.On == "" {
			continue
		}
		at := fmt.Sprintf("/checks/%d/on", b.source[i])
		d := b.doc.Find(c.On)
		if d == nil {
			what, remedy := "there is no check "+c.On, "name a check of this recipe"
			if n := nearest(c.On, b.doc.IDs()); n != "" {
				remedy = "did you mean " + n + "?"
			}
			if slices.Contains(b.off, c.On) {
				what, remedy = c.On+" is switched off", "switch it on, or let this check ride on another"
			}
			b.problem(at, what, remedy)
			continue
		}
		if k, _ := b.reader.kinds.Find(d.Kind); !k.Datum {
			b.problem(at, fmt.Sprintf("%s is a %s, which finds no place to ride on", c.On, d.Kind), "name a locate check")
		}
		for n, up := 0, d; up != nil && up.On != ""; n, up = n+1, b.doc.Find(up.On) {
			if up.On == c.ID || n > len(b.doc.Checks) {
				b.problem(at, "the datums ride on each other in a circle", "leave out one of the on fields")
				break
			}
		}
	}
}

func (b *builder) reference() {
	if b.doc.Picture.Reference != "" {
		return
	}
	for _, c := range b.doc.Checks {
		if k, _ := b.reader.kinds.Find(c.Kind); k.NeedsReference {
			b.problem("/picture", fmt.Sprintf("there is no reference picture, but %s is taught on one", c.ID), "name it: reference: FILE")
			return
		}
	}
}

func (b *builder) rules() {
	env, err := NewRules(b.doc, b.reader.kinds)
	if err != nil {
		b.problem("", err.Error(), "")
		return
	}
	compile := func(at, source string) {
		_, err := env.CompileBool(source)
		if err == nil {
			return
		}
		what, remedy, _ := strings.Cut(err.Error(), "; ")
		for _, id := range b.off {
			if regexp.MustCompile(`\b` + id + `\.`).MatchString(source) {
				what, remedy = "it asks for "+id+", which is switched off", "switch that on, or take it out of the rule"
			}
		}
		b.problem(at, what, remedy)
	}
	for i, route := range b.doc.Routes {
		at := fmt.Sprintf("/routes/%d", i)
		if route.To == Pass {
			b.problem(at+"/to", "a rule cannot send items to pass", "items pass when no check of the verdict fails; set measure_only on a check that should not decide")
		}
		compile(at+"/when", route.When)
	}
	for i, c := range b.doc.Checks {
		w, ok := c.Settings.(interface{ Expressions() map[string]string })
		if !ok {
			continue
		}
		for field, source := range w.Expressions() {
			compile(fmt.Sprintf("/checks/%d/%s", b.source[i], field), source)
		}
	}
}

// into fills a struct from plain values by way of JSON; unknown fields are errors.
func into(v object, dst any) error {
	data, err := json.Marshal(v)
	if err != nil {
		return err
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	return d.Decode(dst)
}
