package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/client"
	"ricetta/internal/store"
)

func boardCommand() *cli.Command {
	flags := func(more ...cli.Flag) []cli.Flag { return append(more, serverFlag(), jsonFlag()) }
	return &cli.Command{
		Name: "board", Usage: "the boards that people have arranged in the console", Action: unknownCommand,
		Commands: []*cli.Command{
			{Name: "list", Usage: "all boards", Flags: flags(), Action: onService(listBoards)},
			{Name: "show", Usage: "one board as JSON, as board put takes it", UsageText: "board show NAME", Flags: flags(), Action: onService(showBoard)},
			{
				Name: "put", Usage: "make a board of a file, over one of that name if there is one", UsageText: "board put NAME FILE.json",
				Flags:  flags(&cli.StringFlag{Name: "who", Usage: "your name", Sources: cli.EnvVars("RICETTA_WHO", "USER")}),
				Action: onService(putBoard),
			},
			{Name: "remove", Usage: "delete a board", UsageText: "board remove NAME", Flags: flags(), Action: onService(removeBoard)},
		},
	}
}

func listBoards(ctx context.Context, c *cli.Command, s *client.Client) error {
	list, err := s.Boards(ctx)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	if len(list.Boards) == 0 {
		line(out, "There are no boards yet. Begin one in the console, under Boards.")
		return nil
	}
	t := newTable(out, "board", "panels", "by", "changed")
	right(t, 2)
	for _, b := range list.Boards {
		t.AppendRow(table.Row{b.Name, len(b.Panels), b.Who, clock(b.Time)})
	}
	t.Render()
	return nil
}

func showBoard(ctx context.Context, c *cli.Command, s *client.Client) error {
	name, err := oneArg(c, "the name of a board")
	if err != nil {
		return err
	}
	b, err := s.Board(ctx, name)
	if err != nil {
		return err
	}
	return printJSON(c.Root().Writer, b)
}

func putBoard(ctx context.Context, c *cli.Command, s *client.Client) error {
	if c.NArg() != 2 {
		return usagef("give a name and a file, as in: board put morning board.json")
	}
	name, file := c.Args().Get(0), c.Args().Get(1)
	data, err := os.ReadFile(file) //nolint:gosec // the user's own file
	if err != nil {
		return err
	}
	var b store.Board
	if err := json.Unmarshal(data, &b); err != nil {
		return fmt.Errorf("%s is no board: %w; write it as ricetta board show does", file, err)
	}
	list, err := s.Boards(ctx)
	if err != nil {
		return err
	}
	var since *time.Time
	for _, there := range list.Boards {
		if there.Name == name {
			since = &there.Time
		}
	}
	kept, err := s.KeepBoard(ctx, name, b.Panels, c.String("who"), since)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(c.Root().Writer, kept)
	}
	line(c.Root().Writer, "the board %s has %s", kept.Name, many(len(kept.Panels), "panel"))
	return nil
}

func removeBoard(ctx context.Context, c *cli.Command, s *client.Client) error {
	name, err := oneArg(c, "the name of a board")
	if err != nil {
		return err
	}
	list, err := s.DropBoard(ctx, name)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(c.Root().Writer, list)
	}
	line(c.Root().Writer, "the board %s is deleted", name)
	return nil
}
