// Package ricetta_test holds the rules of the house: which package may import
// which, that each says what it is for, and that nothing in the core can round
// differently from one machine to another.
package ricetta_test

import (
	"fmt"
	"go/ast"
	"go/build"
	"go/importer"
	"go/parser"
	"go/token"
	"go/types"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// packages returns every folder of the module with Go files that are not tests.
func packages(t *testing.T) map[string]*build.Package {
	out := map[string]*build.Package{}
	require.NoError(t, filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !d.IsDir() {
			return err
		}
		if n := d.Name(); n == "node_modules" || n == "testdata" || n == "dist" || path != "." && strings.HasPrefix(n, ".") {
			return filepath.SkipDir
		}
		if p, err := build.ImportDir(path, 0); err == nil && len(p.GoFiles) > 0 {
			out[filepath.ToSlash(path)] = p
		}
		return nil
	}))
	require.NotEmpty(t, out)
	return out
}

// The house in one table: a folder (and all below it) may import from this module
// only what stands behind it. Imports point one way, down the table.
var mayImport = []struct{ folder, allowed string }{
	{"cmd/ricetta", "internal/cli"},
	{"internal/cli", "internal/store internal/statistics internal/backup internal/report internal/app internal/disk internal/workbench internal/client internal/api internal/figures internal/folder internal/plant internal/station core"},
	{"internal/app", "internal/report internal/statistics internal/backup internal/shift internal/catalog internal/outbox internal/alarm internal/remoteio internal/api internal/store internal/plant internal/line internal/links internal/station internal/workbench internal/folder internal/disk internal/console internal/source demo core"},
	{"internal/client", "internal/store internal/statistics internal/api internal/workbench internal/line internal/station core"},
	{"internal/links", "internal/outbox internal/alarm internal/line internal/station core"},
	{"internal/api", "internal/report internal/whatif internal/statistics internal/shift internal/catalog internal/outbox internal/alarm internal/line internal/links internal/station internal/store internal/workbench internal/folder internal/console core"},
	{"internal/console", "web"},
	{"web", ""},
	{"demo", ""},
	{"internal/statistics", "internal/store internal/alarm internal/line internal/shift core"},
	{"internal/whatif", "internal/store core"},
	{"internal/backup", ""},
	{"internal/store", "internal/shift internal/outbox internal/alarm internal/line internal/station internal/workbench internal/disk core"},
	{"internal/workbench", "internal/folder internal/disk core"},
	{"internal/remoteio", "internal/line internal/station core"},
	{"internal/source", "internal/line internal/station internal/folder core"},
	{"internal/plant", "internal/line internal/station internal/drawn core"},
	{"internal/folder", "internal/disk core"},
	{"internal/disk", ""},
	{"internal/alarm", ""},
	{"internal/outbox", ""},
	{"internal/shift", ""},
	{"internal/catalog", "core/check core/symbol"},
	{"internal/line", "internal/alarm internal/station core"},
	{"internal/station", "core"},
	{"internal/bench", "internal/statistics internal/whatif internal/drawn internal/plant internal/folder internal/store internal/line internal/station demo core"},
	{"internal/docgen", "internal/figures internal/plant internal/folder demo core"},
	{"internal/figures", "core"},
	{"internal/report", "internal/statistics internal/figures core"},
	{"internal/drawn", "core/raster"},
	{"internal/train", "internal/drawn core/reader core/raster"},
	{"core/trial", "core/inspect core/recipe core/check core/raster"},
	{"core/inspect", "core"},
	{"core/recipe", "core/check core/edge core/raster"},
	{"core/color", "core/check core/raster core/locate"},
	{"core/measure", "core/check core/raster core/edge core/locate"},
	{"core/count", "core/check core/raster core/edge core/locate"},
	{"core/presence", "core/check core/raster core/locate"},
	{"core/print", "core/check core/raster core/symbol core/reader"},
	{"core/reader", "core/raster"},
	{"core/locate", "core/check core/raster core/edge core/symbol"},
	{"core/edge", "core/check core/raster"},
	{"core/symbol", "core/raster"},
	{"core/spc", ""},
	{"core/check", "core/raster"},
	{"core/raster", ""},
}

// Libraries that only the named folders may know.
var onlyIn = map[string]string{
	"gorm.io/":                     "internal/store",
	"github.com/mattn/":            "internal/store",
	"github.com/go-gormigrate/":    "internal/store",
	"github.com/labstack/echo":     "internal/api internal/console",
	"github.com/swaggest/":         "internal/api",
	"github.com/urfave/cli":        "internal/cli",
	"cel.dev/":                     "core/recipe",
	"github.com/goccy/go-yaml":     "core/recipe internal/app internal/folder",
	"github.com/invopop/":          "core/recipe",
	"github.com/santhosh-tekuri/":  "core/recipe",
	"github.com/prometheus/":       "internal/api",
	"github.com/schollz/":          "internal/cli",
	"github.com/jedib0t/":          "internal/cli",
	"github.com/go-pdf/":           "internal/report",
	"github.com/xuri/":             "internal/report",
	"github.com/simonvetter/":      "internal/links/modbus internal/remoteio internal/plant/controller",
	"github.com/eclipse/":          "internal/links/mqtt",
	"github.com/stretchr/testify/": "",
}

// What the core may not touch: files, clocks, networks, chance, logs.
var notInCore = []string{"os", "net", "time", "log", "log/slog", "math/rand", "math/rand/v2", "sync/atomic", "io/fs", "path/filepath"}

