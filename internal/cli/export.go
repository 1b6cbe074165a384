package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"ricetta/internal/client"
)

func exportItems(ctx context.Context, c *cli.Command, s *client.Client) (err error) {
	file, err := oneArg(c, "the file to write")
	if err != nil {
		return err
	}
	format := strings.TrimPrefix(filepath.Ext(file), ".")
	if format != "csv" && format != "jsonl" {
		return usagef("%q: end it with .csv or .jsonl", file)
	}
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644) //nolint:gosec // the user's own file
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s is there already; choose another name", file)
	}
	if err != nil {
		return err
	}
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
		if err != nil {
			_ = os.Remove(file)
		}
	}()
	q := filterQuery(c)
	q.Set("format", format)
	each, finish := counting(c, "items")
	n, err := s.ExportItems(ctx, q, f, each)
	finish()
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(c.Root().Writer, map[string]any{"file": file, "items": n})
	}
	line(c.Root().Writer, "%s has %s", file, many(n, "item"))
	return nil
}
