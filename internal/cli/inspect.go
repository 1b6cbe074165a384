package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/internal/folder"
)

func inspectCommand() *cli.Command {
	return &cli.Command{
		Name:      "inspect",
		Usage:     "judge picture files with a recipe, without a service",
		UsageText: "inspect --recipe FOLDER PICTURE…   (files, folders, globs)",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "recipe", Required: true, Usage: "folder of the recipe"},
			jsonFlag(),
			&cli.BoolFlag{Name: "findings", Usage: "print what each check found as well"},
			&cli.StringFlag{Name: "draw", Usage: "write each picture to this `FOLDER` with what the checks found drawn over it"},
			orderFlag(),
			quietFlag(),
		},
		Action: inspectFiles,
	}
}

// inspected is one line of --json.
type inspected struct {
	Picture  string              `json:"picture"`
	Revision string              `json:"revision"`
	Route    string              `json:"route"`
	Fault    bool                `json:"fault,omitempty"`
	Reason   string              `json:"reason"`
	Sentence string              `json:"sentence"`
	MS       float64             `json:"ms"`
	Findings []check.FindingJSON `json:"findings"`
	Error    string              `json:"error,omitempty"`
}

func inspectFiles(ctx context.Context, c *cli.Command) error {
	if c.NArg() == 0 {
		return usagef("no picture is named; as in: ricetta %s", c.UsageText)
	}
	plan, err := prepared(c)
	if err != nil {
		return err
	}
	files := folder.Pictures(c.Args().Slice())
	p := &printer{out: c.Root().Writer, json: c.Bool("json"), findings: c.Bool("findings"), bar: barFor(c, len(files), "judging")}
	var d *drawer
	if dir := c.String("draw"); dir != "" {
		if d, err = newDrawer(dir); err != nil {
			return usageError{err}
		}
	}
	runner := plan.NewRunner()
	order, err := orderOf(c)
	if err != nil {
		return err
	}
	runner.Order(order)
	for _, f := range files {
		if ctx.Err() != nil {
			break
		}
		v, err := judgeFile(runner, f, d)
		if err != nil {
			return err
		}
		p.print(v)
	}
	p.end()
	if ctx.Err() != nil {
		return errSome
	}
	if p.broken > 0 {
		return errSome
	}
	return nil
}

func orderFlag() cli.Flag {
	return &cli.StringFlag{Name: "order", Usage: "a `FILE` with what came with the order, as in lot: L4711"}
}

// orderOf reads the file that --order names; nil without one.
func orderOf(c *cli.Command) (check.Order, error) {
	file := c.String("order")
	if file == "" {
		return nil, nil
	}
	o, err := folder.Order(file)
	if err != nil {
		return nil, usageError{err}
	}
	return o, nil
}

// prepared reads the recipe that the flag names and makes it ready; warnings of teaching go
// to where errors go.
func prepared(c *cli.Command) (*inspect.Plan, error) {
	r, _, err := folder.RecipeDir(c.String("recipe"))
	if err != nil {
		return nil, usageError{err}
	}
	plan, err := inspect.Prepare(r)
	if err != nil {
		return nil, usageError{err}
	}
	for _, w := range plan.Warnings {
		line(c.Root().ErrWriter, "%s: %s", w.Check, w.Text)
	}
	return plan, nil
}

// judgeFile judges one file. A file that cannot be read goes to reject like any
// other item without a picture, and says why in Error. d draws what was found; nil for
// nobody. The error is that of a drawing that could not be written.
func judgeFile(r *inspect.Runner, file string, d *drawer) (inspected, error) {
	out := inspected{Picture: file, Revision: r.Plan().Recipe.Revision, Route: "reject", Fault: true, Reason: "picture", Findings: []check.FindingJSON{}}
	pic, err := folder.Picture(file, raster.DefaultDecodeLimits)
	if err == nil && pic.Kind() != r.Plan().Recipe.Picture.Kind {
		err = fmt.Errorf("it is a %s picture, and the recipe is for %s ones", pic.Kind(), r.Plan().Recipe.Picture.Kind)
	}
	if err != nil {
		out.Error = err.Error()
		out.Sentence = "picture: " + out.Error
		return out, nil
	}
	begin := time.Now()
	v := r.Inspect(pic)
	out.MS = check.Rounded(time.Since(begin).Seconds()*1000, 100)
	j := v.JSON()
	out.Route, out.Fault, out.Reason, out.Sentence, out.Findings = j.Route, j.Fault, j.Reason, j.Sentence, j.Findings
	if d != nil {
		return out, d.draw(file, pic, v)
	}
	return out, nil
}

// printer prints verdicts as they come, as JSON lines or as one table at the end.
type printer struct {
	out            io.Writer
	json, findings bool
	bar            *progressbar.ProgressBar
	rows           []inspected
	broken         int
}

func (p *printer) print(v inspected) {
	if p.bar != nil {
		_ = p.bar.Add(1)
	}
	if v.Error != "" {
		p.broken++
	}
	if !p.json {
		p.rows = append(p.rows, v)
		return
	}
	e := json.NewEncoder(p.out)
	e.SetEscapeHTML(false)
	_ = e.Encode(v) // a closed pipe ends the program by itself
}

func (p *printer) end() {
	if p.bar != nil {
		_ = p.bar.Finish()
	}
	if p.json {
		return
	}
	if p.findings {
		for _, v := range p.rows {
			line(p.out, "%s  %s  %s", v.Picture, routeMark(p.out, v.Route, v.Fault), v.Sentence)
			if len(v.Findings) > 0 {
				printFindings(p.out, v.Findings)
			}
			line(p.out, "")
		}
	} else {
		t := newTable(p.out, "picture", "route", "reason", "ms", "says")
		right(t, 4)
		for _, v := range p.rows {
			ms := "–"
			if v.Error == "" {
				ms = fmt.Sprintf("%.1f", v.MS)
			}
			t.AppendRow(table.Row{v.Picture, routeMark(p.out, v.Route, v.Fault), v.Reason, ms, v.Sentence})
		}
		t.Render()
	}
	counts := map[string]int{}
	for _, v := range p.rows {
		if v.Fault {
			counts["fault"]++
		} else {
			counts[v.Route]++
		}
	}
	line(p.out, "\n%d pictures: %d pass, %d rework, %d reject, %d fault", len(p.rows), counts["pass"], counts["rework"], counts["reject"], counts["fault"])
}
