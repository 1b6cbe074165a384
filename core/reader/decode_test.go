package reader

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// scoresOf makes the scores of steps at which some characters are so probable; what is left is
// nothing new.
func scoresOf(steps ...map[rune]float64) *chances {
	n := len(characters) + 1
	var scores []float32
	for _, s := range steps {
		row := make([]float32, n)
		for i := range row {
			row[i] = -40
		}
		rest := 1.0
		for r, p := range s {
			for i, c := range characters {
				if c == r {
					row[i+1] = float32(math.Log(p))
				}
			}
			rest -= p
		}
		row[0] = float32(math.Log(max(rest, 1e-17)))
		scores = append(scores, row...)
	}
	c := new(chances)
	c.of(scores, len(steps), n)
	return c
}

func read(c *chances, may allowed) (string, float64) {
	text, chance, ok := new(search).best(c, may, false)
	if !ok {
		return "", 0
	}
	return wordsOf(text), math.Exp(chance)
}

func TestTheSearchAddsUpAllWaysToReadAText(t *testing.T) {
	// Nothing is most probable at either step, and still less probable than one A (Hannun,
	// Sequence Modeling with CTC, 2017).
	c := scoresOf(map[rune]float64{'A': 0.4}, map[rune]float64{'A': 0.4})
	assert.Empty(t, c.greedy())
	text, chance := read(c, nil)
	assert.Equal(t, "A", text)
	assert.InDelta(t, 0.64, chance, 1e-4)
	a := []int16{int16(len("0123456789") + 2)}
	assert.InDelta(t, 0.64, math.Exp(c.probable(a)), 1e-4)
	assert.InDelta(t, 0.36, math.Exp(c.probable(nil)), 1e-4)

	// The same character twice needs something between.
	c = scoresOf(map[rune]float64{'7': 0.99}, map[rune]float64{'7': 0.99}, map[rune]float64{'7': 0.02}, map[rune]float64{'7': 0.99})
	text, _ = read(c, nil)
	assert.Equal(t, "77", text)
	spans := c.spans(c.greedy())
	require.Len(t, spans, 2)
	assert.Equal(t, [2]int{0, 2}, [2]int{spans[0].from, spans[0].to})
	assert.Equal(t, [2]int{3, 4}, [2]int{spans[1].from, spans[1].to})
	assert.InDelta(t, 0.99, math.Exp(spans[1].sure), 1e-3)
}

func TestARuleChoosesAmongWhatIsThere(t *testing.T) {
	c := scoresOf(map[rune]float64{'L': 0.98}, map[rune]float64{'O': 0.6, '0': 0.39}, nil, map[rune]float64{'7': 0.99}, map[rune]float64{' ': 0.97}, map[rune]float64{'1': 0.5, 'l': 0.49})
	text, _ := read(c, nil)
	assert.Equal(t, "LO7 1", text)
	rule := func(expression string, spaces bool) *Rule {
		r, err := NewRule(expression, spaces)
		require.NoError(t, err)
		return r
	}
	text, chance := read(c, rule(`L[0-9]{3}`, false))
	assert.Equal(t, "L07 1", text, "a space may stand anywhere")
	assert.Greater(t, chance, 0.1)
	text, _ = read(c, rule(`L[0-9]{3}`, true))
	assert.NotEqual(t, "L07 1", text, "a space counts")
	text, _ = read(c, rule(`(LO7|XYZ)l?`, false))
	assert.Equal(t, "LO7 l", text)
	_, chance = read(c, rule(`[A-F]+`, false))
	assert.Less(t, chance, 1e-6, "what is not there is not read")

	_, err := NewRule("(", false)
	assert.Error(t, err)
	_, err = NewRule("((x{100}){9}){9}", false)
	assert.Error(t, err)
}

// Characters told apart by their height alone are read as is usual; what is clear is told as it
// stands.
func TestWhatIsUsualIsReadWhereEitherMayBe(t *testing.T) {
	read := func(text string, other map[int]rune, chance float64) string {
		var steps []map[rune]float64
		for i, r := range text {
			s := map[rune]float64{r: 0.999}
			if o, ok := other[i]; ok {
				s = map[rune]float64{r: 0.999 - chance, o: chance}
			}
			steps = append(steps, s, map[rune]float64{})
		}
		var r Reader
		r.chances = *scoresOf(steps...)
		got, _ := r.plain()
		return wordsOf(got)
	}
	assert.Equal(t, "Rework", read("RewOrk", map[int]rune{3: 'o'}, 0.05))
	assert.Equal(t, "Orange", read("Oran9e", map[int]rune{4: 'g'}, 0.05))
	assert.Equal(t, "OPEN", read("OPeN", map[int]rune{2: 'E'}, 0.05))
	assert.Equal(t, "L4711b", read("L4711b", map[int]rune{5: '6'}, 0.2), "a small letter may follow a number")
	assert.Equal(t, "RewOrk", read("RewOrk", map[int]rune{3: 'o'}, 0.0001), "clearly read, however odd")
	assert.Equal(t, "kg0O", read("kg0O", nil, 0))
}
