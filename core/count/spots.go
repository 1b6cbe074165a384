package count

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// SpotBands are the figures by which spots are kept; an absent band keeps all.
// Lengths are in pixels, areas in square pixels.
type SpotBands struct {
	Area       *check.Limits `json:"area,omitempty" jsonschema_description:"Pixels of the spot"`
	Perimeter  *check.Limits `json:"perimeter,omitempty" jsonschema_description:"Length of its border in pixels"`
	Roundness  *check.Limits `json:"roundness,omitempty" jsonschema_description:"4 pi area / perimeter squared: 1 for a disc and less for everything else"`
	Elongation *check.Limits `json:"elongation,omitempty" jsonschema_description:"Longest axis over shortest axis: 1 or more"`
	Width      *check.Limits `json:"width,omitempty" jsonschema_description:"Extent in pixels along the region's own horizontal"`
	Height     *check.Limits `json:"height,omitempty" jsonschema_description:"Extent in pixels along the region's own vertical"`
	Turn       *check.Limits `json:"turn,omitempty" jsonschema_description:"Direction of its long axis against the region's horizontal in degrees clockwise, -90 to 90"`
	Holes      *check.Limits `json:"holes,omitempty" jsonschema_description:"How many holes it encloses"`
	Tone       *check.Limits `json:"tone,omitempty" jsonschema_description:"Mean gray value of its pixels"`
	Contrast   *check.Limits `json:"contrast,omitempty" jsonschema_description:"Mean gray value less that of its surroundings: above 0 where it is lighter"`
}

// figures names the bands and figures in the order of their columns.
var figures = [...]string{"area", "perimeter", "roundness", "elongation", "width", "height", "turn", "holes", "tone", "contrast"}

// toneFigure is the first of the figures that need the pixels once more.
const toneFigure = 8

func (b *SpotBands) list() [len(figures)]*check.Limits {
	return [...]*check.Limits{b.Area, b.Perimeter, b.Roundness, b.Elongation, b.Width, b.Height, b.Turn, b.Holes, b.Tone, b.Contrast}
}

// LocalSettings say how pixels stand out of their surroundings.
type LocalSettings struct {
	Than  string `json:"than" jsonschema:"enum=lighter,enum=darker" jsonschema_description:"Whether spots are lighter or darker than their surroundings"`
	By    int    `json:"by,omitempty" jsonschema:"minimum=1,maximum=255,default=15" jsonschema_description:"By how many gray values at least; 0 is taken as 15"`
	Reach int    `json:"reach,omitempty" jsonschema:"minimum=2,maximum=500,default=25" jsonschema_description:"How many pixels to all sides are its surroundings: more than a spot is wide; 0 is taken as 25"`
}

// SpotSettings are the settings of count.spots.
type SpotSettings struct {
	Region    raster.Region   `json:"region" jsonschema_description:"Where to look"`
	Tone      raster.ToneBand `json:"tone,omitempty" jsonschema_description:"Which gray values belong to a spot"`
	Auto      string          `json:"auto,omitempty" jsonschema:"enum=lighter,enum=darker" jsonschema_description:"Instead of tone: the gray value that parts the region best in dark and light is found in every picture; these are the spots"`
	Step      float64         `json:"step,omitempty" jsonschema:"minimum=1,maximum=255,default=20" jsonschema_description:"With auto: how many gray values dark and light must be apart; with less there are no spots"`
	Local     *LocalSettings  `json:"local,omitempty" jsonschema_description:"Instead of tone: what stands out of its surroundings, for uneven light"`
	Neighbors int             `json:"neighbors,omitempty" jsonschema:"enum=4,enum=8,default=8" jsonschema_description:"8: pixels that touch at a corner belong together; 4: they do not"`
	Split     float64         `json:"split,omitempty" jsonschema:"minimum=0,maximum=1,default=0" jsonschema_description:"Cut touching items apart where a neck is narrower than this share of the narrower one; 0 cuts nothing, 0.8 is a good start"`
	Keep      SpotBands       `json:"keep,omitempty" jsonschema_description:"Which spots count; those outside a band are listed but left out"`
	Sort      string          `json:"sort,omitempty" jsonschema:"enum=area,enum=perimeter,enum=roundness,enum=elongation,enum=width,enum=height,enum=turn,enum=holes,enum=tone,enum=contrast,enum=x,enum=y,default=area" jsonschema_description:"By which figure the list is sorted, greatest first; by x and y least first"`
}

