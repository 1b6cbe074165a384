package symbol

// grid is the modules of a matrix code as they were read, row by row.
type grid struct {
	w, h int
	dark []bool
}

func (g *grid) at(x, y int) bool { return g.dark[y*g.w+x] }

func (g *grid) set(x, y int, dark bool) { g.dark[y*g.w+x] = dark }

func newGrid(w, h int) *grid { return &grid{w, h, make([]bool, w*h)} }

// transposed exchanges rows and columns: what a mirrored code is read as.
func (g *grid) transposed() *grid {
	out := newGrid(g.h, g.w)
	for y := range g.h {
		for x := range g.w {
			out.set(y, x, g.at(x, y))
		}
	}
	return out
}

// message is what a matrix code says.
type message struct {
	text      string
	gs1       bool
	corrected int
	mirrored  bool
	blocks    []bundle
}

// bundle is codewords that are corrected together.
type bundle struct {
	words  []int // their numbers in the symbol
	right  []byte
	wrong  int // so many were corrected
	checks int // check codewords
	guard  int // of these, so many only to find errors
}
