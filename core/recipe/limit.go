package recipe

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Bounds are the words of limits.
var Bounds = []string{"least", "most", "nominal", "tolerance"}

// SetLimit sets one bound of a reading's limits in a tree, or takes it away where v is nil. whole is
// the recipe that the tree makes: the tree itself, or of a variant the tree with what it takes from
// its base. A copy's limits are those of the check that it was made from.
func SetLimit(tree, whole map[string]any, id, reading, bound string, v *float64) error {
	if !slices.Contains(Bounds, bound) {
		return fmt.Errorf("limits have no %q; choose from %s", bound, strings.Join(Bounds, ", "))
	}
	id, c := find(whole, id)
	if c == nil {
		return fmt.Errorf("the recipe has no check %s", id)
	}
	all, _ := c["limits"].(map[string]any)
	of, _ := all[reading].(map[string]any)
	of = maps.Clone(of)
	if of == nil {
		of = map[string]any{}
	}
	if v == nil {
		delete(of, bound)
	} else {
		of[bound] = *v
	}
	if Base(tree) != "" {
		change, _ := tree["change"].(map[string]any)
		if change == nil {
			change = map[string]any{}
			tree["change"] = change
		}
		path := id + "/limits"
		if own, ok := change[path].(map[string]any); ok {
			own[reading] = of
			return nil
		}
		path += "/" + reading
		maps.DeleteFunc(change, func(name string, _ any) bool { return strings.HasPrefix(name, path+"/") })
		change[path] = of
		return nil
	}
	_, own := find(tree, id)
	limits, _ := own["limits"].(map[string]any)
	if limits == nil {
		limits = map[string]any{}
		own["limits"] = limits
	}
	limits[reading] = of
	if len(of) == 0 {
		delete(limits, reading)
	}
	if len(limits) == 0 {
		delete(own, "limits")
	}
	return nil
}

// find returns a check of a tree by its id, or by that of a copy.
func find(tree map[string]any, id string) (string, map[string]any) {
	checks, _ := tree["checks"].([]any)
	for _, name := range []string{id, id[:max(strings.LastIndexByte(id, '_'), 0)]} {
		for _, c := range checks {
			c, _ := c.(map[string]any)
			if v, _ := c["id"].(string); v == name && name != "" {
				return name, c
			}
		}
	}
	return id, nil
}
