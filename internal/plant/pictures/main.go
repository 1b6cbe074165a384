// Command pictures renders the demo pictures into demo/: the reference of the demo
// recipe and a folder of tins as a camera sees them, named after what is wrong with
// them. The same program makes the same pixels. `make demo-pictures` runs it.
package main

import (
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"io"
	"log"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"

	"ricetta/core/raster"
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
	for _, product := range []string{plant.Tins, plant.Trays, plant.Sticks, plant.Rolls} {
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
		plant.Sticks: {plant.Good, plant.CapMissing, plant.CapRaised, plant.CodeScratched},
		plant.Rolls:  {plant.Good, plant.Bump, plant.Notch},
	} {
		for i, d := range defects {
			name := strings.ReplaceAll(string(d), " ", "-") + ".jpg"
			if err := write(filepath.Join(root, "pictures", product, name), plant.DrawOf(product, 700, int64(i), plant.Rates{d: 1})); err != nil {
				return err
			}
		}
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
