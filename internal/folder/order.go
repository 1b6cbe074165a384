package folder

import (
	"fmt"
	"os"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"

	"ricetta/core/check"
)

// mostOrder bounds the file of an order.
const mostOrder = 64 << 10

// OrderText is an order as people write it in YAML: a lot 0047 is that text and no number, and
// a price 4.90 keeps its zero.
type OrderText check.Order

// UnmarshalYAML implements yaml.NodeUnmarshaler.
func (o *OrderText) UnmarshalYAML(n ast.Node) error {
	m, ok := n.(ast.MapNode)
	if !ok {
		return fmt.Errorf("an order is names and values, as in lot: L4711")
	}
	*o = OrderText{}
	for it := m.MapRange(); it.Next(); {
		name := it.Key().GetToken().Value
		switch v := it.Value().(type) {
		case *ast.StringNode:
			(*o)[name] = v.Value
		case *ast.LiteralNode:
			(*o)[name] = v.Value.Value
		case ast.ScalarNode:
			(*o)[name] = v.GetToken().Value
		default:
			return fmt.Errorf("%s is no single value; an order is names and values, as in lot: L4711", name)
		}
	}
	return nil
}

// Order reads what came with an order from a YAML or JSON file of names and values, as in
//
//	lot: L4711
//	expiry: 2027-12-31
func Order(file string) (check.Order, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, plain(err)
	}
	if len(data) > mostOrder {
		return nil, fmt.Errorf("%s is too large for an order; give names and values", file)
	}
	out := OrderText{}
	if err := yaml.Unmarshal(data, &out); err != nil {
		return nil, fmt.Errorf("%s: %s", file, yaml.FormatError(err, false, false))
	}
	return check.Order(out), nil
}