// Validate implements check.Validator.
func (s *SpotSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	fixed := s.Tone.Least != nil || s.Tone.Most != nil
	switch ways := b2i(fixed) + b2i(s.Auto != "") + b2i(s.Local != nil); {
	case ways == 0:
		return errors.New("tone: nothing says what belongs to a spot; give tone (least, most or both), auto or local")
	case ways > 1:
		return errors.New("tone: there are several ways to tell what belongs to a spot; keep one of tone, auto and local")
	}
	if fixed {
		if err := s.Tone.Validate(); err != nil {
			return fmt.Errorf("tone: %w", err)
		}
	}
	for i, l := range s.Keep.list() {
		if l == nil {
			continue
		}
		if err := l.Validate(); err != nil {
			return fmt.Errorf("keep/%s: %w", figures[i], err)
		}
	}
	return nil
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}

// Most spots that a finding lists and draws; all are counted.
const (
	mostRows  = 200
	mostMarks = 100
)

// Spots is the kind count.spots: connected pixels that are lighter or darker than a
// threshold, each with its figures, counted where all its figures lie in their bands.
//
// Its rows list the spots with x, y (center of gravity), the figures, and in missed the
// bands that kept the spot from being counted.
var Spots = check.Define(check.Kind{
	Name: "count.spots",
	Doc:  "Counts connected spots that are lighter or darker than their surroundings.",
	Measures: []check.Measure{
		{Name: "count", Doc: "Spots whose figures lie in all bands", Whole: true},
		{Name: "threshold", Doc: "With auto: the gray value that parted dark from light"},
	},
}, func() SpotSettings { return SpotSettings{Step: 20, Neighbors: 8, Sort: "area"} }, teachSpots)

func teachSpots(_ *check.Teaching, s *SpotSettings) (check.Taught, error) {
	t := &spots{s: *s, turns: s.Keep.Turn != nil || s.Sort == "turn", tones: s.Keep.Tone != nil || s.Keep.Contrast != nil || s.Sort == "tone" || s.Sort == "contrast"}
	for i, l := range s.Keep.list() {
		t.bands[i] = check.Open
		if l != nil {
			t.bands[i] = l.Bounds()
		}
	}
	for _, name := range append([]string{"x", "y"}, figures[:]...) {
		t.columns = append(t.columns, check.Column{Name: name})
	}
	t.columns = append(t.columns, check.Column{Name: "missed", Text: true})
	for m := range t.missed {
		var names []string
		for i, n := range figures {
			if m>>i&1 != 0 {
				names = append(names, n)
			}
		}
		t.missed[m] = strings.Join(names, ", ")
	}
	for i := range t.numbers {
		t.numbers[i] = strconv.Itoa(i + 1)
	}
	return t, nil
}

type spots struct {
	s       SpotSettings
	turns   bool // turn is needed of every spot, and not only of those listed
	tones   bool // tone and contrast are needed of every spot
	bands   [len(figures)]check.Band
	columns []check.Column
	missed  [1 << len(figures)]string // by the set of bands missed
	numbers [mostMarks]string
}

func (t *spots) NewJudge() check.Judge { return &spotsJudge{spots: t} }

type spotsJudge struct {
	*spots
	spans    raster.Spans
	finder   raster.BlobFinder
	marked   raster.Gray // of what belongs to spots, where a band of gray values cannot say it
	means    raster.Means
	splitter raster.Splitter
	figured  []figured
}

// figured is a spot with its figures in the order of their names.
type figured struct {
	spot   *raster.Blob
	values [len(figures)]float64
	missed int
	key    float64 // sorted by this, least first
}

func (j *spotsJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	j.spans = j.s.Region.SpansInto(j.spans, in.On, in.Gray.W, in.Gray.H)
	if len(j.spans) == 0 {
		out.Fault(check.NoPixel)
		return
	}
	marked, lo, hi, threshold := j.threshold(in.Gray)
	found := j.finder.Find(marked, j.spans, in.On, lo, hi, j.s.Neighbors != 4)
	j.figured = j.figured[:0]
	count := 0
	for i := range found {
		f := figured{spot: &found[i], values: figuresOf(&found[i])}
		if j.turns {
			f.turnOf(in.On)
		}
		if j.tones {
			j.tonesOf(&f, in.Gray, marked, lo, hi)
		}
		for k, b := range j.bands {
			if !b.Contains(f.values[k]) && b.Bounded() {
				f.missed |= 1 << k
			}
		}
		if f.missed == 0 {
			count++
		}
		f.key = j.key(&f)
		j.figured = append(j.figured, f)
	}
	slices.SortFunc(j.figured, func(a, b figured) int {
		return cmp.Or(cmp.Compare(a.key, b.key), a.spot.First()-b.spot.First()) // reading order
	})
	if !j.turns {
		for i := range j.figured[:min(len(j.figured), mostRows)] {
			j.figured[i].turnOf(in.On)
		}
	}
	if !j.tones {
		for i := range j.figured[:min(len(j.figured), mostRows)] {
			j.tonesOf(&j.figured[i], in.Gray, marked, lo, hi)
		}
	}
	j.report(out)
	out.Read("count", "", float64(count))
	if j.s.Auto != "" {
		out.Read("threshold", "", threshold)
	}
	out.Sentence = strconv.AppendInt(out.Sentence, int64(count), 10)
	if count == 1 {
		out.Sentence = append(out.Sentence, " spot"...)
	} else {
		out.Sentence = append(out.Sentence, " spots"...)
	}
}

