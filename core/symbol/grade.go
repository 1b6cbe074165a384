package symbol

import (
	"errors"

	"ricetta/core/raster"
)

// Parameter is one thing that a grade looks at.
type Parameter struct {
	Name  string
	Value float64 // of ten scan lines the worst; in Unit
	Unit  string  // "%" or ""; values without one are ratios
	Grade float64 // 0 to 4; of ten scan lines the mean
}

// Flaw is a place that cost a grade, with the parameter it cost.
type Flaw struct {
	Parameter string
	Points    []raster.Point // an outline, or the two ends of a scan line
	Grade     float64
}

// Grade is how well a code is printed: ISO/IEC 15416 for linear codes, 15415 for matrix codes.
type Grade struct {
	Overall    float64 // 0 to 4, to one decimal as the standards tell it
	Decides    string  // the parameter with the lowest grade; "" where all are 4
	Parameters []Parameter
	Flaws      []Flaw
	Module     float64 // pixels: what the grade can be trusted for
}

// Letter is the grade as a letter (ISO/IEC 15416, 7.3).
func (g *Grade) Letter() string {
	switch {
	case g.Overall >= 3.5:
		return "A"
	case g.Overall >= 2.5:
		return "B"
	case g.Overall >= 1.5:
		return "C"
	case g.Overall >= 0.5:
		return "D"
	}
	return "F"
}

// Reflectance says which gray values are no and full reflectance: what a black and a white
// reference look like to the camera.
type Reflectance struct{ Black, White float64 }

// percent of full reflectance.
func (r Reflectance) of(tone float64) float64 {
	return min(max(float64((tone-r.Black)/(r.White-r.Black)*100), 0), 100)
}

// Errors of grading.
var (
	errNotThere   = errors.New("the code, or the light margin round it, reaches out of the picture")
	errReferences = errors.New("the white reference must be lighter than the black one")
)

// level grades a value that is the better the higher it is, by the least values of 4, 3, 2, 1.
func level(v float64, least [4]float64) float64 {
	for i, l := range least {
		if v >= l {
			return float64(4 - i)
		}
	}
	return 0
}

// under grades a value that is the better the lower it is.
func under(v float64, most [4]float64) float64 {
	for i, m := range most {
		if v <= m {
			return float64(4 - i)
		}
	}
	return 0
}

// passes grades what is met or not.
func passes(ok bool) float64 {
	if ok {
		return 4
	}
	return 0
}

// Grades of ISO/IEC 15416 table 3 and ISO/IEC 15415 table 3.
var (
	contrastLevels     = [4]float64{70, 55, 40, 20}
	modulationLevels   = [4]float64{0.70, 0.60, 0.50, 0.40}
	defectLevels       = [4]float64{0.15, 0.20, 0.25, 0.30}
	decodabilityLevels = [4]float64{0.62, 0.50, 0.37, 0.25}
	moduleLevels       = [4]float64{0.50, 0.40, 0.30, 0.20}
	axialLevels        = [4]float64{0.06, 0.08, 0.10, 0.12}
	gridLevels         = [4]float64{0.38, 0.50, 0.63, 0.75}
	unusedLevels       = [4]float64{0.62, 0.50, 0.37, 0.25}
)

// Grade grades a code that Read returned, in the same picture.
func (r *Reader) Grade(g *raster.Gray, s *Symbol, ref Reflectance) (Grade, error) {
	if ref.White-ref.Black < 1 {
		return Grade{}, errReferences
	}
	var out Grade
	var err error
	if s.Columns > 0 {
		out, err = gradeMatrix(g, s, ref)
	} else {
		out, err = r.lines.grade(g, s, ref)
	}
	if err != nil {
		return Grade{}, err
	}
	worst := 4.0
	for _, p := range out.Parameters {
		if p.Grade < worst {
			worst, out.Decides = p.Grade, p.Name
		}
	}
	return out, nil
}
