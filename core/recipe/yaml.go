package recipe

import (
	"bytes"
	"fmt"
	"strconv"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

// Bounds on what a recipe.yaml may be. Depth bounds keep hostile nesting from
// exhausting the stack of a recursive parser.
const (
	mostBytes     = 256 << 10
	mostLineBytes = 8 << 10
	mostDepth     = 40
)

// tree is a YAML document as plain values (map[string]any, []any, string, bool,
// int64, float64, nil), with the line of every value by its JSON pointer.
type tree struct {
	value    any
	lines    map[string]int
	problems Problems
}

// readTree parses the text. Problems in the tree are those of syntax; the value is
// then not to be used.
func readTree(data []byte) *tree {
	t := &tree{lines: map[string]int{}}
	if p := tooWild(data); p != nil {
		t.problems = append(t.problems, *p)
		return t
	}
	file, err := parser.ParseBytes(data, 0)
	if err != nil {
		t.problems = append(t.problems, syntaxProblem(err))
		return t
	}
	if len(file.Docs) != 1 || file.Docs[0].Body == nil {
		t.problems = append(t.problems, Problem{What: fmt.Sprintf("the file holds %d documents", len(file.Docs)), Remedy: "write exactly one"})
		return t
	}
	t.value = t.convert(file.Docs[0].Body, "", 0)
	return t
}

func tooWild(data []byte) *Problem {
	if len(data) > mostBytes {
		return &Problem{What: fmt.Sprintf("the file has %d kB, %d at most", len(data)>>10, mostBytes>>10), Remedy: "recipes are short; is this the right file?"}
	}
	depth, line := 0, 1
	for l := range bytes.Lines(data) {
		if len(l) > mostLineBytes {
			return &Problem{Line: line, What: "the line is too long", Remedy: fmt.Sprintf("keep lines under %d bytes", mostLineBytes)}
		}
		dashes := 0
		for _, c := range l {
			switch c {
			case '[', '{':
				depth++
			case ']', '}':
				depth = max(0, depth-1)
			case '-', '?', ':':
				dashes++
			}
			if depth > mostDepth {
				return &Problem{Line: line, What: "brackets are nested too deeply", Remedy: "close them"}
			}
		}
		if dashes > 1000 {
			return &Problem{Line: line, What: "the line is not part of a recipe", Remedy: "take it out"}
		}
		line++
	}
	return nil
}

func syntaxProblem(err error) Problem {
	p := Problem{What: "not readable as YAML: " + err.Error(), Remedy: "mind indentation and quotes"}
	// The library's errors begin with [line:column].
	var line, col int
	if n, _ := fmt.Sscanf(err.Error(), "[%d:%d]", &line, &col); n == 2 {
		p.Line = line
		text := err.Error()
		if i := bytes.IndexByte([]byte(text), ']'); i >= 0 {
			text = text[i+1:]
		}
		if i := bytes.IndexByte([]byte(text), '\n'); i >= 0 {
			text = text[:i]
		}
		p.What = "not readable as YAML: " + string(bytes.TrimSpace([]byte(text)))
	}
	return p
}

func (t *tree) problem(n ast.Node, pointer, what, remedy string) {
	t.problems = append(t.problems, Problem{Line: lineOf(n), Field: fieldOf(pointer), What: what, Remedy: remedy})
}

func lineOf(n ast.Node) int {
	if tok := n.GetToken(); tok != nil && tok.Position != nil {
		return tok.Position.Line
	}
	return 0
}

func fieldOf(pointer string) string {
	if pointer == "" {
		return ""
	}
	return pointer[1:]
}

func (t *tree) convert(n ast.Node, pointer string, depth int) any {
	if _, seen := t.lines[pointer]; !seen {
		t.lines[pointer] = lineOf(n)
	}
	if depth > mostDepth {
		t.problem(n, "", "values are nested too deeply", "a recipe needs six levels at most")
		return nil
	}
	switch v := n.(type) {
	case *ast.MappingNode:
		out := make(map[string]any, len(v.Values))
		for _, kv := range v.Values {
			t.convertPair(kv, out, pointer, depth)
		}
		return out
	case *ast.MappingValueNode:
		out := map[string]any{}
		t.convertPair(v, out, pointer, depth)
		return out
	case *ast.SequenceNode:
		out := make([]any, 0, len(v.Values))
		for i, x := range v.Values {
			out = append(out, t.convert(x, pointer+"/"+strconv.Itoa(i), depth+1))
		}
		return out
	case *ast.StringNode:
		return v.Value
	case *ast.LiteralNode:
		return v.Value.Value
	case *ast.BoolNode:
		return v.Value
	case *ast.NullNode:
		return nil
	case *ast.FloatNode:
		return v.Value
	case *ast.IntegerNode:
		switch i := v.Value.(type) {
		case int64:
			return i
		case uint64:
			if i <= 1<<53 {
				return int64(i)
			}
		}
		t.problem(n, pointer, "the number is too large", "keep numbers below 2^53")
		return nil
	case *ast.AnchorNode, *ast.AliasNode, *ast.MergeKeyNode:
		t.problem(n, pointer, "anchors and aliases are not used in recipes", "write the value out")
		return nil
	}
	t.problem(n, pointer, fmt.Sprintf("a %s has no place in a recipe", n.Type()), "use plain numbers, texts, lists and fields")
	return nil
}

func (t *tree) convertPair(kv *ast.MappingValueNode, out map[string]any, pointer string, depth int) {
	if kv.Key == nil || kv.Value == nil {
		return
	}
	key, ok := kv.Key.(*ast.StringNode)
	if !ok {
		t.problem(kv.Key, pointer, fmt.Sprintf("%s is not the name of a field", kv.Key.String()), "field names are plain words")
		return
	}
	p := pointer + "/" + key.Value
	if _, twice := out[key.Value]; twice {
		t.problem(kv.Key, p, "the field is given twice", "keep one of them")
		return
	}
	t.lines[p] = lineOf(kv.Key)
	out[key.Value] = t.convert(kv.Value, p, depth+1)
}

// line returns the line of the value at pointer, or of the closest one round it.
func (t *tree) line(pointer string) int {
	for {
		if l, ok := t.lines[pointer]; ok {
			return l
		}
		i := bytes.LastIndexByte([]byte(pointer), '/')
		if i < 0 {
			return 0
		}
		pointer = pointer[:i]
	}
}
