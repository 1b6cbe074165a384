package cli

import (
	"context"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/check"
	"ricetta/internal/client"
)

// cameraCommand shows and sets the camera of a station.
func cameraCommand() *cli.Command {
	number := func(name, usage string) cli.Flag { return &cli.FloatFlag{Name: name, Usage: usage} }
	return &cli.Command{
		Name: "camera", Usage: "show and set the camera of a stopped station", UsageText: "station camera [--exposure MS] [--gain DB] [--light PERCENT] [--focus N] [--find exposure|focus] STATION",
		Flags: []cli.Flag{
			serverFlag(), jsonFlag(), number("exposure", "exposure in ms"), number("gain", "gain in dB"), number("light", "level of the light in percent"), number("focus", "place of the lens, 0 to 100"),
			&cli.StringFlag{Name: "find", Usage: "find the best exposure or focus"},
		},
		Action: onService(setCamera),
	}
}

func setCamera(ctx context.Context, c *cli.Command, s *client.Client) error {
	id, err := oneArg(c, "the id of a station")
	if err != nil {
		return err
	}
	cam, err := s.Camera(ctx, id)
	if err != nil {
		return err
	}
	now, changed := cam.Settings, false
	for name, v := range map[string]*float64{"exposure": &now.ExposureMS, "gain": &now.GainDB, "light": &now.Light, "focus": &now.Focus} {
		if c.IsSet(name) {
			*v, changed = c.Float(name), true
		}
	}
	if changed {
		if cam, err = s.SetCamera(ctx, id, now); err != nil {
			return err
		}
	}
	if what := c.String("find"); what != "" {
		if cam, err = s.FindCamera(ctx, id, what); err != nil {
			return err
		}
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, cam)
	}
	t := newTable(out, "setting", "now", "least", "most")
	right(t, 2, 3, 4)
	row := func(name string, v, least, most float64) {
		n := func(v float64) string { return string(check.AppendNumber(nil, v)) }
		t.AppendRow(table.Row{name, n(v), n(least), n(most)})
	}
	row("exposure, ms", cam.Settings.ExposureMS, cam.Least.ExposureMS, cam.Most.ExposureMS)
	row("gain, dB", cam.Settings.GainDB, cam.Least.GainDB, cam.Most.GainDB)
	row("light, %", cam.Settings.Light, cam.Least.Light, cam.Most.Light)
	row("focus", cam.Settings.Focus, cam.Least.Focus, cam.Most.Focus)
	t.Render()
	return nil
}
