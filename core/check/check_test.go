package check

import (
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
)

func ptr(v float64) *float64 { return &v }

func TestLimits(t *testing.T) {
	for want, l := range map[string]Limits{
		"12":           {Least: ptr(12), Most: ptr(12)},
		"3 to 5.5":     {Least: ptr(3), Most: ptr(5.5)},
		"at least 0.7": {Least: ptr(0.7)},
		"at most -2":   {Most: ptr(-2)},
		"9.5 to 10.5":  {Nominal: ptr(10), Tolerance: ptr(0.5)},
	} {
		require.NoError(t, l.Validate())
		assert.Equal(t, want, l.Bounds().String())
	}
	for want, l := range map[string]Limits{
		"give least, most, or nominal": {},
		"give both or neither":         {Nominal: ptr(3)},
		"keep one of the two forms":    {Nominal: ptr(3), Tolerance: ptr(1), Least: ptr(2)},
		"nothing could pass":           {Least: ptr(3), Most: ptr(2)},
	} {
		assert.ErrorContains(t, l.Validate(), want)
	}
	b := Limits{Least: ptr(1), Most: ptr(2)}.Bounds()
	assert.True(t, b.Contains(1) && b.Contains(2), "both ends are included")
	assert.False(t, b.Contains(math.Nextafter(2, 3)))
	assert.False(t, Open.Contains(math.NaN()), "what is not a number keeps no limit, not even none")
	assert.False(t, Open.Bounded())
}

func TestNumbersAreWrittenForReaders(t *testing.T) {
	for want, v := range map[string]float64{"0": -0.0001, "0.667": 2.0 / 3, "12": 11.9999, "812.3": 812.27, "14209": 14208.9, "-3.5": -3.5, "1200": 1200, "NaN": math.NaN(), "+Inf": math.Inf(1)} {
		assert.Equal(t, want, string(AppendNumber(nil, v)))
	}
}

func TestAFindingNobodyFilledInHasNotPassed(t *testing.T) {
	var f Finding
	assert.Equal(t, NotJudged, f.Outcome)
	var o Outcome
	require.NoError(t, o.UnmarshalText([]byte("splendid")))
	assert.Equal(t, Fault, o, "a word from a newer program is no pass")
	for _, want := range []Outcome{OK, Failed, NotJudged, Fault} {
		text, err := want.MarshalText()
		require.NoError(t, err)
		require.NoError(t, o.UnmarshalText(text))
		assert.Equal(t, want, o)
	}
}

// filled is a finding with something of everything, made twice in the same memory.
func filled(f *Finding, shift float64) {
	f.Reset()
	f.Check, f.Kind = "dots", "count.spots"
	f.Read("count", "", 3+shift)
	f.Readings[0].Limits = Band{1, math.Inf(1)}
	f.Read("mean", "", math.NaN())
	f.Texts = append(f.Texts, Text{"text", "LOT 7"})
	f.Columns = []Column{{Name: "area"}, {Name: "missed", Text: true}}
	row := f.AddRow(2)
	row[0].Number, row[1].Text = 12.34567+shift, "width"
	m := f.AddMark(Cross, RoleFound, "1")
	m.Turn = 30.004
	m.Points = append(m.Points, raster.Point{X: 1.234 + shift, Y: 2})
	f.MarkOutline(raster.Ring(5, 5, 1, 2), raster.Identity(), RoleRegion)
	f.Sentence = append(f.Sentence, "3 spots"...)
}

func TestACloneSharesNothing(t *testing.T) {
	var f Finding
	filled(&f, 0)
	before, err := json.Marshal(f.JSON())
	require.NoError(t, err)
	kept := f.Clone()
	form := f.JSON()
	filled(&f, 100)
	after, err := json.Marshal(kept.JSON())
	require.NoError(t, err)
	assert.JSONEq(t, string(before), string(after))
	again, err := json.Marshal(form)
	require.NoError(t, err)
	assert.JSONEq(t, string(before), string(again), "nor does the outside form")
}

func TestTheOutsideForm(t *testing.T) {
	var f Finding
	filled(&f, 0)
	j := f.JSON()
	assert.NotContains(t, j.Readings, "mean", "JSON has no word for what is not a number")
	assert.Equal(t, 1.0, *j.Readings["count"].Least)
	assert.Nil(t, j.Readings["count"].Most)
	assert.Equal(t, map[string]any{"area": 12.3457, "missed": "width"}, j.Rows[0])
	assert.Equal(t, [2]float64{1.23, 2}, j.Marks[0].Points[0])
	assert.Equal(t, 30.0, j.Marks[0].Turn)
	assert.Len(t, j.Marks, 3, "a ring has two outlines")
	data, err := f.MarshalJSON()
	require.NoError(t, err)
	assert.Contains(t, string(data), `"outcome":"ok"`)
}

func TestLevelsAreMadeOncePerPicture(t *testing.T) {
	g := raster.NewGray(64, 48)
	var in Input
	in.Reset(raster.Picture{Gray: g})
	assert.Equal(t, 16, in.Level(2).W)
	assert.Same(t, in.Level(2), in.Level(2))
	for i := range g.Pix {
		g.Pix[i] = 200
	}
	in.Reset(raster.Picture{Gray: g})
	assert.Equal(t, uint8(200), in.Level(2).Pix[0], "another picture, other levels")
}
