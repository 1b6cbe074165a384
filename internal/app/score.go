package app

import (
	"context"
	"fmt"
	"time"

	"ricetta/core/inspect"
	"ricetta/demo"
	"ricetta/internal/folder"
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

// verdicts hands every recorded item on, keeping nothing.
type verdicts chan *station.Item

func (v verdicts) Record(it *station.Item, done func(error)) { go func() { done(nil); v <- it }() }
func (v verdicts) Recorded(*station.Item)                    {}
func (v verdicts) Changed(station.State)                     {}

func scoreLine(ctx context.Context, cfg plant.LineConfig, plan *inspect.Plan, tins int, progress func()) (plant.Score, error) {
	line := plant.NewLine(cfg)
	v := make(verdicts, 64)
	s, err := station.New(cfg.StationConfig(), station.Parts{
		Source: line, Outputs: line, Recorder: v, Listener: v, Clock: time.Now, PictureTimeout: time.Minute,
	}, 0)
	if err != nil {
		return plant.Score{}, err
	}
	defer s.Close()
	line.Attach(s)
	if err := s.Use(plan); err != nil {
		return plant.Score{}, err
	}
	count, next := line.Count()
	if err := s.Start(count, next); err != nil {
		return plant.Score{}, err
	}
	const step = plant.Pitch / 10
	for judged := 0; line.Score().Tins() < int64(tins); judged++ {
		for range plant.Pitch / step {
			line.Step(step)
		}
		select {
		case <-v:
			progress()
		case <-ctx.Done():
			return line.Score(), ctx.Err()
		}
		if st := s.State(); st.Status != station.Running {
			return line.Score(), fmt.Errorf("the line stands: %s", st.Why)
		}
	}
	return line.Score(), nil
}