func within(path, folders string) bool {
	for f := range strings.FieldsSeq(folders) {
		if path == f || strings.HasPrefix(path, f+"/") {
			return true
		}
	}
	return false
}

func TestImportsPointOneWay(t *testing.T) {
	for path, p := range packages(t) {
		allowed, known := "", false
		for _, r := range mayImport {
			if within(path, r.folder) {
				allowed, known = r.allowed+" "+r.folder, true
				break
			}
		}
		assert.True(t, known, "%s is not in the table: say what it may import", path)
		for _, imp := range p.Imports {
			if own, ok := strings.CutPrefix(imp, "ricetta/"); ok {
				assert.True(t, within(own, allowed), "%s imports %s; it may import only: %s", path, own, allowed)
				continue
			}
			for lib, where := range onlyIn {
				if strings.HasPrefix(imp, lib) {
					assert.True(t, within(path, where), "%s imports %s, which only %q may know", path, imp, where)
				}
			}
			if within(path, "core") && path != "core/raster" || within(path, "core") && imp != "os" {
				for _, no := range notInCore {
					assert.NotEqual(t, no, imp, "%s imports %s; the core has no files, clocks, chance or network", path, imp)
				}
			}
		}
	}
}

func TestEveryPackageSaysWhatItIsFor(t *testing.T) {
	for path, p := range packages(t) {
		n := 0
		for _, f := range p.GoFiles {
			file, err := parser.ParseFile(token.NewFileSet(), filepath.Join(path, f), nil, parser.ParseComments|parser.PackageClauseOnly)
			require.NoError(t, err)
			if file.Doc != nil {
				n++
			}
		}
		assert.Equal(t, 1, n, "%s: exactly one file carries the package comment", path)
	}
}

// A product that is summed may be fused with the sum on some machines and not on
// others, and then the last bit differs: even through an assignment, or an inlined
// function. An explicit conversion forbids it. So in the core every product of
// floats is converted, unless it goes straight into another product, a quotient or
// a comparison.
func TestNoProductInTheCoreCanBeFused(t *testing.T) {
	fset := token.NewFileSet()
	imports := importer.ForCompiler(fset, "source", nil)
	for path, p := range packages(t) {
		if !within(path, "core") {
			continue
		}
		var files []*ast.File
		for _, f := range p.GoFiles {
			file, err := parser.ParseFile(fset, filepath.Join(path, f), nil, 0)
			require.NoError(t, err)
			files = append(files, file)
		}
		info := &types.Info{Types: map[ast.Expr]types.TypeAndValue{}}
		conf := types.Config{Importer: imports, Error: func(error) {}}
		_, _ = conf.Check("ricetta/"+path, fset, files, info)
		for _, file := range files {
			for _, at := range fusible(file, info) {
				t.Errorf("%s: a product that could be fused; write float64(a*b)", fset.Position(at))
			}
		}
	}
}

func fusible(file *ast.File, info *types.Info) (out []token.Pos) {
	isFloat := func(e ast.Expr) bool {
		tv := info.Types[e]
		if tv.Type == nil || tv.Value != nil {
			return false // constants are exact
		}
		b, ok := tv.Type.Underlying().(*types.Basic)
		return ok && b.Info()&types.IsFloat != 0
	}
	var stack []ast.Node
	ast.Inspect(file, func(n ast.Node) bool {
		if n == nil {
			stack = stack[:len(stack)-1]
			return true
		}
		switch e := n.(type) {
		case *ast.BinaryExpr:
			if e.Op == token.MUL && isFloat(e) && !shielded(stack, info) {
				out = append(out, e.OpPos)
			}
		case *ast.AssignStmt:
			if e.Tok == token.MUL_ASSIGN && isFloat(e.Lhs[0]) {
				out = append(out, e.TokPos)
			}
		}
		stack = append(stack, n)
		return true
	})
	return out
}

// shielded reports whether what stands round a product keeps it from being fused.
func shielded(stack []ast.Node, info *types.Info) bool {
	for i := len(stack) - 1; i >= 0; i-- {
		switch p := stack[i].(type) {
		case *ast.ParenExpr:
			continue
		case *ast.CallExpr:
			return info.Types[p.Fun].IsType() // a conversion
		case *ast.BinaryExpr:
			switch p.Op {
			case token.MUL, token.QUO, token.LSS, token.GTR, token.LEQ, token.GEQ, token.EQL, token.NEQ:
				return true
			}
			return false
		default:
			return false
		}
	}
	return false
}

func TestFusibleFindsWhatItShould(t *testing.T) {
	src := `package p
func f(a, b, c float64, i int) float64 {
	x := a*b + c             // 1
	y := float64(a*b) + c
	a *= b                   // 2
	z := c - (a * b)         // 3
	w := a*b                 // 4
	if a*b > c || i*i > 3 { return float64(a*b*c) }
	return x + y + z + w + 2*3 + a*b/c
}`
	fset := token.NewFileSet()
	file, err := parser.ParseFile(fset, "p.go", src, 0)
	require.NoError(t, err)
	info := &types.Info{Types: map[ast.Expr]types.TypeAndValue{}}
	_, err = (&types.Config{}).Check("p", fset, []*ast.File{file}, info)
	require.NoError(t, err)
	var lines []string
	for _, at := range fusible(file, info) {
		lines = append(lines, fmt.Sprint(fset.Position(at).Line))
	}
	assert.Equal(t, "3 5 6 7", strings.Join(lines, " "))
}
