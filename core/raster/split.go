package raster

// Splitter cuts spots that touch each other apart: where the spot is narrow between two
// wide places. It keeps its memory.
type Splitter struct {
	dist   []uint16
	label  []int32
	parent []int32
	peak   []uint16 // by label: greatest distance
	order  []int32
	counts []int32
}

// Distances of neighbors in the chamfer metric 3-4 (Borgefors, "Distance
// transformations in digital images", CVGIP 34, 1986), within 8 % of three times the
// Euclidean distance.
const (
	straightStep = 3
	slantStep    = 4
)

// DistanceInto sets dst, w·h values, to how far each light pixel of marked (255) lies
// from the nearest one that is not, three a pixel, at most 65535. What lies beyond the
// picture counts as dark.
func DistanceInto(dst []uint16, marked *Gray) {
	w, h := marked.W, marked.H
	for y := range h {
		row, in := dst[y*w:y*w+w], marked.Row(y)
		if y == 0 {
			for x, v := range in {
				row[x] = 0
				if v != 0 {
					row[x] = straightStep
				}
			}
			continue
		}
		up := dst[(y-1)*w : y*w]
		left := uint16(0)
		for x, v := range in {
			if v == 0 {
				left = 0
				row[x] = 0
				continue
			}
			d := min(left, up[x]) + straightStep
			if x > 0 {
				d = min(d, up[x-1]+slantStep)
			}
			if x+1 < w {
				d = min(d, up[x+1]+slantStep)
			} else {
				d = straightStep
			}
			left = min(d, 60000)
			row[x] = left
		}
	}
	for y := h - 1; y >= 0; y-- {
		row := dst[y*w : y*w+w]
		if y == h-1 {
			for x, v := range row {
				row[x] = min(v, straightStep)
			}
			continue
		}
		down := dst[(y+1)*w : (y+2)*w]
		right := uint16(0)
		for x := w - 1; x >= 0; x-- {
			d := row[x]
			if d == 0 {
				right = 0
				continue
			}
			d = min(d, right+straightStep, down[x]+straightStep)
			if x > 0 {
				d = min(d, down[x-1]+slantStep)
			} else {
				d = min(d, straightStep)
			}
			if x+1 < w {
				d = min(d, down[x+1]+slantStep)
			}
			right = d
			row[x] = d
		}
	}
}

// Split takes out of marked, whose pixels are 0 or 255, lines a pixel wide where two
// wide places of a spot meet in a neck that is narrower than share (0…1) of the
// narrower of the two: a watershed of the distance from the border, flooded from the
// widest places, in which basins that are hardly apart run together.
func (s *Splitter) Split(marked *Gray, share float64) {
	w, h := marked.W, marked.H
	n := w * h
	if cap(s.dist) < n {
		s.dist, s.label = make([]uint16, n), make([]int32, n)
	}
	s.dist, s.label = s.dist[:n], s.label[:n]
	DistanceInto(s.dist, marked)
	s.sort(n)
	clear(s.label)
	s.parent, s.peak = append(s.parent[:0], 0), append(s.peak[:0], 0)
	for _, i := range s.order {
		x, y := int(i)%w, int(i)/w
		d := s.dist[i]
		var near [8]int32
		found := near[:0]
		for dy := max(y-1, 0); dy <= min(y+1, h-1); dy++ {
		neighbors:
			for dx := max(x-1, 0); dx <= min(x+1, w-1); dx++ {
				l := s.label[dy*w+dx]
				if l <= 0 {
					continue
				}
				l = s.root(l)
				for _, k := range found {
					if k == l {
						continue neighbors
					}
				}
				found = append(found, l)
			}
		}
		switch len(found) {
		case 0:
			s.parent = append(s.parent, int32(len(s.parent)))
			s.peak = append(s.peak, d)
			s.label[i] = int32(len(s.parent) - 1)
			continue
		case 1:
			s.label[i] = found[0]
			continue
		}
		s.label[i] = s.meet(found, d, share)
		if s.label[i] < 0 {
			marked.Pix[y*marked.Stride+x] = 0
		}
	}
}

// meet decides what becomes of a pixel at distance d between several basins: they run
// together into the widest, or the pixel is cut (-1).
func (s *Splitter) meet(found []int32, d uint16, share float64) int32 {
	widest := found[0]
	for _, k := range found[1:] {
		if s.peak[k] > s.peak[widest] {
			widest = k
		}
	}
	cut := false
	for _, k := range found {
		if k == widest {
			continue
		}
		// A basin of a pixel's depth or two is a bump of the border.
		if float64(d) < float64(share*float64(s.peak[k])) && s.peak[k] > 2*slantStep {
			cut = true
			continue
		}
		s.parent[k] = widest
	}
	if cut {
		return -1
	}
	return widest
}

func (s *Splitter) root(l int32) int32 {
	for s.parent[l] != l {
		s.parent[l] = s.parent[s.parent[l]]
		l = s.parent[l]
	}
	return l
}

// sort lists the light pixels by falling distance, in reading order among equals.
func (s *Splitter) sort(n int) {
	most := uint16(0)
	lit := 0
	for _, d := range s.dist {
		most = max(most, d)
		if d > 0 {
			lit++
		}
	}
	if cap(s.counts) < int(most)+1 {
		s.counts = make([]int32, int(most)+1)
	}
	s.counts = s.counts[:int(most)+1]
	clear(s.counts)
	for _, d := range s.dist {
		s.counts[d]++
	}
	at := int32(0)
	for d := int(most); d > 0; d-- {
		at, s.counts[d] = at+s.counts[d], at
	}
	if cap(s.order) < lit {
		s.order = make([]int32, lit, max(lit, n/4))
	}
	s.order = s.order[:lit]
	for i, d := range s.dist {
		if d > 0 {
			s.order[s.counts[d]] = int32(i)
			s.counts[d]++
		}
	}
}
