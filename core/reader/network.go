package reader

import (
	"bytes"
	_ "embed"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"sync"
)

//go:embed weights.bin
var embedded []byte

// network is the line reader: convolutions that bring a strip down to one row of steps, two
// columns each, blocks that look along the row, and the characters. scores. Weights are -127
// to 127, values 0 to 127, sums whole numbers. weights.md says how it was trained.
type network struct {
	convs  []layer // from the strip to the row
	blocks []block
	out    layer
}

// layer is a convolution ready for the kernel.
type layer struct {
	in, out     int // channels
	padded      int // out, up to a multiple of 16
	kh, kw      int
	down, aside int // steps between places
	over        int // rows of nothing above and below
	weights     []int8
	bias        []int32
	gain        []float32
	wasGain     float32
	fours       int // groups of four values in a run
}

// block looks along the row, channel by channel, and then mixes the channels; what came in is
// added to what it finds.
type block struct {
	wide, taps int
	weights    []int32 // tap by tap
	bias       []int32
	gain       []float32
	mix        layer
}

// network1 is the embedded network, read once.
var network1 = sync.OnceValue(func() *network {
	n, err := parseNetwork(embedded)
	if err != nil {
		panic("reader: the weights in the program are broken: " + err.Error())
	}
	return n
})

var errWeights = errors.New("not weights of this reader, or cut off")

// Steps of the convolutions, which the file of weights does not say.
var convSteps = []struct{ down, aside, over int }{{2, 1, 1}, {1, 2, 1}, {2, 1, 1}, {2, 1, 1}, {1, 1, 0}}

func parseNetwork(data []byte) (*network, error) {
	rest, ok := bytes.CutPrefix(data, []byte("RICETTA READER 1\n"))
	if !ok {
		return nil, errWeights
	}
	r := bytes.NewReader(rest)
	var head struct{ Convs, Blocks, Wide, Classes uint16 }
	if err := binary.Read(r, binary.LittleEndian, &head); err != nil {
		return nil, errWeights
	}
	if int(head.Convs) != len(convSteps) || int(head.Classes) != len(characters)+1 || head.Wide%16 != 0 {
		return nil, fmt.Errorf("%w: made for another network or other characters", errWeights)
	}
	n := &network{}
	for _, s := range convSteps {
		l, err := readLayer(r)
		if err != nil {
			return nil, err
		}
		conv := l.pack()
		conv.down, conv.aside, conv.over = s.down, s.aside, s.over
		n.convs = append(n.convs, conv)
	}
	for range head.Blocks {
		a, err := readLayer(r)
		if err != nil {
			return nil, err
		}
		m, err := readLayer(r)
		if err != nil {
			return nil, err
		}
		b := block{wide: a.out, taps: a.kw, bias: a.bias, gain: a.gain, mix: m.pack()}
		b.weights = make([]int32, a.kw*a.out)
		for o := range a.out {
			for t := range a.kw {
				b.weights[t*a.out+o] = int32(a.weights[o*a.kw+t])
			}
		}
		n.blocks = append(n.blocks, b)
	}
	l, err := readLayer(r)
	if err != nil {
		return nil, err
	}
	n.out = l.pack()
	if r.Len() != 0 {
		return nil, errWeights
	}
	return n, nil
}

// rawLayer is a layer as the file has it: weights by output channel, input channel, row, column.
type rawLayer struct {
	out, in, kh, kw int
	wasGain         float32
	weights         []int8
	bias            []int32
	gain            []float32
}

