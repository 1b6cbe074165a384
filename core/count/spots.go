package count

import (
	"fmt"
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
}

// figures names the bands and figures in the order of their columns.
var figures = [...]string{"area", "perimeter", "roundness", "elongation", "width", "height"}

func (b *SpotBands) list() [len(figures)]*check.Limits {
	return [...]*check.Limits{b.Area, b.Perimeter, b.Roundness, b.Elongation, b.Width, b.Height}
}

// SpotSettings are the settings of count.spots.
type SpotSettings struct {
	Region raster.Region   `json:"region" jsonschema_description:"Where to look"`
	Tone   raster.ToneBand `json:"tone" jsonschema_description:"Which gray values belong to a spot"`
	Keep   SpotBands       `json:"keep,omitempty" jsonschema_description:"Which spots count; those outside a band are listed but left out"`
}

// Validate implements check.Validator.
func (s *SpotSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if err := s.Tone.Validate(); err != nil {
		return fmt.Errorf("tone: %w", err)
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

// Most spots that a finding lists and draws; all are counted.
const (
	mostRows  = 200
	mostMarks = 100
)

// Spots is the kind count.spots: connected pixels (8 neighbors) in a band of gray
// values, each with its figures, counted where all its figures lie in their bands.
//
// Its rows list the spots, largest first, with x, y (center of gravity), the
// figures, and in missed the bands that kept the spot from being counted.
var Spots = check.Define(check.Kind{
	Name:     "count.spots",
	Doc:      "Counts connected spots that are lighter or darker than their surroundings.",
	Measures: []check.Measure{{Name: "count", Doc: "Spots whose figures lie in all bands"}},
}, func() SpotSettings { return SpotSettings{} }, teachSpots)

func teachSpots(_ *check.Teaching, s *SpotSettings) (check.Taught, error) {
	t := &spots{s: *s}
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
	return t, nil
}

type spots struct {
	s       SpotSettings
	bands   [len(figures)]check.Band
	columns []check.Column
	missed  [1 << len(figures)]string // by the set of bands missed
}

func (t *spots) NewJudge() check.Judge { return &spotsJudge{spots: t} }

type spotsJudge struct {
	*spots
	finder  finder
	figured []figured
}

// figured is a spot with its figures in the order of their names.
type figured struct {
	spot   *spot
	values [len(figures)]float64
	missed int
}

func (j *spotsJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	lo, hi := j.s.Tone.Range()
	found := j.finder.find(in.Gray, j.s.Region, in.On, lo, hi)
	j.figured = j.figured[:0]
	count := 0
	for i := range found {
		f := figured{spot: &found[i], values: found[i].figures()}
		for k, b := range j.bands {
			if !b.Contains(f.values[k]) {
				f.missed |= 1 << k
			}
		}
		if f.missed == 0 {
			count++
		}
		j.figured = append(j.figured, f)
	}
	slices.SortFunc(j.figured, func(a, b figured) int {
		if a.spot.area != b.spot.area {
			return int(b.spot.area - a.spot.area)
		}
		return int(a.spot.first - b.spot.first) // reading order
	})
	j.report(out)
	out.Read("count", "", float64(count))
	out.Sentence = strconv.AppendInt(out.Sentence, int64(count), 10)
	if count == 1 {
		out.Sentence = append(out.Sentence, " spot"...)
	} else {
		out.Sentence = append(out.Sentence, " spots"...)
	}
}

func (j *spotsJudge) report(out *check.Finding) {
	out.Columns = j.columns
	for i := range j.figured[:min(len(j.figured), mostRows)] {
		f := &j.figured[i]
		row := out.AddRow(len(j.columns))
		row[0].Number, row[1].Number = f.spot.center()
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
		m := out.AddMark(check.Polygon, role, "")
		m.Points = j.finder.border(f.spot, m.Points)
	}
}
