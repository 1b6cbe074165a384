// Command pictures renders the demo pictures into demo/: the reference of the demo
// recipe and a folder of tins as a camera sees them, named after what is wrong with
// them. The same program makes the same pixels. `make demo-pictures` runs it.
package main

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"io"
	"log"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"

	"ricetta/core/raster"
	"ricetta/internal/drawn"
	"ricetta/internal/plant"
)

func main() {
	log.SetFlags(0)
	root := "demo"
	if len(os.Args) > 1 {
		root = os.Args[1]
	}
	if err := run(root); err != nil {
		log.Fatal(err)
	}
}

func run(root string) error {
	for _, product := range []string{plant.Tins, plant.Trays, plant.Sticks, plant.Rolls, plant.Lids} {
		ref := plant.DrawOf(product, 12, 0, nil)
		ref.At = raster.Pose{X: 640, Y: 470, Size: 1}
		ref.Light, ref.GlareR, ref.Gap = 1, 0, 10
		for i := range ref.Pencils {
			ref.Pencils[i].DX, ref.Pencils[i].DY = 0, 0
		}
		if err := write(filepath.Join(root, "recipes", product, "reference.png"), ref); err != nil {
			return err
		}
	}
	for product, defects := range map[string][]plant.Defect{
		plant.Trays:  {plant.Good, plant.PanMissing, plant.PansSwapped, plant.BrushMissing, plant.TrayTurned},
		plant.Sticks: {plant.Good, plant.CapMissing, plant.CapRaised, plant.CodeScratched, plant.DateMissing, plant.DateWrong, plant.DateSmeared, plant.LotWrong},
		plant.Lids:   {plant.Good, plant.CodeMissing, plant.ArticleWrong, plant.CodePale},
		plant.Rolls:  {plant.Good, plant.Bump, plant.Notch},
	} {
		for i, d := range defects {
			name := strings.ReplaceAll(string(d), " ", "-") + ".jpg"
			if err := write(filepath.Join(root, "pictures", product, name), plant.DrawOf(product, 700, int64(i), plant.Rates{d: 1})); err != nil {
				return err
			}
		}
	}
	if err := codes(filepath.Join(root, "pictures", "codes")); err != nil {
		return err
	}
	// Mostly JPEG, to keep the repository small; one of each other format.
	endings := map[plant.Defect][]string{
		plant.Good:     {".png", ".jpg", ".jpg", ".jpg", ".tiff"},
		plant.Missing:  {".jpg", ".jpg"},
		plant.Swapped:  {".jpg", ".jpg"},
		plant.Reversed: {".jpg", ".bmp"},
		plant.NoTin:    {".jpg"},
		plant.Turned:   {".jpg"},
	}
	for _, d := range plant.Defects {
		for i, ending := range endings[d] {
			tin := plant.Draw(500+uint64(i), int64(i), plant.Rates{d: 1})
			name := fmt.Sprintf("%s-%d%s", strings.ReplaceAll(string(d), " ", "-"), i+1, ending)
			if err := write(filepath.Join(root, "pictures", name), tin); err != nil {
				return err
			}
		}
	}
	return nil
}

// codes writes pictures of codes as a lid and a label carry them, well and badly printed.
func codes(dir string) error {
	ean, err := drawn.EAN("4711047110473")
	if err != nil {
		return fmt.Errorf("lid: %w", err)
	}
	matrix, err := drawn.Matrix("RICETTA LID 80 L4711")
	if err != nil {
		return fmt.Errorf("label: %w", err)
	}
	for _, c := range []struct {
		name  string
		code  *drawn.Code
		print drawn.Print
		worn  func(g *raster.Gray, rng *rand.Rand)
	}{
		{"lid-good", ean, drawn.Print{Module: 5, Height: 170, Turn: 4, Quiet: 12, Dark: 34, Light: 226}, nil},
		{"lid-worn-nozzle", ean, drawn.Print{Module: 5, Height: 170, Turn: -7, Quiet: 12, Growth: 0.25, Dark: 52, Light: 206}, func(g *raster.Gray, _ *rand.Rand) {
			for y := 250; y < 262; y++ { // a light streak, where a nozzle gives little
				for x := range g.W {
					v := &g.Pix[y*g.Stride+x]
					*v = uint8(int(*v) + (206-int(*v))*6/10)
				}
			}
		}},
		{"label-good", matrix, drawn.Print{Module: 12, Turn: 3, Quiet: 4, Dark: 34, Light: 226}, nil},
		{"label-scratched", matrix, drawn.Print{Module: 12, Turn: -5, Quiet: 4, Growth: 0.1, Dark: 60, Light: 200}, func(g *raster.Gray, _ *rand.Rand) {
			for y := 190; y < 300; y++ {
				for x := range 14 {
					g.Pix[y*g.Stride+320+x+y/8] = 196
				}
			}
		}},
	} {
		rng := rand.New(rand.NewPCG(uint64(len(c.name)), 4711))
		g := raster.NewGray(720, 480)
		for i := range g.Pix {
			g.Pix[i] = uint8(c.print.Light)
		}
		drawn.PutCode(g, c.code, raster.Point{X: 360, Y: 240}, c.print)
		if c.worn != nil {
			c.worn(g, rng)
		}
		g.Blur(1)
		for i, v := range g.Pix {
			g.Pix[i] = uint8(min(max(float64(v)+rng.NormFloat64()*1.5+0.5, 0), 255))
		}
		var buf bytes.Buffer
		if err := png.Encode(&buf, raster.Picture{Gray: g}.Image()); err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return fmt.Errorf("pictures of codes: %w", err)
		}
		if err := os.WriteFile(filepath.Join(dir, c.name+".png"), buf.Bytes(), 0o600); err != nil {
			return fmt.Errorf("pictures of codes: %w", err)
		}
	}
	return nil
}

func write(path string, tin plant.Piece) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	if err := encode(f, filepath.Ext(path), tin.Picture().Image()); err != nil {
		return err
	}
	return f.Close()
}

func encode(w io.Writer, ending string, img image.Image) error {
	switch ending {
	case ".jpg":
		return jpeg.Encode(w, img, &jpeg.Options{Quality: 90})
	case ".bmp":
		return bmp.Encode(w, img)
	case ".tiff":
		return tiff.Encode(w, img, &tiff.Options{Compression: tiff.Deflate, Predictor: true})
	}
	return (&png.Encoder{CompressionLevel: png.BestCompression}).Encode(w, img)
}