// threshold returns a picture and the band of its values that belong to spots.
func (j *spotsJudge) threshold(g *raster.Gray) (marked *raster.Gray, lo, hi uint8, threshold float64) {
	marked = g
	switch {
	case j.s.Local != nil:
		by, reach := j.s.Local.By, j.s.Local.Reach
		if by == 0 {
			by = 15
		}
		if reach == 0 {
			reach = 25
		}
		j.means.Stand(&j.marked, g, j.spans, reach, by, j.s.Local.Than == "darker")
		marked, lo, hi = &j.marked, 1, 255
	case j.s.Auto != "":
		at, dark, light, ok := raster.Otsu(g.Histogram(j.spans))
		threshold = float64(at)
		lo, hi = 0, at
		if j.s.Auto == "lighter" {
			lo, hi = at+1, 255
		}
		if !ok || light-dark < j.s.Step {
			lo, hi = 1, 0 // nothing
		}
	default:
		lo, hi = j.s.Tone.Range()
	}
	if j.s.Split <= 0 {
		return marked, lo, hi, threshold
	}
	x0, y0, x1, y1 := j.spans.Bounds()
	if marked == g {
		j.marked.Resize(g.W, g.H)
		for y := y0; y < y1; y++ {
			clear(j.marked.Row(y)[x0:x1])
		}
		for _, s := range j.spans {
			row, dst := g.Row(int(s.Y)), j.marked.Row(int(s.Y))
			for x := s.X0; x < s.X1; x++ {
				if row[x] >= lo && row[x] <= hi {
					dst[x] = 255
				}
			}
		}
	}
	part := j.marked.Sub(x0, y0, x1, y1)
	j.splitter.Split(&part, j.s.Split)
	return &j.marked, 1, 255, threshold
}

// figuresOf returns the figures of a spot but turn, tone and contrast, in their order.
func figuresOf(p *raster.Blob) [len(figures)]float64 {
	n := float64(p.Area)
	length := p.Perimeter()
	long, short := p.Axes()
	w, h := p.Extent()
	return [len(figures)]float64{
		n, length, min(1, 4*math.Pi*n/float64(length*length)), long / short, w, h, 0, float64(p.Holes()),
	}
}

// turnFigure is that of the figures which takes an arc tangent.
const turnFigure = 6

// turnOf fills in how the spot is turned.
func (f *figured) turnOf(on raster.Transform) {
	turn := raster.WrapAngle(f.spot.Turn() - on.Angle())
	if turn > 90 {
		turn -= 180
	} else if turn <= -90 {
		turn += 180
	}
	f.values[turnFigure] = turn
}

func (j *spotsJudge) tonesOf(f *figured, g, marked *raster.Gray, lo, hi uint8) {
	inside, around := j.finder.Tones(f.spot, g, marked, lo, hi)
	f.values[toneFigure], f.values[toneFigure+1] = inside, inside-around
	if around != around {
		f.values[toneFigure+1] = 0 // nothing round it to stand out of
	}
}

// key is by what the list is sorted, least first.
func (j *spotsJudge) key(f *figured) float64 {
	x, y := f.spot.Center()
	switch j.s.Sort {
	case "x":
		return x
	case "y":
		return y
	}
	for i, name := range figures {
		if name == j.s.Sort {
			return -f.values[i]
		}
	}
	return -f.values[0]
}

func (j *spotsJudge) report(out *check.Finding) {
	out.Columns = j.columns
	for i := range j.figured[:min(len(j.figured), mostRows)] {
		f := &j.figured[i]
		row := out.AddRow(len(j.columns))
		row[0].Number, row[1].Number = f.spot.Center()
		for k, v := range f.values {
			row[2+k].Number = v
		}
		row[len(row)-1].Text = j.missed[f.missed]
		if i >= mostMarks {
			continue
		}
		role := check.RoleFound
		if f.missed != 0 {
			role = check.RoleLeftOut
		}
		m := out.AddMark(check.Polygon, role, j.numbers[i])
		m.Points = j.finder.Border(f.spot, m.Points)
	}
}
