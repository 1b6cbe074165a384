package print_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/print"
	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// inkOn prints one line with what has become of its ink, a little noisy, off its place.
func inkOn(face *drawn.Face, text string, seed uint64, worn func(k *drawn.Ink)) raster.Picture {
	g := raster.NewGray(360, 110)
	rng := rand.New(rand.NewPCG(seed, 5))
	for i := range g.Pix {
		g.Pix[i] = 205
	}
	k := face.Letter(text, drawn.Lettering{Cap: 44, Dot: 1.15, Scatter: 0.05}, rng)
	if worn != nil {
		worn(k)
	}
	k.Put(g, drawn.Laid{At: raster.Point{X: 176 + 6*rng.Float64(), Y: 53 + 4*rng.Float64()}, Cap: 28, Turn: rng.NormFloat64(), Tone: 45, Cover: 1}, rng)
	g.Blur(1)
	for i, v := range g.Pix {
		g.Pix[i] = uint8(min(max(float64(v)+rng.NormFloat64()*2, 0), 255))
	}
	return raster.Picture{Gray: g}
}

func TestPrintIsComparedWithTaughtCharacters(t *testing.T) {
	for _, face := range []*drawn.Face{drawn.Faces()[11], drawn.Faces()[1], drawn.DotFace()} {
		ref := inkOn(face, "31.12.27", 1, nil)
		digits := inkOn(face, "4567890", 2, nil)
		s := print.QualitySettings{
			Region: raster.Rect(0, 0, 360, 110), Text: "31.12.27", Taught: []print.Taught{{File: "digits.png", Text: "4567890"}},
			Expect: "{date:dd.MM.yy}", Turn: 10, Score: 70, Broken: 25, Smeared: 12,
		}
		require.NoError(t, s.Validate())
		teaching := check.Teaching{Picture: ref, Reference: ref.Gray, File: func(string) (raster.Picture, error) { return digits, nil }}
		taught, err := print.Quality.Teach(&teaching, &s)
		require.NoError(t, err, face.Name)
		assert.Empty(t, teaching.Warnings)
		j := taught.NewJudge()
		look := func(pic raster.Picture, date string) *check.Finding {
			var in check.Input
			in.Reset(pic)
			in.Order = check.Order{"date": date}
			f := new(check.Finding)
			f.Reset()
			j.Judge(&in, f)
			return f
		}
		states := func(f *check.Finding) (out []string) {
			for _, r := range f.Rows {
				out = append(out, r[1].Text)
			}
			return out
		}
		// Sound ones, also of characters taught elsewhere.
		for seed := range uint64(6) {
			f := look(inkOn(face, "31.12.27", 10+seed, nil), "2027-12-31")
			assert.Equal(t, check.OK, f.Outcome, "%s: %s %v", face.Name, f.Sentence, f.Rows)
			f = look(inkOn(face, "04.06.29", 20+seed, nil), "2029-06-04")
			assert.Equal(t, check.OK, f.Outcome, "%s: %s %v", face.Name, f.Sentence, f.Rows)
		}
		// One thing wrong each, at the fifth or sixth character.
		middle := func(k *drawn.Ink) (x0, x1, top, low float64) {
			return k.Chars[4][0], k.Chars[4][1], k.Base - k.Cap, k.Base
		}
		for want, worn := range map[string]func(k *drawn.Ink){
			"missing": func(k *drawn.Ink) {
				x0, x1, top, low := middle(k)
				k.Streak(raster.Point{X: x0 - 2, Y: (top + low) / 2}, raster.Point{X: x1, Y: (top + low) / 2}, (low-top)*1.3)
			},
			"broken": func(k *drawn.Ink) {
				x0, x1, top, low := middle(k)
				k.Streak(raster.Point{X: x0 - 2, Y: top + (low-top)*0.2}, raster.Point{X: x1, Y: top + (low-top)*0.2}, (low-top)*0.5)
			},
			"smeared": func(k *drawn.Ink) {
				x0, x1, top, low := middle(k)
				for y := int(top + (low-top)*0.1); y < int(low-(low-top)*0.1); y++ {
					for x := int(x0); x < int(x1); x++ {
						k.Pix[y*k.Stride+x] = max(k.Pix[y*k.Stride+x], 210)
					}
				}
			},
		} {
			f := look(inkOn(face, "31.12.27", 31, worn), "2027-12-31")
			assert.Equal(t, check.Failed, f.Outcome, "%s %s: %v", face.Name, want, f.Rows)
			if assert.Len(t, f.Rows, 8) && want != "broken" { // what half a character is depends on the character
				assert.Equal(t, want, states(f)[4], "%s %v", face.Name, f.Rows)
			}
			assert.Contains(t, string(f.Sentence), "character 5, 2, is ")
		}
		f := look(inkOn(face, "31.17.27", 40, nil), "2027-12-31")
		assert.Equal(t, check.Failed, f.Outcome)
		assert.Equal(t, "wrong", states(f)[4], "%s %v", face.Name, f.Rows)
		// Nothing there, nothing taught of it.
		blank := raster.NewGray(360, 110)
		for i := range blank.Pix {
			blank.Pix[i] = 205
		}
		assert.Equal(t, "there is no print, 31.12.27 expected", string(look(raster.Picture{Gray: blank}, "2027-12-31").Sentence))
		s.Expect = "{lot}"
		taught, err = print.Quality.Teach(&teaching, &s)
		require.NoError(t, err)
		var in check.Input
		in.Reset(ref)
		in.Order = check.Order{"lot": "AB1"}
		f = new(check.Finding)
		f.Reset()
		taught.NewJudge().Judge(&in, f)
		assert.Equal(t, check.Fault, f.Outcome)
		assert.Contains(t, string(f.Sentence), "how AB looks")
	}
}

