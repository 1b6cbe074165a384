package cli

import (
	"context"
	"fmt"
	"io"
	"path/filepath"

	"github.com/urfave/cli/v3"

	"ricetta/core/measure"
	"ricetta/core/raster"
	"ricetta/internal/folder"
)

func calibrateCommand() *cli.Command {
	return &cli.Command{
		Name:      "calibrate",
		Usage:     "find how large a pixel is and how the lens bends, without a service",
		UsageText: "calibrate --grid MM PICTURE   or   calibrate --length MM --from X,Y --to X,Y",
		Description: "With --grid from the picture of a printed grid of round dots, that many millimeters apart both ways and seen\n" +
			"straight from above; with --length from two places a known length apart. Put what is printed under the station in site.yaml.",
		Flags:  append(calibrationFlags(), jsonFlag()),
		Action: calibrate,
	}
}

func calibrationFlags() []cli.Flag {
	return []cli.Flag{
		&cli.FloatFlag{Name: "grid", Usage: "pitch of the dots in mm"},
		&cli.FloatFlag{Name: "length", Usage: "known length in mm"},
		&cli.StringFlag{Name: "from", Usage: "one end of it, X,Y in pixels"},
		&cli.StringFlag{Name: "to", Usage: "its other end"},
	}
}

// knownLength reads the two ends of --length; nil where --grid is given.
func knownLength(c *cli.Command) ([]raster.Point, error) {
	if c.IsSet("grid") == c.IsSet("length") {
		return nil, usagef("give either --grid, or --length with --from and --to; as in: ricetta %s", c.UsageText)
	}
	if c.IsSet("grid") {
		return nil, nil
	}
	ends := make([]raster.Point, 2)
	for i, name := range []string{"from", "to"} {
		if _, err := fmt.Sscanf(c.String(name), "%g,%g", &ends[i].X, &ends[i].Y); err != nil {
			return nil, usagef("--%s %q is no place; give it as X,Y", name, c.String(name))
		}
	}
	return ends, nil
}

// calibrated is what calibrate --json prints.
type calibrated struct {
	Calibration raster.Calibration  `json:"calibration"`
	Grid        *measure.GridReport `json:"grid,omitempty"`
}

func calibrate(_ context.Context, c *cli.Command) error {
	var out calibrated
	ends, err := knownLength(c)
	if err != nil {
		return err
	}
	switch {
	case ends != nil:
		if out.Calibration, err = measure.ScaleOf(ends[0], ends[1], c.Float("length")); err != nil {
			return usageError{err}
		}
	default:
		var file string
		file, err = oneArg(c, "the picture of a dot grid")
		if err != nil {
			return err
		}
		pic, err := folder.Picture(file, raster.DefaultDecodeLimits)
		if err != nil {
			return fmt.Errorf("%s: %w", filepath.Base(file), err)
		}
		k, report, err := measure.CalibrateGrid(pic.Luma(new(raster.Gray)), c.Float("grid"))
		if err != nil {
			return fmt.Errorf("%s: %w", filepath.Base(file), err)
		}
		out.Calibration, out.Grid = k, &report
	}
	w := c.Root().Writer
	if c.Bool("json") {
		return printJSON(w, out)
	}
	printGrid(w, "# ", out.Grid)
	line(w, "calibration:")
	line(w, "  mm_per_px: %.6g", out.Calibration.MMPerPx)
	if l := out.Calibration.Lens; l != nil {
		line(w, "  lens: {center: {x: %.6g, y: %.6g}, reach: %.6g, bend: %.4g}", l.Center.X, l.Center.Y, l.Reach, l.Bend)
	}
	return nil
}

func printGrid(w io.Writer, before string, r *measure.GridReport) {
	if r != nil {
		line(w, "%s%d dots lie on the grid, %.2f px off it in the mean and %.2f at most; it is turned by %.1f°", before, r.Dots, r.RMS, r.Worst, r.Turn)
	}
}
