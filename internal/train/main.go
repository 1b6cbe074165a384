// Train draws the lines that the reader of core/reader is trained on: strips as the reader
// takes them from pictures, with what they say. train.py beside it trains the network.
package main

import (
	"bufio"
	"encoding/binary"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sort"
	"strings"

	"ricetta/core/raster"
	"ricetta/core/reader"
	"ricetta/internal/drawn"
)

func main() {
	fonts := flag.String("fonts", "/usr/share/fonts", "folder with the fonts")
	list := flag.String("list", "internal/train/fonts.txt", "which fonts: patterns of file names, one a line")
	out := flag.String("out", "", "file to write the strips to")
	n := flag.Int("n", 5000, "how many")
	seed := flag.Uint64("seed", 1, "of chance")
	easy := flag.Bool("easy", false, "short clean lines, to begin with")
	look := flag.Bool("look", false, "write PNG files instead, to look at")
	words := flag.String("words", "", "file of words, one a line; made up ones without it")
	flag.Parse()
	if err := run(*fonts, *list, *out, *words, *n, *seed, *easy, *look); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// family is the fonts of one design; each family is as likely as any other.
type family struct{ faces []*drawn.Face }

func load(folder, list string) (plain, dotted []family, err error) {
	data, err := os.ReadFile(list)
	if err != nil {
		return nil, nil, err
	}
	byName := map[string]string{}
	err = filepath.WalkDir(folder, func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() && (strings.HasSuffix(path, ".ttf") || strings.HasSuffix(path, ".otf")) {
			byName[d.Name()] = path
		}
		return err
	})
	if err != nil {
		return nil, nil, err
	}
	var names []string
	for n := range byName {
		names = append(names, n)
	}
	sort.Strings(names)
	for line := range strings.Lines(string(data)) {
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		kind, patterns, _ := strings.Cut(line, " ")
		var f family
		for _, n := range names {
			for pattern := range strings.FieldsSeq(patterns) {
				if ok, _ := filepath.Match(pattern, n); !ok {
					continue
				}
				data, err := os.ReadFile(byName[n])
				if err != nil {
					return nil, nil, err
				}
				face, err := drawn.ParseFace(n, data)
				if err != nil || !face.Has("0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz.,:/-") {
					fmt.Fprintln(os.Stderr, "left out:", n, err)
					continue
				}
				f.faces = append(f.faces, face)
			}
		}
		switch {
		case len(f.faces) == 0:
			fmt.Fprintln(os.Stderr, "no font for:", line)
		case kind == "dots":
			dotted = append(dotted, f)
		default:
			plain = append(plain, f)
		}
	}
	return plain, dotted, nil
}

