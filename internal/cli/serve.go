package cli

import (
	"context"
	"log/slog"
	"os"
	"runtime"
	"runtime/debug"

	"github.com/urfave/cli/v3"

	"ricetta/internal/app"
)

func serveFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "data", Value: "data", Usage: "folder of configuration, recipes and records", Sources: cli.EnvVars("RICETTA_DATA")},
		&cli.StringFlag{Name: "listen", Value: DefaultAddr, Usage: "address to listen on", Sources: cli.EnvVars("RICETTA_LISTEN")},
		&cli.BoolFlag{Name: "hold", Usage: "keep the stations stopped until somebody starts them"},
		&cli.BoolFlag{Name: "verbose", Usage: "log more"},
	}
}

func serveCommand(version string) *cli.Command {
	return &cli.Command{
		Name:   "serve",
		Usage:  "run the service: stations, records, interface and console",
		Flags:  serveFlags(),
		Action: func(ctx context.Context, c *cli.Command) error { return serve(ctx, c, version, func(*app.App) {}) },
	}
}

// spareThreads are those beyond one for each core; internal/bench measures with as many.
const spareThreads = 4

// serve runs the service until ctx ends; ready is called when it listens.
func serve(ctx context.Context, c *cli.Command, version string, ready func(*app.App)) error {
	if c.NArg() > 0 {
		return usagef("%s takes no arguments, but got %q", c.FullName(), c.Args().First())
	}
	level := slog.LevelInfo
	if c.Bool("verbose") {
		level = slog.LevelDebug
	}
	w := c.Root().ErrWriter
	if w == nil {
		w = os.Stderr
	}
	if os.Getenv("GOMEMLIMIT") == "" {
		// Pictures are large and short-lived: without a limit the heap would swing
		// between what is kept and twice that. The service is to stay below 300 MB.
		debug.SetMemoryLimit(220 << 20)
	}
	if os.Getenv("GOMAXPROCS") == "" {
		// Judging can keep every core busy for ten milliseconds at a time, and an ejector cannot
		// wait for that: with threads to spare, the kernel runs what wakes at once.
		runtime.GOMAXPROCS(runtime.GOMAXPROCS(0) + spareThreads)
	}
	log := slog.New(slog.NewTextHandler(w, &slog.HandlerOptions{Level: level}))
	a, err := app.New(app.Options{DataDir: c.String("data"), Listen: c.String("listen"), Version: version, Hold: c.Bool("hold"), Log: log})
	if err != nil {
		return err
	}
	log.Info("listening", "address", "http://"+a.Addr(), "version", version)
	ready(a)
	return a.Run(ctx)
}
