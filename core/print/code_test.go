package print_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/print"
	"ricetta/core/raster"
	"ricetta/core/symbol"
	"ricetta/internal/drawn"
)

// label is a picture with an EAN-13 at the left and a GS1-128 below it, slightly turned.
func label(t *testing.T) raster.Picture {
	g := raster.NewGray(900, 500)
	for i := range g.Pix {
		g.Pix[i] = 200
	}
	put := func(c *drawn.Code, err error, x, y float64, p drawn.Print) {
		require.NoError(t, err)
		p.Quiet, p.Dark, p.Light, p.Height, p.Turn = 10, 40, 205, 70, 3
		drawn.PutCode(g, c, raster.Point{X: x, Y: y}, p)
	}
	c, err := drawn.EAN("4006381333931")
	put(c, err, 250, 130, drawn.Print{Module: 2.3})
	c, err = drawn.Code128(drawn.FNC1 + "0104006381333931" + "17271231" + "10L-4711")
	put(c, err, 430, 370, drawn.Print{Module: 2})
	return raster.Picture{Gray: g}
}

func judge(t *testing.T, pic raster.Picture, order check.Order, s print.CodeSettings) *check.Finding {
	if s.Region.Rect == nil {
		s.Region = raster.Rect(0, 0, 900, 500)
	}
	s.Most = max(s.Most, 1)
	require.NoError(t, s.Validate())
	taught, err := print.Code.Teach(&check.Teaching{}, &s)
	require.NoError(t, err)
	var in check.Input
	in.Reset(pic)
	in.Order = order
	f := new(check.Finding)
	f.Reset()
	taught.NewJudge().Judge(&in, f)
	return f
}

func TestCodesAreReadAndCompared(t *testing.T) {
	pic := label(t)
	f := judge(t, pic, nil, print.CodeSettings{Most: 5})
	assert.Equal(t, check.OK, f.Outcome)
	assert.Equal(t, "ean-13 4006381333931", string(f.Sentence))
	require.Len(t, f.Rows, 2)
	assert.Equal(t, "gs1-128", f.Rows[1][1].Text)
	assert.InDelta(t, 250, f.Rows[0][2].Number, 6)
	assert.InDelta(t, 3, f.Rows[0][4].Number, 1)
	gtin, _ := f.TextOf("gtin")
	assert.Equal(t, "04006381333931", gtin)

	// The one that is expected comes first; its parts are texts.
	order := check.Order{"lot": "L-4711", "gtin": "04006381333931"}
	s := print.CodeSettings{ExpectSettings: print.ExpectSettings{Expect: "01{gtin}1727123110{lot}"}}
	f = judge(t, pic, order, s)
	assert.Equal(t, check.OK, f.Outcome, string(f.Sentence))
	for name, want := range map[string]string{"symbology": "gs1-128", "gtin": "04006381333931", "expiry": "2027-12-31", "lot": "L-4711"} {
		got, _ := f.TextOf(name)
		assert.Equal(t, want, got, name)
	}
	order["lot"] = "L-4712"
	f = judge(t, pic, order, s)
	assert.Equal(t, check.Failed, f.Outcome)
	assert.Contains(t, string(f.Sentence), "L-4712 expected")
	f = judge(t, pic, nil, s)
	assert.Equal(t, check.Fault, f.Outcome, "without the order nobody can say")
	assert.Contains(t, string(f.Sentence), "the order says nothing of gtin")

	// A pattern, another region, other symbologies.
	for _, tc := range []struct {
		s       print.CodeSettings
		outcome check.Outcome
		say     string
	}{
		{print.CodeSettings{ExpectSettings: print.ExpectSettings{Pattern: `40\d{11}`}}, check.OK, "ean-13 4006381333931"},
		{print.CodeSettings{ExpectSettings: print.ExpectSettings{Pattern: `40`}}, check.Failed, "says 4006381333931, which is not as in 40"},
		{print.CodeSettings{Region: raster.Rect(0, 260, 900, 240)}, check.OK, "gs1-128 0104006381333931"},
		{print.CodeSettings{Region: raster.Rect(600, 20, 200, 200)}, check.Failed, "no code is read"},
		{print.CodeSettings{Symbologies: []symbol.Symbology{symbol.QR, symbol.ITF14}, ExpectSettings: print.ExpectSettings{Expect: "{{}"}}, check.Failed, "no code is read, {} expected"},
	} {
		f := judge(t, pic, nil, tc.s)
		assert.Equal(t, tc.outcome, f.Outcome, "%+v", tc.s)
		assert.Contains(t, string(f.Sentence), tc.say)
	}
}

func TestExpectationsThatCannotBeMeant(t *testing.T) {
	for say, e := range map[string]print.ExpectSettings{
		"pattern: error parsing regexp": {Pattern: "("},
		"a brace is not closed":         {Expect: "Lot {lot"},
		"or holds nothing":              {Expect: "Lot {}"},
	} {
		s := print.CodeSettings{Region: raster.Rect(0, 0, 9, 9), ExpectSettings: e}
		assert.ErrorContains(t, s.Validate(), say)
	}
}
