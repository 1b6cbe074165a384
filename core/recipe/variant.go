package recipe

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
)

// A variant is a recipe that takes everything from a base but what it changes:
//
//	ricetta: 1
//	product: pencil-tin-24
//	role: top
//	base: pencil-tin-12            # the product of the base recipe, of the same role
//	change:
//	  tips/limits/count: {least: 24, most: 24}
//	  picture/reference: reference-24.png
//
// What is changed is named by the check's id and the fields down to the value, or by
// note, picture/… or routes. A value replaces the base's whole; null takes it away.

// Base returns the product of the base that a tree names, "" for a recipe of its own.
func Base(tree map[string]any) string {
	s, _ := tree["base"].(string)
	return s
}

// IsVariant reports whether the text of a recipe.yaml is that of a variant, and of which
// product's recipe.
func IsVariant(text []byte) (base string, ok bool) {
	root, err := Tree(text)
	if err != nil {
		return "", false
	}
	_, ok = root["base"]
	return Base(root), ok
}

// Resolve puts a variant's changes on its base and returns the tree of the whole recipe,
// which names no base. The error is a Problems, with the lines of the variant.
func Resolve(variant []byte, base map[string]any) (map[string]any, error) {
	t := readTree(variant)
	root, ok := t.value.(object)
	if len(t.problems) > 0 || !ok {
		_, err := Tree(variant)
		return nil, err
	}
	out := cloned(base).(object)
	var problems Problems
	wrong := func(pointer, what, remedy string) {
		problems = append(problems, Problem{File: FileName, Line: t.line("/" + pointer), Field: pointer, What: what, Remedy: remedy})
	}
	for name, v := range root {
		switch name {
		case "ricetta", "product", "role", "note":
			out[name] = v
		case "base", "change":
		default:
			wrong(name, "a variant takes it from its base", "write it as a change, as in change: {"+name+"/…: value}")
		}
	}
	if role, _ := base["role"].(string); root["role"] != nil && root["role"] != role {
		wrong("role", "the base has another role", "a variant has the role of its base, "+role)
	}
	changes, isObject := root["change"].(object)
	if root["change"] != nil && !isObject {
		wrong("change", "it holds no fields", "write change: {CHECK/FIELD: value}")
	}
	for _, path := range ordered(changes, nil, nil) {
		if err := put(out, strings.Split(path, "/"), changes[path]); err != nil {
			what, remedy, _ := strings.Cut(err.Error(), "; ")
			wrong("change/"+path, what, remedy)
		}
	}
	if problems != nil {
		return nil, problems
	}
	return out, nil
}

// put replaces one value of a recipe's tree; nil takes it away.
func put(tree object, path []string, v any) error {
	at := tree
	switch first := path[0]; {
	case len(path) == 1 && (first == "routes" || first == "note"):
	case len(path) == 2 && first == "picture":
	case len(path) >= 2 && first != "picture" && first != "routes":
		c := findCheck(tree, first)
		if c == nil {
			remedy := "name a check of the base"
			if n := nearest(first, IDs(tree)); n != "" {
				remedy = "did you mean " + n + "?"
			}
			return fmt.Errorf("the base has no check %s; %s", first, remedy)
		}
		if path[1] == "id" || path[1] == "kind" {
			return errors.New("a variant has the checks of its base; change a setting or a limit of them")
		}
		at, path = c, path[1:]
	default:
		return errors.New("it names no value; write CHECK/FIELD, picture/FIELD, routes or note")
	}
	for _, name := range path[:len(path)-1] {
		next, ok := at[name].(object)
		if !ok {
			if at[name] != nil {
				return fmt.Errorf("%s has no fields; change it as a whole", name)
			}
			next = object{}
			at[name] = next
		}
		at = next
	}
	last := path[len(path)-1]
	if v == nil {
		delete(at, last)
		return nil
	}
	at[last] = cloned(v)
	return nil
}

// findCheck returns the check of that id in a tree, or nil.
func findCheck(tree object, id string) object {
	list, _ := tree["checks"].([]any)
	for _, x := range list {
		if c := asObject(x); c != nil && c["id"] == id {
			return c
		}
	}
	return nil
}

// IDs lists the ids of a tree's checks.
func IDs(tree map[string]any) []string {
	list, _ := tree["checks"].([]any)
	var out []string
	for _, x := range list {
		if id, ok := asObject(x)["id"].(string); ok {
			out = append(out, id)
		}
	}
	return out
}

// cloned returns a copy that shares nothing with v.
func cloned(v any) any {
	switch v := v.(type) {
	case object:
		out := make(object, len(v))
		for k, x := range v {
			out[k] = cloned(x)
		}
		return out
	case []any:
		out := make([]any, len(v))
		for i, x := range v {
			out[i] = cloned(x)
		}
		return out
	}
	return v
}

func asObject(v any) object {
	o, _ := v.(object)
	return o
}

// same compares plain values; 2 and 2.0 are the same.
func same(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && string(x) == string(y)
}
