package locate

import (
	"errors"
	"fmt"

	"ricetta/core/check"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// EdgesSettings are the settings of locate.edges.
type EdgesSettings struct {
	Edges       []edge.Settings `json:"edges" jsonschema:"minItems=1,maxItems=2" jsonschema_description:"One or two straight edges of the item: for each an arrow across it, as wide as the edge is looked along"`
	Accept      *raster.Region  `json:"accept,omitempty" jsonschema_description:"Where the found corner (of one edge: its crossing with the arrow) must lie to be accepted; anywhere if absent"`
	AcceptScore float64         `json:"accept_score,omitempty" jsonschema:"minimum=0.2,maximum=1,default=0.6" jsonschema_description:"Least share of each edge that must lie on a straight line"`
}

// Validate implements check.Validator.
func (s *EdgesSettings) Validate() error {
	for i, e := range s.Edges {
		if err := e.Validate(); err != nil {
			return fmt.Errorf("edges/%d/%w", i, err)
		}
	}
	if s.Accept != nil {
		if err := s.Accept.Validate(); err != nil {
			return fmt.Errorf("accept: %w", err)
		}
	}
	return nil
}

// Edges is the kind locate.edges: it follows an item by one or two straight edges. One
// edge gives the shift square to it; two give the turn as well, and where they cross
// the shift in both directions (parallel ones: square to them). x, y are the corner
// where both edges cross; of one edge or parallel ones where the first is met by its
// arrow. Size is that of the datum below.
var Edges = check.Define(check.Kind{
	Name:           "locate.edges",
	Doc:            "Follows an item by one or two of its straight edges.",
	Datum:          true,
	NeedsReference: true,
	Measures:       measures,
}, func() EdgesSettings { return EdgesSettings{AcceptScore: 0.6} }, teachEdges)

func teachEdges(t *check.Teaching, s *EdgesSettings) (check.Taught, error) {
	e := &edges{s: *s, area: Area{Accept: s.Accept}}
	var c edge.Caliper
	for i, a := range s.Edges {
		l, _, used, err := c.SeekLine(t.Reference, a, raster.Identity())
		if errors.Is(err, edge.ErrOutside) {
			return nil, fmt.Errorf("edges/%d: its arrow reaches outside the reference picture; draw it inside", i)
		}
		if err != nil || used < s.AcceptScore {
			return nil, fmt.Errorf("edges/%d: there is no straight edge on the reference picture; lay the arrow across one", i)
		}
		r := a.Ray(raster.Identity())
		from, to := l.Ends(float64(max(a.Width, 10) / 2))
		t.Marks = append(t.Marks, check.Mark{Shape: check.Line, Role: check.RoleTaught, Points: []raster.Point{from, to}})
		e.lines[i] = onArrow(l, r)
	}
	if len(s.Edges) == 2 {
		e.center, e.crossing = e.lines[0].Meet(e.lines[1])
		if !e.crossing {
			t.Warn("the two edges are parallel, so the item can slide along them unnoticed; take an edge across as the second")
		}
	}
	if !e.crossing {
		e.center = e.lines[0].P
	}
	if len(s.Edges) == 1 {
		t.Warn("one edge gives no turn and lets the item slide along it unnoticed; add a second edge across the first unless the item is guided")
	}
	return e, nil
}

// onArrow moves the line's point to where the ray meets it.
func onArrow(l edge.Line, r edge.Ray) edge.Line {
	if p, ok := l.Meet(edge.Line{P: r.A, U: raster.Point{X: r.UX, Y: r.UY}}); ok {
		l.P = p
	}
	return l
}

type edges struct {
	s        EdgesSettings
	area     Area
	lines    [2]edge.Line // as taught, on the reference picture
	center   raster.Point
	crossing bool
}

func (e *edges) NewJudge() check.Judge { return &edgesJudge{edges: e} }

type edgesJudge struct {
	*edges
	caliper edge.Caliper
	place   raster.Transform
}

func (j *edgesJudge) Place() raster.Transform { return j.place }

func (j *edgesJudge) Judge(in *check.Input, out *check.Finding) {
	var now [2]edge.Line
	p := pose{size: in.On.Size(), score: 1}
	for i, e := range j.s.Edges {
		l, _, used, err := j.caliper.SeekLine(in.Gray, e, in.On)
		if errors.Is(err, edge.ErrOutside) {
			e.Mark(out, in.On, nil, "")
			out.Fault("edge " + [2]string{"1", "2"}[i] + " cannot be sought: " + err.Error())
			return
		}
		e.Mark(out, in.On, nil, "")
		p.score = min(p.score, used)
		if err != nil || used < j.s.AcceptScore {
			notFound(out, used, j.s.AcceptScore)
			return
		}
		now[i] = onArrow(l, e.Ray(in.On))
		now[i].Mark(out, float64(max(e.Width, 10)*in.On.Size()/2))
	}
	base := in.On.Angle()
	p.angle = base
	if len(j.s.Edges) == 2 {
		a := raster.WrapAngle(now[0].Angle() - j.lines[0].Angle() - base)
		b := raster.WrapAngle(now[1].Angle() - j.lines[1].Angle() - base)
		// The longer edge says more about the turn: the variance falls with the cube of
		// the length.
		wa, wb := cube(max(j.s.Edges[0].Width, 10)), cube(max(j.s.Edges[1].Width, 10))
		p.angle = base + (float64(wa*a)+float64(wb*b))/(wa+wb)
	}
	at, ok := raster.Point{}, false
	if j.crossing {
		at, ok = now[0].Meet(now[1])
	}
	if !ok {
		at = j.slid(in, now, p.angle)
	}
	p.x, p.y = at.X, at.Y
	j.place = report(in, out, p, j.center, &j.area, j.s.AcceptScore)
}

// slid returns where the center lies when only the shift square to the edges is known:
// where the datum below and the turn put it, moved onto the found lines.
func (j *edgesJudge) slid(in *check.Input, now [2]edge.Line, angle float64) raster.Point {
	at := in.On.Apply(j.center)
	d := now[0].Distance(at)
	at.X += float64(d * now[0].U.Y)
	at.Y -= float64(d * now[0].U.X)
	return at
}

func cube(v float64) float64 { return float64(float64(v*v) * v) }
