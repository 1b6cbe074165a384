package recipe_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/recipe"
)

func TestMessagesAreComposed(t *testing.T) {
	vars := recipe.MessageVars{
		Station: "line1-top", Line: "line1", Product: "pencil-tin-12", Route: "reject", Reason: "tips", Sentence: "tips: 11 spots", Seq: 42,
		Order: map[string]string{"lot": "L4711"}, Readings: map[string]float64{"tips.count": 11, "tin.x": 640.12345}, Texts: map[string]string{"code.text": "0104"},
	}
	for source, want := range map[string]string{
		`text(seq) + ";" + route + ";" + reason + ";" + order["lot"]`:                             "42;reject;tips;L4711",
		`text(readings["tips.count"]) + "|" + text(readings["tin.x"]) + "|" + texts["code.text"]`: "11|640.1235|0104",
		`route == "pass" ? "OK" : "NG " + sentence`:                                               "NG tips: 11 spots",
		`"lot" in order && !("expiry" in order) ? station + "/" + line : product`:                 "line1-top/line1",
	} {
		m, err := recipe.NewMessage(source)
		require.NoError(t, err, source)
		got, err := m.Line(vars)
		require.NoError(t, err, source)
		assert.Equal(t, want, got)
	}
	for source, say := range map[string]string{
		`seq`:         "gives a int; write numbers as text(seq)",
		`rout`:        "undeclared reference",
		`route + `:    "Syntax error",
		`route + seq`: "no matching overload",
	} {
		_, err := recipe.NewMessage(source)
		assert.ErrorContains(t, err, say)
	}
	m, err := recipe.NewMessage(`texts["date.text"]`)
	require.NoError(t, err)
	_, err = m.Line(vars)
	assert.ErrorContains(t, err, "about item 42")
	_, err = m.Line(recipe.MessageVars{})
	assert.Error(t, err)
}
