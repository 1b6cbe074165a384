package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/urfave/cli/v3"

	"ricetta/internal/app"
	"ricetta/internal/backup"
	"ricetta/internal/client"
)

func backupCommand() *cli.Command {
	return &cli.Command{
		Name: "backup", Usage: "write all that a running service keeps into a file, and read it over", UsageText: "backup [--pictures] FILE.zip",
		Flags:  []cli.Flag{serverFlag(), jsonFlag(), quietFlag(), &cli.BoolFlag{Name: "pictures", Usage: "with the kept pictures"}},
		Action: onService(writeBackup),
	}
}

func restoreCommand() *cli.Command {
	return &cli.Command{
		Name: "restore", Usage: "take a backup out into a new data folder, and look whether all of it is as it was", UsageText: "restore FILE.zip FOLDER",
		Flags:  []cli.Flag{jsonFlag(), quietFlag()},
		Action: restore,
	}
}

func writeBackup(ctx context.Context, c *cli.Command, s *client.Client) (err error) {
	file, err := oneArg(c, "the file to write")
	if err != nil {
		return err
	}
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600) //nolint:gosec // the user's own file
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s is there already; choose another name", file)
	}
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			_ = os.Remove(file)
		}
	}()
	var to io.Writer = f
	bar := byteBar(c, -1, "writing")
	if bar != nil {
		to = io.MultiWriter(f, bar)
	}
	err = s.Backup(ctx, to, c.Bool("pictures"))
	if bar != nil {
		_ = bar.Finish()
	}
	if err == nil {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		return err
	}
	m, err := backup.Verify(file, weighing(c, "reading over"))
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, m)
	}
	line(out, "%s holds %s of %s (%.1f MB), each read over and as it was", file, many(len(m.Files), "file"), m.Site, float64(m.Bytes())/1e6)
	if !m.Pictures {
		line(out, "without the kept pictures; take them in with --pictures")
	}
	line(out, "To use it: ricetta restore %s FOLDER, then ricetta serve --data FOLDER", file)
	return nil
}

func restore(_ context.Context, c *cli.Command) error {
	if c.NArg() != 2 {
		return usagef("give a backup and a new folder, as in: restore ricetta-monday.zip data-restored")
	}
	file, dir := c.Args().Get(0), c.Args().Get(1)
	r, err := app.Restore(file, dir, weighing(c, "restoring"))
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		if err := printJSON(out, r); err != nil {
			return err
		}
	} else {
		line(out, "%s is that of %s, of %s, written by version %s", dir, r.Site, clock(r.Time), r.Version)
		line(out, "files       %d, each as it was", len(r.Files))
		line(out, "records     %s, %s", r.Integrity, many(int(r.Items), "item"))
		printTallies(out, r.Diagnosis)
	}
	if r.Integrity != "ok" || len(r.Differs) > 0 {
		return errors.New("the records in it are not sound; take an older backup, or count anew with ricetta doctor --rebuild-tallies")
	}
	if !c.Bool("json") {
		line(out, "\nTo run on it: ricetta serve --data %s", dir)
	}
	return nil
}