func TestWhatCannotBeTaught(t *testing.T) {
	blank := raster.NewGray(200, 80)
	s := print.QualitySettings{Region: raster.Rect(0, 0, 200, 80), Text: "12"}
	_, err := print.Quality.Teach(&check.Teaching{Picture: raster.Picture{Gray: blank}, Reference: blank}, &s)
	assert.ErrorContains(t, err, "there is no line of print in it on the reference picture")
	s.Text = " "
	assert.ErrorContains(t, s.Validate(), "say what stands")
	pic := inkOn(drawn.Faces()[1], "4711", 3, nil)
	teaching := check.Teaching{Picture: pic, Reference: pic.Gray}
	s = print.QualitySettings{Region: raster.Rect(0, 0, 360, 110), Text: "4117", Turn: 5}
	_, err = print.Quality.Teach(&teaching, &s)
	if err == nil {
		require.NotEmpty(t, teaching.Warnings)
		assert.Contains(t, teaching.Warnings[0], "reads 4711, and not 4117")
	}
}

// Odd print: what is drawn as letters stands for digits, which no reader can know, and is read
// so where it was taught.
func TestTaughtCharactersAreRead(t *testing.T) {
	face := drawn.Faces()[6]
	sheet := inkOn(face, "GHJKLMN", 2, nil)
	s := print.TextSettings{Region: raster.Rect(0, 0, 360, 110), Turn: 10, Taught: []print.Taught{{File: "a.png", Text: "1234567"}}}
	teaching := check.Teaching{File: func(string) (raster.Picture, error) { return sheet, nil }}
	taught, err := print.Text.Teach(&teaching, &s)
	require.NoError(t, err)
	j := taught.NewJudge()
	for text, want := range map[string]string{"KLMGH": "45612", "NNJ HGK": "773 214", "MJLK": "6354", "HHHHG": "22221"} {
		var in check.Input
		in.Reset(inkOn(face, text, 9, nil))
		f := new(check.Finding)
		f.Reset()
		j.Judge(&in, f)
		got, _ := f.TextOf("text")
		assert.Equal(t, want, got, "%s", f.Sentence)
	}
	s.Taught[0].Text = "12345"
	_, err = print.Text.Teach(&teaching, &s)
	assert.ErrorContains(t, err, "its 5 characters cannot be told apart")
}
