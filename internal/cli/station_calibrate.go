package cli

import (
	"context"

	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/client"
)

// stationCalibrateCommand says how large a pixel of a station is.
func stationCalibrateCommand() *cli.Command {
	return &cli.Command{
		Name: "calibrate", Usage: "tell a stopped station how large a pixel is, by a known length or a grid of dots under its camera",
		UsageText: "station calibrate --grid MM STATION   or   --length MM --from X,Y --to X,Y STATION   or   --forget STATION",
		Flags:     append(calibrationFlags(), &cli.BoolFlag{Name: "forget", Usage: "go by the site's configuration again"}, serverFlag(), jsonFlag()),
		Action:    onService(stationCalibrate),
	}
}

func stationCalibrate(ctx context.Context, c *cli.Command, s *client.Client) error {
	id, err := oneArg(c, "the id of a station")
	if err != nil {
		return err
	}
	var found api.FoundCalibration
	var keep *api.Calibration
	if !c.Bool("forget") {
		ends, err := knownLength(c)
		if err != nil {
			return err
		}
		in := map[string]any{"grid_mm": c.Float("grid")}
		if ends != nil {
			in = map[string]any{"length_mm": c.Float("length"), "from": []float64{ends[0].X, ends[0].Y}, "to": []float64{ends[1].X, ends[1].Y}}
		}
		if _, err := s.Look(ctx, id); err != nil {
			return err // with a picture of now, not one from before the grid was laid there
		}
		if found, err = s.FindCalibration(ctx, id, in); err != nil {
			return err
		}
		keep = &found.Calibration
	}
	st, err := s.SetCalibration(ctx, id, keep)
	if err != nil {
		return err
	}
	w := c.Root().Writer
	if c.Bool("json") {
		return printJSON(w, st)
	}
	printGrid(w, "", found.Grid)
	switch k := st.Calibration; {
	case k == nil:
		line(w, "%s has no scale; lengths in mm go by the recipe's", st.ID)
	case k.Lens != nil:
		line(w, "%s: one pixel is %.6g mm, the lens moves a corner by %.2g %% of its distance", st.ID, k.MMPerPx, 100*k.Lens.Bend)
	default:
		line(w, "%s: one pixel is %.6g mm", st.ID, k.MMPerPx)
	}
	return nil
}
