package recipe

import (
	"encoding/json"
	"reflect"

	"ricetta/core/check"
)

// Form returns what a form for a kind's settings needs: the names of its settings in
// their order, their JSON Schema by name, and the defaults of those that have one.
func Form(k check.Kind) (fields []string, schema, defaults map[string]any) {
	settings := k.New()
	fields = fieldsOf(reflect.TypeOf(settings).Elem())
	schema = reflectObject(settings)
	data, err := json.Marshal(settings)
	if err == nil {
		err = json.Unmarshal(data, &defaults)
	}
	if err != nil {
		panic(err) // only types of the core
	}
	for name, v := range defaults {
		if v == nil || reflect.DeepEqual(v, object{}) {
			delete(defaults, name)
		}
	}
	return fields, schema, defaults
}
