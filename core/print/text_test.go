package print_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/print"
	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// printedOn prints lines below each other on a light ground.
func printedOn(face *drawn.Face, lines ...string) raster.Picture {
	g := raster.NewGray(460, 60+50*len(lines))
	for i := range g.Pix {
		g.Pix[i] = 205
	}
	rng := rand.New(rand.NewPCG(3, 3))
	for i, text := range lines {
		face.Letter(text, drawn.Lettering{Cap: 36}, rng).Put(g, drawn.Laid{At: raster.Point{X: 230, Y: 50 + 50*float64(i)}, Cap: 24, Tone: 40, Cover: 1}, rng)
	}
	return raster.Picture{Gray: g}
}

func TestTextIsReadAndCompared(t *testing.T) {
	face := drawn.Faces()[7]
	pic := printedOn(face, "LOT L4711", "EXP 31.05.27")
	region := raster.Rect(0, 0, 460, 160)
	second := raster.Rect(0, 76, 460, 60)
	order := check.Order{"lot": "L4711", "date": "2025-11-30"}
	for _, tc := range []struct {
		s       print.TextSettings
		outcome check.Outcome
		say     string
	}{
		{print.TextSettings{Region: region, Lines: 2}, check.OK, "LOT L4711\nEXP 31.05.27"},
		{print.TextSettings{Region: second}, check.OK, "EXP 31.05.27"},
		{print.TextSettings{Region: region, Lines: 2, ExpectSettings: print.ExpectSettings{Expect: "LOT{lot}\nEXP{date+18m+1d:dd.MM.yy}"}}, check.OK, "LOT L4711\nEXP 31.05.27"},
		{print.TextSettings{Region: second, ExpectSettings: print.ExpectSettings{Expect: "EXP {date+18m:dd.MM.yy}"}}, check.Failed, "reads EXP 31.05.27, EXP 30.05.27 expected"},
		{print.TextSettings{Region: second, Spaces: true, ExpectSettings: print.ExpectSettings{Expect: "EXP31.05.27"}}, check.Failed, "expected"},
		{print.TextSettings{Region: second, ExpectSettings: print.ExpectSettings{Pattern: `EXP \d\d\.\d\d\.\d\d`}}, check.OK, "EXP 31.05.27"},
		{print.TextSettings{Region: second, ExpectSettings: print.ExpectSettings{Pattern: `EXP \d+`}}, check.Failed, "which is not as in"},
		{print.TextSettings{Region: second, ExpectSettings: print.ExpectSettings{Expect: "{price}"}}, check.Fault, "the order says nothing of price"},
		{print.TextSettings{Region: second, ExpectSettings: print.ExpectSettings{Expect: "{lot:MM/yy}"}}, check.Fault, `"L4711" is no day as in 2027-03-31`},
		{print.TextSettings{Region: raster.Rect(0, 0, 60, 30), ExpectSettings: print.ExpectSettings{Expect: "X"}}, check.Failed, "no text is read, X expected"},
	} {
		tc.s.Turn, tc.s.Doubt = 10, 20
		require.NoError(t, tc.s.Validate())
		taught, err := print.Text.Teach(&check.Teaching{}, &tc.s)
		require.NoError(t, err)
		var in check.Input
		in.Reset(pic)
		in.Order = order
		f := new(check.Finding)
		f.Reset()
		taught.NewJudge().Judge(&in, f)
		assert.Equal(t, tc.outcome, f.Outcome, "%+v: %s", tc.s, f.Sentence)
		assert.Contains(t, string(f.Sentence), tc.say, "%+v", tc.s)
	}
}

// What is expected never makes a wrong print right, whatever the doubt: only characters that
// look alike are taken for each other.
func TestWhatIsExpectedDoesNotReadWhatIsNotThere(t *testing.T) {
	for _, tc := range [][2]string{{"L4711", "L4717"}, {"31.12.27", "31.12.21"}, {"12.2027", "12.2026"}, {"A8-3306", "A8-3308"}, {"EXP 05/27", "EXP 06/27"}, {"4.90", "4.9"}, {"LOT 11", "LOT 1"}, {"B52", "852"}} {
		for i, face := range drawn.Faces()[:9] {
			pic := printedOn(face, tc[0])
			s := print.TextSettings{Region: raster.Rect(0, 0, 460, 110), Turn: 5, Doubt: 20, ExpectSettings: print.ExpectSettings{Expect: tc[1]}}
			f := checktest.Judge(t, print.Text, &s, raster.Picture{}, pic, raster.Identity())
			assert.Equal(t, check.Failed, f.Outcome, "%s in font %d taken for %s", tc[0], i, tc[1])
		}
	}
}

func TestWrongCharactersAreMarked(t *testing.T) {
	pic := printedOn(drawn.Faces()[1], "L4711")
	s := print.TextSettings{Region: raster.Rect(0, 0, 460, 110), Turn: 5, Doubt: 20, ExpectSettings: print.ExpectSettings{Expect: "L4311"}}
	f := checktest.Judge(t, print.Text, &s, raster.Picture{}, pic, raster.Identity())
	require.Equal(t, check.Failed, f.Outcome)
	require.Len(t, f.Rows, 5)
	var left []string
	for _, m := range f.Marks {
		if m.Role == check.RoleLeftOut && m.Label != "" {
			left = append(left, m.Label)
		}
	}
	assert.Equal(t, []string{"7"}, left)
	assert.Greater(t, checktest.Value(t, f, "confidence"), 50.0)
	assert.InDelta(t, 24, checktest.Value(t, f, "height"), 5)
	assert.InDelta(t, 0, checktest.Value(t, f, "angle"), 1)
}
