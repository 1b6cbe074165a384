package recipe

import (
	"fmt"
	"math"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// Message composes one line of text of what is known of an item, in the Common Expression
// Language: station, line, product, route, reason, sentence, seq, order (a map of texts),
// readings and texts (maps by CHECK.NAME). text(x) writes a number as a person would.
type Message struct {
	source  string
	program cel.Program
}

// MessageVars are what a message may say.
type MessageVars struct {
	Station, Line, Product, Route, Reason, Sentence string
	Seq                                             int64
	Order                                           map[string]string
	Readings                                        map[string]float64
	Texts                                           map[string]string
}

// NewMessage compiles an expression that gives a text. It returns an error that says what is
// wrong where it does not.
func NewMessage(source string) (*Message, error) {
	text := cel.MapType(cel.StringType, cel.StringType)
	opts := []cel.EnvOption{
		cel.CrossTypeNumericComparisons(true),
		cel.Variable("seq", cel.IntType), cel.Variable("order", text), cel.Variable("texts", text),
		cel.Variable("readings", cel.MapType(cel.StringType, cel.DoubleType)),
		cel.Function("text",
			cel.Overload("text_double", []*cel.Type{cel.DoubleType}, cel.StringType, cel.UnaryBinding(func(v ref.Val) ref.Val {
				return types.String(plainNumber(float64(v.(types.Double))))
			})),
			cel.Overload("text_int", []*cel.Type{cel.IntType}, cel.StringType, cel.UnaryBinding(func(v ref.Val) ref.Val {
				return types.String(fmt.Sprint(int64(v.(types.Int))))
			}))),
	}
	for _, name := range []string{"station", "line", "product", "route", "reason", "sentence"} {
		opts = append(opts, cel.Variable(name, cel.StringType))
	}
	env, err := cel.NewEnv(opts...)
	if err != nil {
		return nil, fmt.Errorf("preparing the message: %w", err)
	}
	ast, issues := env.Compile(source)
	if err := issues.Err(); err != nil {
		return nil, fmt.Errorf("the message %q: %w", source, err)
	}
	if ast.OutputType() != cel.StringType {
		return nil, fmt.Errorf("the message %q gives a %s; write numbers as text(seq)", source, ast.OutputType())
	}
	program, err := env.Program(ast, cel.CostLimit(mostCost))
	if err != nil {
		return nil, fmt.Errorf("the message %q: %w", source, err)
	}
	return &Message{source, program}, nil
}

// plainNumber writes a number with no more than four decimals, and none that say nothing.
func plainNumber(v float64) string {
	if math.Abs(v) < 1e15 {
		v = math.Round(float64(v*1e4)) / 1e4
	}
	return fmt.Sprint(v)
}

// Line is the message about an item. What the item does not have, such as a reading of a check
// that was not judged, is an error.
func (m *Message) Line(v MessageVars) (string, error) {
	out, _, err := m.program.Eval(map[string]any{
		"station": v.Station, "line": v.Line, "product": v.Product, "route": v.Route, "reason": v.Reason, "sentence": v.Sentence,
		"seq": v.Seq, "order": filled(v.Order), "readings": filled(v.Readings), "texts": filled(v.Texts),
	})
	if err != nil {
		return "", fmt.Errorf("the message %q about item %d: %w", m.source, v.Seq, err)
	}
	return string(out.(types.String)), nil
}

func filled[V any](m map[string]V) map[string]V {
	if m == nil {
		return map[string]V{}
	}
	return m
}
