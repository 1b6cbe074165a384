package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/urfave/cli/v3"

	"ricetta/core/recipe"
	"ricetta/internal/api"
	"ricetta/internal/client"
)

// Exit statuses.
const (
	exitOK     = 0
	exitFailed = 1
	exitUsage  = 2
)

// DefaultAddr is where the service listens if not told otherwise.
const DefaultAddr = "127.0.0.1:8440"

// usageError is a call that cannot be meant so.
type usageError struct{ error }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

// errSome says that some of many things could not be done; each was told already.
var errSome = errors.New("")

// Main runs the program and returns its exit status.
func Main(args []string, version string) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	return run(ctx, args, version, os.Stdout, os.Stderr)
}

func run(ctx context.Context, args []string, version string, out, errs io.Writer) int {
	err := root(version, out, errs).Run(ctx, args)
	status := statusOf(err)
	if status != exitOK && err != errSome {
		fmt.Fprintln(errs, "ricetta: "+err.Error())
	}
	return status
}

func statusOf(err error) int {
	var usage usageError
	var problems recipe.Problems
	var code cli.ExitCoder
	switch {
	case err == nil, errors.Is(err, context.Canceled):
		return exitOK
	case errors.As(err, &usage), errors.As(err, &problems):
		return exitUsage
	case errors.As(err, &code):
		return code.ExitCode()
	case isFlagError(err):
		return exitUsage
	}
	return exitFailed
}

// isFlagError recognizes the library's own complaints about flags and arguments.
func isFlagError(err error) bool {
	for _, s := range []string{"flag provided but not defined", "invalid value", "flag needs an argument", "Required flag", "No help topic", "sufficient count of arg", "could not parse"} {
		if strings.Contains(err.Error(), s) {
			return true
		}
	}
	return false
}

func root(version string, out, errs io.Writer) *cli.Command {
	c := &cli.Command{
		Name:                  "ricetta",
		Usage:                 "inspect packages on a line, reject the bad ones, and keep count",
		Version:               version,
		Writer:                out,
		ErrWriter:             errs,
		EnableShellCompletion: true,
		Suggest:               true,
		ExitErrHandler:        func(context.Context, *cli.Command, error) {}, // told once, by run
		CommandNotFound:       func(context.Context, *cli.Command, string) {},
		Action:                unknownCommand,
		Commands: []*cli.Command{
			demoCommand(version), serveCommand(version), inspectCommand(), trialCommand(), stressCommand(), sampleCommand(), lineCommand(), doctorCommand(), backupCommand(), restoreCommand(), challengeCommand(), alarmCommand(), linkCommand(), stationCommand(), recipeCommand(), calibrateCommand(), gradeCommand(), itemsCommand(), tallyCommand(), reportCommand(), boardCommand(), watchCommand(),
		},
	}
	tellOnce(c)
	return c
}

// tellOnce makes every command hand wrong usage up instead of printing it.
func tellOnce(c *cli.Command) {
	c.OnUsageError = func(_ context.Context, _ *cli.Command, err error, _ bool) error { return usageError{err} }
	for _, sub := range c.Commands {
		tellOnce(sub)
	}
}

// unknownCommand is reached when no command of a group was named.
func unknownCommand(ctx context.Context, c *cli.Command) error {
	if !c.Args().Present() {
		return cli.ShowSubcommandHelp(c)
	}
	word := c.Args().First()
	var names []string
	for _, sub := range c.VisibleCommands() {
		names = append(names, sub.Name)
	}
	hint := "choose from " + strings.Join(names, ", ")
	if s := cli.SuggestCommand(c.VisibleCommands(), word); s != "" {
		hint = "did you mean " + s + "?"
	}
	return usagef("there is no command %q here; %s", word, hint)
}

// Flags that several commands share.

func jsonFlag() cli.Flag {
	return &cli.BoolFlag{Name: "json", Usage: "print JSON instead of a table"}
}

func serverFlag() cli.Flag {
	return &cli.StringFlag{Name: "server", Value: "http://" + DefaultAddr, Usage: "address of the service", Sources: cli.EnvVars("RICETTA_SERVER")}
}

// onService runs f with a client of the service that the flags name.
func onService(f func(ctx context.Context, c *cli.Command, s *client.Client) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		s, err := client.New(c.String("server"))
		if err != nil {
			return usageError{err}
		}
		err = f(ctx, c, s)
		var p *api.Problem
		if errors.As(err, &p) && p.Status == 400 {
			return usageError{err}
		}
		return err
	}
}

// oneArg returns the only argument of a command.
func oneArg(c *cli.Command, what string) (string, error) {
	if c.NArg() != 1 || c.Args().First() == "" {
		return "", usagef("%s wants %s; as in: ricetta %s", c.FullName(), what, c.UsageText)
	}
	return c.Args().First(), nil
}
