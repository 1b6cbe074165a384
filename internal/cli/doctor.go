package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/urfave/cli/v3"

	"ricetta/internal/app"
)

func doctorCommand() *cli.Command {
	return &cli.Command{
		Name: "doctor", Usage: "look whether the records are sound; the service must not run", UsageText: "doctor [--rebuild-tallies] --data FOLDER",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "data", Value: "data", Usage: "data folder", Sources: cli.EnvVars("RICETTA_DATA")},
			&cli.BoolFlag{Name: "rebuild-tallies", Usage: "count all items anew"},
			jsonFlag(),
		},
		Action: doctor,
	}
}

func doctor(_ context.Context, c *cli.Command) error {
	out := c.Root().Writer
	d, err := app.Examine(c.String("data"), c.Bool("rebuild-tallies"))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		if err := printJSON(out, d); err != nil {
			return err
		}
	} else {
		line(out, "records     %s", d.Integrity)
		if c.Bool("rebuild-tallies") {
			line(out, "tallies     counted anew from %d items", d.Rebuilt)
		}
		printTallies(out, d)
	}
	if d.Integrity != "ok" || len(d.Differs) > 0 {
		return fmt.Errorf("the records are not sound; restore a backup, or count anew with --rebuild-tallies")
	}
	return nil
}

// printTallies says whether the tallies are the items.
func printTallies(w io.Writer, d app.Diagnosis) {
	if len(d.Differs) == 0 {
		line(w, "tallies     are the items")
	}
	for _, x := range d.Differs {
		line(w, "tallies     %s", x)
	}
}
