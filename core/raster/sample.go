package raster

// Inside reports whether a place lies within the outermost pixel centers, where
// Between may be asked.
func (g *Gray) Inside(x, y float64) bool {
	return x >= 0.5 && y >= 0.5 && x < float64(g.W)-0.5 && y < float64(g.H)-0.5
}

// Between returns the brightness at a place Inside, by bilinear interpolation
// between the four pixels round it.
func (g *Gray) Between(x, y float64) float64 {
	x -= 0.5
	y -= 0.5
	ix, iy := int(x), int(y)
	fx, fy := x-float64(ix), y-float64(iy)
	o := iy*g.Stride + ix
	p := g.Pix[o : o+g.Stride+2]
	up0, up1, down0, down1 := p[0], p[1], p[len(p)-2], p[len(p)-1]
	a := float64(up0) + float64(fx*float64(int(up1)-int(up0)))
	b := float64(down0) + float64(fx*float64(int(down1)-int(down0)))
	return a + float64(fy*(b-a))
}