func run(folder, list, out, wordFile string, n int, seed uint64, easy, look bool) error {
	plain, dotted, err := load(folder, list)
	if err != nil {
		return err
	}
	fmt.Fprintln(os.Stderr, len(plain), "families,", len(dotted), "of dots")
	rng := rand.New(rand.NewPCG(seed, 1))
	words, err := wordsOf(wordFile, rng)
	if err != nil {
		return err
	}
	var file *os.File
	var w *bufio.Writer
	if !look {
		if file, err = os.Create(out + ".part"); err != nil {
			return err
		}
		defer file.Close()
		w = bufio.NewWriterSize(file, 1<<20)
	}
	var strip reader.Strip
	for i := 0; i < n; {
		style := drawn.Styles[rng.IntN(len(drawn.Styles))]
		switch rng.IntN(8) {
		case 0:
			style = drawn.Solid
		case 1:
			style = drawn.InkJet
		}
		from := plain
		if style == drawn.DotMatrix || style == drawn.InkJet && rng.IntN(2) == 0 {
			from = dotted
		}
		f := from[rng.IntN(len(from))].faces
		p := drawn.LinePrint{
			Face: f[rng.IntN(len(f))], Style: style, Grade: rng.Float64() * 4.2, Turn: rng.NormFloat64() * 5,
			Company: rng.IntN(4) == 0, Text: drawn.Wording(rng, words, reader.Characters),
		}
		if easy {
			p.Grade, p.Company = rng.Float64(), false
			if r := []rune(p.Text); len(r) > 6 {
				p.Text = strings.TrimSpace(string(r[:6]))
			}
		}
		if p.Text == "" || !p.Face.Has(p.Text) {
			continue
		}
		made := drawn.PrintLine(p, rng)
		// Each picture is taken twice, as differently as a finder of lines might.
		for range 2 {
			strip.Take(made.Gray, aside(made.Lies, rng), made.Light)
			if strip.W > 640 {
				break
			}
			if look {
				if err := os.WriteFile(fmt.Sprintf("%s%03d.pgm", out, i), pgm(&strip, made.Gray), 0o600); err != nil {
					return err
				}
				fmt.Println(i, style, fmt.Sprintf("%.1f", p.Grade), p.Face.Name, p.Text)
				break
			}
			if err := write(w, &strip, p.Text); err != nil {
				return err
			}
			i++
		}
		if !look {
			continue
		}
		i++
	}
	if look {
		return nil
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return os.Rename(out+".part", out)
}

// aside is where a line lies as a finder of lines might see it: a little turned, off and of
// another height; every other time of nearly the right one, as once it has been measured.
func aside(l drawn.Lies, rng *rand.Rand) reader.Line {
	off := 0.5
	if rng.IntN(2) == 0 {
		off = 0.16
	}
	k := math.Exp((rng.Float64() - 0.5) * off)
	dx, dy := l.To.X-l.From.X, l.To.Y-l.From.Y
	n := max(math.Hypot(dx, dy), 1)
	ux, uy := dx/n, dy/n
	a, b := rng.NormFloat64()*0.07*l.Cap, rng.NormFloat64()*0.07*l.Cap
	shift := rng.NormFloat64() * 0.04 * l.Cap
	before, after := (rng.Float64()*0.8-0.2)*l.Cap, (rng.Float64()*0.8-0.2)*l.Cap
	return reader.Line{
		From:   raster.Point{X: l.From.X - ux*before - uy*(a+shift), Y: l.From.Y - uy*before + ux*(a+shift)},
		To:     raster.Point{X: l.To.X + ux*after - uy*(b+shift), Y: l.To.Y + uy*after + ux*(b+shift)},
		Height: l.Cap * k,
	}
}

// write appends a strip: its width and the length of its text, two bytes each, then the
// characters by number, one byte each, then the strip row by row.
func write(w *bufio.Writer, s *reader.Strip, text string) error {
	var label []byte
	for _, r := range text {
		at := strings.IndexRune(reader.Characters, r)
		label = append(label, byte(len([]rune(reader.Characters[:at]))+1))
	}
	var head [4]byte
	binary.LittleEndian.PutUint16(head[:], uint16(s.W))
	binary.LittleEndian.PutUint16(head[2:], uint16(len(label)))
	for _, b := range [][]byte{head[:], label, s.Pix} {
		if _, err := w.Write(b); err != nil {
			return err
		}
	}
	return nil
}

func pgm(s *reader.Strip, g *raster.Gray) []byte {
	w := max(s.W, g.W)
	out := fmt.Appendf(nil, "P5 %d %d 255\n", w, g.H+36)
	row := make([]byte, w)
	for y := range g.H {
		clear(row)
		copy(row, g.Row(y))
		out = append(out, row...)
	}
	for y := range 36 {
		clear(row)
		for x := range s.W {
			if y >= 4 {
				row[x] = s.Pix[(y-4)*s.W+x] * 2
			}
		}
		out = append(out, row...)
	}
	return out
}

// wordsOf reads words, or makes some up of syllables.
func wordsOf(file string, rng *rand.Rand) ([]string, error) {
	if file != "" {
		data, err := os.ReadFile(file)
		return strings.Fields(string(data)), err
	}
	var out []string
	pick := func(s string) string { f := strings.Fields(s); return f[rng.IntN(len(f))] }
	for range 20000 {
		var b strings.Builder
		for range 1 + rng.IntN(4) {
			b.WriteString(pick("b c d f g h j k l m n p qu r s t v w x y z bl br ch cl cr dr fl fr gl gr pl pr sc sh sk sl sm sn sp st str th tr tw wh"))
			b.WriteString(pick("a e i o u a e i o u ai ea ee ie oa oo ou ay"))
			if rng.IntN(2) == 0 {
				b.WriteString(pick("b ck d ff g k l ll m mp n nd ng nk nt p r rd rk rm rn rt s ss st t tch x"))
			}
		}
		out = append(out, b.String())
	}
	return out, nil
}
