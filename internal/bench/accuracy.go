package main

import (
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"slices"

	"ricetta/core/check"
	"ricetta/core/locate"
	"ricetta/core/raster"
	"ricetta/demo"
	"ricetta/internal/folder"
	"ricetta/internal/plant"
)

// printAccuracy prints every table, or that of one part.
func printAccuracy(w io.Writer, only string) error {
	for _, part := range []struct {
		name  string
		print func(io.Writer) error
	}{{"tins", tinAccuracy}, {"datums", datumAccuracy}, {"counts", countAccuracy}, {"measures", measureAccuracy}, {"looks", lookAccuracy}, {"colors", colorAccuracy}, {"codes", codeAccuracy}, {"texts", textAccuracy}} {
		if only != "" && part.name != only {
			continue
		}
		if err := part.print(w); err != nil {
			return err
		}
		fmt.Fprintln(w)
	}
	return nil
}

// tinAccuracy finds the demo datum in rendered tins whose pose is known: turned at
// random, as they come and with a plate over 30 % of the taught points, and on belts
// without a tin.
func tinAccuracy(w io.Writer) error {
	r, _, err := folder.Recipe(demo.Recipes, "recipes/"+plant.Tins)
	if err != nil {
		return err
	}
	refPic, err := raster.Decode(r.Files[r.Document.Picture.Reference], ".png", raster.DefaultDecodeLimits)
	if err != nil {
		return err
	}
	s := *r.Find("tin").Settings.(*locate.OutlineSettings)
	s.Turn, s.AcceptScore = 180, 0.55
	t := check.Teaching{Picture: refPic, Reference: refPic.Luma(new(raster.Gray))}
	taught, err := locate.Outline.Teach(&t, &s)
	if err != nil {
		return err
	}
	j := taught.NewJudge()
	center := s.Region.Center()
	home := raster.Point{X: 640, Y: 470} // where the reference tin lies

	fmt.Fprintln(w, "locate.outline on demo tins, ±180°\tfound\tplace, median\tworst\tturn, median\tworst\t")
	const n = 120
	for _, covered := range []bool{false, true} {
		rng := rand.New(rand.NewPCG(3, 4))
		var offs, turns []float64
		for i := range int64(n) {
			tin := plant.Draw(900, i, nil)
			tin.At.Angle = rng.Float64()*360 - 180
			pic := tin.Picture().Luma(new(raster.Gray)).Clone()
			m := raster.Moving(home, tin.At)
			if covered {
				var p raster.Painter
				y0, y1 := stretch(t.Marks[0].Points, 0.3, rng.Float64())
				p.Fill(pic, raster.Rect(s.Region.Rect[0]-5, y0, s.Region.Rect[2]+10, y1-y0).Outline(m, nil), 128)
			}
			f := judge(j, pic)
			if f.Outcome != check.OK {
				continue
			}
			want := m.Apply(center)
			x, _ := f.Value("x")
			y, _ := f.Value("y")
			a, _ := f.Value("angle")
			offs = append(offs, math.Hypot(x-want.X, y-want.Y))
			turns = append(turns, math.Abs(raster.WrapAngle(a-tin.At.Angle)))
		}
		if len(offs) == 0 {
			return fmt.Errorf("nothing was found")
		}
		slices.Sort(offs)
		slices.Sort(turns)
		name := "  as they come"
		if covered {
			name = "  30 % of the outline covered"
		}
		fmt.Fprintf(w, "%s\t%d of %d\t%.3f px\t%.3f px\t%.3f°\t%.3f°\t\n", name, len(offs), n, offs[len(offs)/2], offs[len(offs)-1], turns[len(turns)/2], turns[len(turns)-1])
	}
	found := 0
	for i := range int64(n) {
		tin := plant.Draw(901, i, plant.Rates{plant.NoTin: 1})
		if judge(j, tin.Picture().Luma(new(raster.Gray))).Outcome == check.OK {
			found++
		}
	}
	fmt.Fprintf(w, "  belts without a tin\t%d of %d\t\t\t\t\t\n", found, n)
	fmt.Fprintln(w, "  target\t≥ 97 %, none where absent\t≤ 0.08 px\t\t≤ 0.05°\t\t")
	return nil
}

// stretch returns the heights between which the given share of the points lies,
// beginning at a random one of them.
func stretch(points []raster.Point, share, at float64) (y0, y1 float64) {
	var ys []float64
	for _, p := range points {
		ys = append(ys, p.Y)
	}
	slices.Sort(ys)
	n := int(share * float64(len(ys)))
	i := int(at * float64(len(ys)-n))
	return ys[i], ys[i+n-1]
}

func judge(j check.Judge, g *raster.Gray) *check.Finding {
	return judgePicture(j, raster.Picture{Gray: g})
}

func judgePicture(j check.Judge, p raster.Picture) *check.Finding {
	var in check.Input
	var f check.Finding
	in.Reset(p)
	f.Reset()
	j.Judge(&in, &f)
	return &f
}
