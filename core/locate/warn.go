package locate

import (
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// What is warned of at teaching.
const (
	fewPoints  = 60   // an outline that a cover soon hides
	slides     = 0.06 // ratio of the eigenvalues below which an outline can slide
	spins      = 0.01 // mean square of the lever, relative to the radius', below which it can spin
	nearlyBest = 0.8  // share of its own score at which another place may be taken for it
)

// warn says what people otherwise learn the hard way.
func (o *outline) warn(t *check.Teaching) {
	points := o.views[0].model.levels[0].points
	if len(points) < fewPoints {
		t.Warn("the outline has only %d points, so little has to be covered to lose it; choose a larger feature, or raise the sensitivity", len(points))
	}
	if turn, ok := slideDirection(points); ok {
		t.Warn("the outline can slide: nothing holds it in the direction of %.0f°; draw the region so that it takes in edges across that direction", turn)
	} else if o.free.turn && canSpin(points) {
		t.Warn("the outline looks the same however it is turned, so its turn cannot be told; set turn: 0, or take in something that is not round")
	}
	o.warnSecond(t)
}

// slideDirection returns the direction in degrees along which the points' edges do not
// hold the outline: that of the least eigenvalue of the normal matrix Σ n·nᵀ.
func slideDirection(points []edgePoint) (turn float64, ok bool) {
	var xx, xy, yy float64
	for _, p := range points {
		xx += float64(p.nx * p.nx)
		xy += float64(p.nx * p.ny)
		yy += float64(p.ny * p.ny)
	}
	mean := (xx + yy) / 2
	spread := raster.Hypot((xx-yy)/2, xy)
	if mean-spread >= float64(slides*(mean+spread)) {
		return 0, false
	}
	// The long axis of the normals is at half this angle; the slide is square to it.
	turn = raster.Atan2(float64(2*xy), xx-yy)/2 + 90
	if turn > 90 {
		turn -= 180
	}
	return float64(math.Round(turn)) + 0, true // no -0
}

// canSpin reports whether the edges hold the outline's turn: how far a small turn about
// the best center moves them along their normals.
func canSpin(points []edgePoint) bool {
	var eq equations
	radius := 0.0
	for _, p := range points {
		lever := float64(p.ny*p.x) - float64(p.nx*p.y)
		eq.add([4]float64{p.nx, p.ny, 0, 0}, lever, 1)
		radius += float64(p.x*p.x) + float64(p.y*p.y)
	}
	shift, ok := eq.solve(freedom{})
	if !ok || radius == 0 {
		return false
	}
	rest := 0.0
	for _, p := range points {
		lever := float64(p.ny*p.x) - float64(p.nx*p.y) - float64(shift[0]*p.nx) - float64(shift[1]*p.ny)
		rest += float64(lever * lever)
	}
	return rest < float64(spins*radius)
}

// warnSecond looks for another place on the reference picture that could be taken for
// the taught one.
func (o *outline) warnSecond(t *check.Teaching) {
	loose := *o
	loose.s.AcceptScore = float64(0.7 * o.s.AcceptScore)
	loose.s.Accept = nil
	j := loose.NewJudge().(*outlineJudge)
	var in check.Input
	in.Reset(raster.Picture{Gray: t.Reference})
	radius := o.views[0].model.levels[0].radius
	first := 0.0
	for _, p := range j.seek(&in, 0, finer) {
		if !j.inRange(&in, p) {
			continue
		}
		off := raster.Hypot(p.x-o.center.X, p.y-o.center.Y)
		turned := math.Abs(raster.WrapAngle(p.angle))
		if off < 3 && turned < 5 {
			first = max(first, p.score)
			continue
		}
		if first == 0 || p.score < float64(nearlyBest*first) || off < float64(0.05*radius) && turned < 15 {
			continue
		}
		t.Warn("there is a second place that looks nearly alike: at %.0f, %.0f, turned %.0f°, it scores %.2f, the taught one %.2f; choose a feature that is unique, or bound the search area or the turn",
			p.x, p.y, p.angle, p.score, first)
		var f check.Finding
		markPoints(&f, p, o.views[0].model, check.RoleLeftOut)
		t.Marks = append(t.Marks, f.Marks...)
		return
	}
}
