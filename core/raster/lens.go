package raster

// Calibration says how a station's pixels lie in the world.
type Calibration struct {
	// MMPerPx is how many millimeters one pixel is; 0 where that is not known.
	MMPerPx float64 `json:"mm_per_px" yaml:"mm_per_px"`
	// Lens is absent where the lens does not bend, or nobody has looked.
	Lens *Lens `json:"lens,omitempty" yaml:"lens,omitempty"`
}

// Lens is the radial distortion of a lens to first order: a place r pixels from the
// center of the picture would lie at r·(1 + Bend·(r/Reach)²) without it.
type Lens struct {
	Center Point   `json:"center" yaml:"center"`
	Reach  float64 `json:"reach" yaml:"reach"` // pixels from the center to a corner
	// Bend is the share of its distance by which a corner is moved outwards to make
	// the picture straight: above 0 for a barrel, below 0 for a cushion.
	Bend float64 `json:"bend" yaml:"bend"`
}

// Straight returns where p would lie without the distortion.
func (l *Lens) Straight(p Point) Point {
	dx, dy := p.X-l.Center.X, p.Y-l.Center.Y
	r2 := (float64(dx*dx) + float64(dy*dy)) / float64(l.Reach*l.Reach)
	k := 1 + float64(l.Bend*r2)
	return Point{l.Center.X + float64(k*dx), l.Center.Y + float64(k*dy)}
}

// Bent returns the place in the picture that Straight maps to p.
func (l *Lens) Bent(p Point) Point {
	dx, dy := p.X-l.Center.X, p.Y-l.Center.Y
	k := 1.0
	for range 12 { // Newton would need fewer, but this stays simple and converges for all sane bends
		r2 := float64(float64(k*k)*(float64(dx*dx)+float64(dy*dy))) / float64(l.Reach*l.Reach)
		k = 1 / (1 + float64(l.Bend*r2))
	}
	return Point{l.Center.X + float64(k*dx), l.Center.Y + float64(k*dy)}
}
