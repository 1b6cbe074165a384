package cli

import (
	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"
)

// What shows how far something is, where somebody sees it.

func quietFlag() cli.Flag { return &cli.BoolFlag{Name: "quiet", Usage: "no progress bar"} }

// seen reports whether somebody would see a bar.
func seen(c *cli.Command) bool { return !c.Bool("quiet") && isTerminal(c.Root().ErrWriter) }

// barFor returns a progress bar, nil where nobody would see it.
func barFor(c *cli.Command, n int, what string) *progressbar.ProgressBar {
	if n < 5 || !seen(c) {
		return nil
	}
	return progressbar.NewOptions(n, progressbar.OptionSetWriter(c.Root().ErrWriter), progressbar.OptionSetDescription(what),
		progressbar.OptionShowCount(), progressbar.OptionClearOnFinish(), progressbar.OptionSetWidth(30))
}

// counting returns what is told how many of so many are done, and what ends its bar.
func counting(c *cli.Command, what string) (each func(done, of int), finish func()) {
	var bar *progressbar.ProgressBar
	return func(done, of int) {
			if bar == nil {
				bar = barFor(c, of, what)
			}
			if bar != nil {
				_ = bar.Set(min(done, of))
			}
		}, func() {
			if bar != nil {
				_ = bar.Finish()
			}
		}
}

// byteBar returns a bar of bytes, of which -1 is not known; nil where nobody would see it.
func byteBar(c *cli.Command, of int64, what string) *progressbar.ProgressBar {
	if !seen(c) {
		return nil
	}
	return progressbar.NewOptions64(of, progressbar.OptionSetWriter(c.Root().ErrWriter), progressbar.OptionSetDescription(what), progressbar.OptionShowBytes(true), progressbar.OptionClearOnFinish())
}

// weighing returns what is told how many bytes are done.
func weighing(c *cli.Command, what string) func(done, of int64) {
	var bar *progressbar.ProgressBar
	return func(done, of int64) {
		if bar == nil {
			bar = byteBar(c, of, what)
		}
		if bar != nil {
			_ = bar.Set64(done)
		}
	}
}