func readLayer(r *bytes.Reader) (rawLayer, error) {
	var h struct {
		Out, In, KH, KW uint16
		Was             float32
	}
	if err := binary.Read(r, binary.LittleEndian, &h); err != nil {
		return rawLayer{}, errWeights
	}
	l := rawLayer{out: int(h.Out), in: int(h.In), kh: int(h.KH), kw: int(h.KW), wasGain: h.Was}
	size := l.out * l.in * l.kh * l.kw
	if size == 0 || size+8*l.out > r.Len() {
		return rawLayer{}, errWeights
	}
	l.weights, l.bias, l.gain = make([]int8, size), make([]int32, l.out), make([]float32, l.out)
	for _, to := range []any{l.weights, l.bias, l.gain} {
		if err := binary.Read(r, binary.LittleEndian, to); err != nil {
			return rawLayer{}, errWeights
		}
	}
	for _, g := range l.gain {
		if math.IsNaN(float64(g)) || math.IsInf(float64(g), 0) {
			return rawLayer{}, errWeights
		}
	}
	return l, nil
}

// pack orders weights as the kernel takes them: by sixteen output channels, by row of the
// kernel, by four values of the run along it, by channel. Runs whose length is no multiple of
// four, which only the first layer has, are taken as one run over all rows.
func (l *rawLayer) pack() layer {
	p := layer{in: l.in, out: l.out, padded: (l.out + 15) &^ 15, kh: l.kh, kw: l.kw, wasGain: l.wasGain, down: 1, aside: 1}
	p.bias, p.gain = make([]int32, p.padded), make([]float32, p.padded)
	copy(p.bias, l.bias)
	copy(p.gain, l.gain)
	rows, run := l.kh, l.kw*l.in
	if run%4 != 0 {
		rows, run = 1, l.kh*l.kw*l.in
	}
	p.fours = (run + 3) / 4
	p.weights = make([]int8, p.padded*rows*p.fours*4)
	i := 0
	for o := 0; o < p.padded; o += 16 {
		for r := range rows {
			for f := range p.fours {
				for c := o; c < o+16; c++ {
					for k := 4 * f; k < 4*f+4; k++ {
						if c < l.out && k < run {
							p.weights[i] = l.at(c, r*run+k)
						}
						i++
					}
				}
			}
		}
	}
	return p
}

// at is the weight of an output channel for the k-th value of its window: row by row, place by
// place, channel by channel.
func (l *rawLayer) at(out, k int) int8 {
	channel, place := k%l.in, k/l.in
	return l.weights[(out*l.in+channel)*l.kh*l.kw+place]
}

// plane holds values of every place, channel by channel, within a border of nothing.
type plane struct {
	w, h, c int
	side    int // places of nothing left and right
	over    int // rows of nothing above and below
	pix     []uint8
}

func (p *plane) shape(w, h, c, side, over int) {
	p.w, p.h, p.c, p.side, p.over = w, h, c, side, over
	// The kernel takes four places at a time and may look past the last.
	n := (w+2*side)*(h+2*over)*c + 8*c + 64
	if cap(p.pix) < n {
		p.pix = make([]uint8, n)
	}
	p.pix = p.pix[:n]
	clear(p.pix)
}

func (p *plane) row() int { return (p.w + 2*p.side) * p.c }

// at is where the values of a place begin.
func (p *plane) at(x, y int) int { return (y+p.over)*p.row() + (x+p.side)*p.c }

// forward is the room that reading takes; it is used again from line to line.
type forward struct {
	planes [2]plane
	spare  plane
	patch  []uint8
	acc    []int32
	scores []float32 // of every step and class
	steps  int
}

// run reads a strip: scores of every class at every step of two columns.
func (f *forward) run(n *network, s *Strip) {
	first := &n.convs[0]
	f.first(first, s, &f.planes[0])
	from := 0
	for i := 1; i < len(n.convs); i++ {
		side := 1
		if i == len(n.convs)-1 && len(n.blocks) > 0 {
			side = n.blocks[0].taps / 2
		}
		f.conv(&n.convs[i], &f.planes[from], &f.planes[1-from], side)
		from = 1 - from
	}
	p, q := &f.planes[from], &f.planes[1-from]
	for i := range n.blocks {
		f.block(&n.blocks[i], p, q)
		p, q = q, p
	}
	f.last(&n.out, p)
}

