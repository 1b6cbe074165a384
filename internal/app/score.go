package app

import (
	"context"
	"fmt"
	"time"

	"ricetta/core/inspect"
	"ricetta/demo"
	"ricetta/internal/folder"
	"ricetta/internal/line"
	"ricetta/internal/plant"
	"ricetta/internal/station"
)

// ScoreDemo runs the demo lines as fast as this machine judges, with nothing
// recorded, until each has carried so many tins, and returns the truth against what
// happened. progress is told of every tin judged.
func ScoreDemo(ctx context.Context, tins int, progress func()) (plant.Score, error) {
	sum := plant.NewScore()
	for _, cfg := range plant.Lines() {
		r, _, err := folder.Recipe(demo.Recipes, "recipes/"+cfg.Product)
		if err != nil {
			return sum, err
		}
		plan, err := inspect.Prepare(r)
		if err != nil {
			return sum, err
		}
		s, err := scoreLine(ctx, cfg, plan, tins, progress)
		if err != nil {
			return sum, err
		}
		sum.Add(s)
	}
	return sum, nil
}

// verdicts hands every recorded item on, keeping nothing, and has one recipe for all.
type verdicts struct {
	items chan *station.Item
	plan  *inspect.Plan
}

func (v verdicts) Record(it *station.Item, done func(error)) {
	go func() { done(nil); v.items <- it }()
}
func (v verdicts) RecordPackage(_ *line.Package, done func(error)) { go done(nil) }
func (v verdicts) Recorded(*station.Item)                          {}
func (v verdicts) Changed(station.State)                           {}
func (v verdicts) PackageRecorded(*line.Package)                   {}
func (v verdicts) LineChanged(line.State)                          {}
func (v verdicts) BeginRun(line.Run) (int64, error)                { return 1, nil }
func (v verdicts) Plan(string, string) (*inspect.Plan, error)      { return v.plan, nil }

func scoreLine(ctx context.Context, cfg plant.DemoLine, plan *inspect.Plan, tins int, progress func()) (plant.Score, error) {
	belt := plant.NewLine(cfg.LineConfig)
	v := verdicts{make(chan *station.Item, 64), plan}
	c := cfg.Config()
	c.Challenges = nil // it is scored as it comes
	l, err := line.New(c, line.Parts{Driver: belt, Recorder: v, Runs: v, Recipes: v, Listener: v, Clock: time.Now}, 0)
	if err != nil {
		return plant.Score{}, err
	}
	defer l.Close()
	for _, c := range cfg.Stations {
		s, err := station.New(c, station.Parts{Source: belt.Camera(c.ID, c.Offset), Line: l, Recorder: v, Listener: v, Clock: time.Now, PictureTimeout: time.Minute}, 0)
		if err != nil {
			return plant.Score{}, err
		}
		l.Add(s)
	}
	belt.Attach(l)
	if _, err := l.Change(line.Run{Product: cfg.Product}); err != nil {
		return plant.Score{}, err
	}
	count, next := belt.Count()
	if err := l.Start(count, next, false); err != nil {
		return plant.Score{}, err
	}
	const step = plant.Pitch / 10
	for judged := 0; belt.Score().Tins() < int64(tins); judged++ {
		for range plant.Pitch / step {
			belt.Step(step)
		}
		select {
		case <-v.items:
			progress()
		case <-ctx.Done():
			return belt.Score(), ctx.Err()
		}
		if st := l.State(); st.Status != station.Running {
			return belt.Score(), fmt.Errorf("the line stands: %s", st.Why)
		}
	}
	return belt.Score(), nil
}
