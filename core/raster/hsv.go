package raster

// Hues are counted in steps of which a full turn has HueTurn, so that sixths are exact.
const (
	hueSixth = 256
	HueTurn  = 6 * hueSixth
)

// HSV returns hue (0…HueTurn-1, 0 for grays), saturation and brightness (0…255) of an
// sRGB color, in integers, so that every machine sees the same: after Smith, "Color
// gamut transform pairs", SIGGRAPH 1978. Saturation is rounded; hue is rounded towards
// the primary color that is greatest.
func HSV(r, g, b uint8) (h, s, v int) {
	hi, d, sixth, n := hueOf(int(r), int(g), int(b))
	if d == 0 {
		return 0, 0, hi
	}
	h = 2 * hueSixth * (sixth / 2)
	if sixth%2 == 0 {
		h += n * hueSixth / d
	} else {
		h = (h + HueTurn - n*hueSixth/d) % HueTurn
	}
	return h, (255*d + hi/2) / hi, hi
}

// hueOf returns the greatest channel, its distance d from the least, the sixth of the
// wheel, and n: the hue lies n/d sixths clockwise (even sixths) or counterclockwise (odd)
// of the red (sixths 0 and 1), green (2, 3) or blue (4, 5) that is greatest.
func hueOf(r, g, b int) (hi, d, sixth, n int) {
	hi = max(r, g, b)
	d = hi - min(r, g, b)
	switch hi {
	case r:
		sixth, n = 0, g-b
	case g:
		sixth, n = 2, b-r
	default:
		sixth, n = 4, r-g
	}
	if n < 0 {
		return hi, d, sixth + 1, -n
	}
	return hi, d, sixth, n
}

// ColorBand bounds hue (which may pass through red: then Hue0 > Hue1), saturation and
// brightness of colors as HSV gives them, ends included. Hue 0…HueTurn-1 is all.
type ColorBand struct{ Hue0, Hue1, Sat0, Sat1, Val0, Val1 int }

// Holds reports whether a color as HSV gives it lies in the band.
func (c *ColorBand) Holds(h, s, v int) bool {
	return v >= c.Val0 && v <= c.Val1 && s >= c.Sat0 && s <= c.Sat1 && c.hasHue(h)
}

func (c *ColorBand) hasHue(h int) bool {
	if c.Hue0 <= c.Hue1 {
		return h >= c.Hue0 && h <= c.Hue1
	}
	return h >= c.Hue0 || h <= c.Hue1
}

// ColorCounter counts the colors of a band, without a division for each.
type ColorCounter struct {
	empty bool
	test  colorTest
}

// colorTest is a band as the kernel wants it: products of what a pixel gives with a
// bound take the place of quotients, and all of them fit 16 bits.
type colorTest struct {
	// By sixth: n·256 must reach least·d and stay below beyond·d.
	least, beyond [8]uint16
	sat0, sat1    uint16 // 255·d + hi/2 must reach sat0·hi and stay below sat1·hi
	val0, val1    int16  // ends of hi
	invert        uint16 // all bits where the hues are those that the band leaves out
	gray          uint16 // all bits where grays are in
}

// Counter returns what counts the band's colors.
func (c ColorBand) Counter() ColorCounter {
	out := ColorCounter{empty: c.Sat0 > min(c.Sat1, 255) || c.Sat1 < 0 || c.Val0 > min(c.Val1, 255) || c.Val1 < 0}
	if out.empty {
		return out
	}
	t := &out.test
	from, to := c.Hue0, c.Hue1
	if from > to { // the others do not pass through red
		from, to, t.invert = c.Hue1+1, c.Hue0-1, 1<<16-1
	}
	bound := func(v int) uint16 { return uint16(min(max(v, 0), hueSixth+1)) }
	for k := range 3 {
		at := 2 * hueSixth * k
		t.least[2*k], t.beyond[2*k] = bound(from-at), bound(to-at+1)
		if k == 0 {
			at = HueTurn // counterclockwise of red lie the last hues
		}
		t.least[2*k+1], t.beyond[2*k+1] = bound(at-to), bound(at-from+1)
	}
	t.sat0, t.sat1 = uint16(max(c.Sat0, 0)), uint16(min(c.Sat1, 255)+1)
	t.val0, t.val1 = int16(max(c.Val0, 0)), int16(min(c.Val1, 255))
	if c.hasHue(0) && c.Sat0 <= 0 {
		t.gray = 1<<16 - 1
	}
	return out
}

// Count returns how many of the colors are in the band. The planes are equally long.
func (c *ColorCounter) Count(r, g, b []uint8) int {
	if c.empty {
		return 0
	}
	return colorCount(r, g[:len(r)], b[:len(r)], &c.test)
}

func (t *colorTest) has(r, g, b int) bool {
	hi, d, sixth, n := hueOf(r, g, b)
	if hi < int(t.val0) || hi > int(t.val1) {
		return false
	}
	if d == 0 {
		return t.gray != 0
	}
	if s := 255*d + hi/2; s < int(t.sat0)*hi || s >= int(t.sat1)*hi {
		return false
	}
	n *= hueSixth
	in := n >= int(t.least[sixth])*d && n < int(t.beyond[sixth])*d
	return in != (t.invert != 0)
}