// first takes the strip; its patches are laid out one after the other.
func (f *forward) first(l *layer, s *Strip, to *plane) {
	h := StripHeight / l.down
	to.shape(s.W, h, l.out, 1, 1)
	size := 4 * l.fours
	need := (s.W+4)*size + 64
	if cap(f.patch) < need {
		f.patch = make([]uint8, need)
	}
	f.patch = f.patch[:need]
	clear(f.patch)
	for y := range h {
		for x := range s.W {
			patch := f.patch[x*size : x*size+size]
			for j := range l.kh {
				sy := y*l.down + j - 1
				for i := range l.kw {
					v, sx := uint8(0), x+i-1
					if sy >= 0 && sy < StripHeight && sx >= 0 && sx < s.W {
						v = s.Pix[sy*s.W+sx]
					}
					patch[j*l.kw+i] = v
				}
			}
		}
		f.rowOf(l, f.patch, 0, size, 1, s.W)
		f.settle(l, to, y, nil)
	}
}

// rowOf sums a row of places into acc.
func (f *forward) rowOf(l *layer, in []uint8, rowStep, step, rows, places int) {
	need := (places + 3) &^ 3 * l.padded
	if cap(f.acc) < need {
		f.acc = make([]int32, need)
	}
	f.acc = f.acc[:need]
	group := rows * l.fours * 64
	for o := 0; o < l.padded; o += 16 {
		w := l.weights[o/16*group : (o/16+1)*group]
		for x := 0; x < places; x += 4 {
			convolve(f.acc[x*l.padded+o:], l.padded, in[x*step:], rowStep, step, rows, l.fours, w, l.bias[o:])
		}
	}
}

// settle makes values of the sums of a row.
func (f *forward) settle(l *layer, to *plane, y int, was *plane) {
	for x := range to.w {
		at := to.at(x, y)
		var w []uint8
		if was != nil {
			w = was.pix[was.at(x, y):]
		}
		squeeze(to.pix[at:at+l.out], f.acc[x*l.padded:], l.gain, w, l.wasGain)
	}
}

func (f *forward) conv(l *layer, from, to *plane, side int) {
	w := (from.w+2-l.kw)/l.aside + 1
	h := (from.h+2*l.over-l.kh)/l.down + 1
	to.shape(w, h, l.out, side, 1)
	for y := range h {
		in := from.pix[from.at(-1, y*l.down-l.over):]
		f.rowOf(l, in, from.row(), l.aside*l.in, l.kh, w)
		f.settle(l, to, y, nil)
	}
}

func (f *forward) block(b *block, from, to *plane) {
	reach := b.taps / 2
	f.spare.shape(from.w, 1, b.wide, reach, 1)
	if cap(f.acc) < b.wide {
		f.acc = make([]int32, b.wide)
	}
	acc := f.acc[:b.wide]
	for x := range from.w {
		along(acc, from.pix[from.at(x-reach, 0):], b.wide, b.taps, b.weights, b.bias)
		at := f.spare.at(x, 0)
		squeeze(f.spare.pix[at:at+b.wide], acc, b.gain, nil, 0)
	}
	to.shape(from.w, 1, b.wide, reach, 1)
	f.rowOf(&b.mix, f.spare.pix[f.spare.at(0, 0):], 0, b.wide, 1, from.w)
	f.settle(&b.mix, to, 0, from)
}

func (f *forward) last(l *layer, from *plane) {
	f.rowOf(l, from.pix[from.at(0, 0):], 0, l.in, 1, from.w)
	f.steps = from.w
	need := from.w * l.out
	if cap(f.scores) < need {
		f.scores = make([]float32, need)
	}
	f.scores = f.scores[:need]
	for x := range from.w {
		for c := range l.out {
			f.scores[x*l.out+c] = float32(float32(f.acc[x*l.padded+c]) * l.gain[c])
		}
	}
}
