package store

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"ricetta/internal/line"
	"ricetta/internal/station"
)

// RecordPackage implements line.Recorder.
func (s *Store) RecordPackage(p *line.Package, done func(error)) {
	s.mu.RLock()
	defer s.mu.RUnlock()
	if s.closed {
		go done(ErrClosed)
		return
	}
	r := packageRow{
		Line: p.Line, Seq: p.Seq, Run: p.Run, Route: p.Route, Fault: string(p.Fault), Time: p.Time.UnixMilli(), Count: p.Count,
		Product: p.Product, Station: p.Station, Reason: p.Reason, Sentence: p.Sentence, Challenge: p.Challenge,
	}
	select {
	case s.rows <- row{pack: &r, done: done}:
	default:
		go done(ErrBusy)
	}
}

// BeginRun implements line.Runs.
func (s *Store) BeginRun(r line.Run) (int64, error) {
	order, err := json.Marshal(r.Order)
	if err != nil {
		return 0, err
	}
	row := runRow{Line: r.Line, Product: r.Product, Packed: order, Who: r.Who, Means: r.By, Begun: r.Begin.UnixMilli()}
	err = s.write.Transaction(func(tx *gorm.DB) error {
		if err := tx.Model(&runRow{}).Where("line = ? AND ended = 0", r.Line).Update("ended", row.Begun).Error; err != nil {
			return err
		}
		return tx.Create(&row).Error
	})
	return row.ID, err
}

func (r runRow) run() (line.Run, error) {
	out := line.Run{ID: r.ID, Line: r.Line, Product: r.Product, Who: r.Who, By: r.Means, Begin: time.UnixMilli(r.Begun).UTC()}
	if r.Ended > 0 {
		out.End = time.UnixMilli(r.Ended).UTC()
	}
	if err := json.Unmarshal(r.Packed, &out.Order); err != nil {
		return out, fmt.Errorf("the order of run %d is broken: %w", r.ID, err)
	}
	return out, nil
}

// RunsByID returns runs by their numbers, those that there are.
func (s *Store) RunsByID(ids []int64) ([]line.Run, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	return s.runsWhere(s.read.Where("id IN ?", ids))
}

// RunsEnded returns the runs that ended in a span, oldest first.
func (s *Store) RunsEnded(from, until time.Time) ([]line.Run, error) {
	return s.runsWhere(s.read.Where("ended >= ? AND ended < ?", from.UnixMilli(), until.UnixMilli()))
}

func (s *Store) runsWhere(q *gorm.DB) ([]line.Run, error) {
	var rows []runRow
	if err := q.Order("id").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]line.Run, len(rows))
	for i, r := range rows {
		var err error
		if out[i], err = r.run(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// CurrentRun returns the run that a line has not ended, false where it has none.
func (s *Store) CurrentRun(lineID string) (line.Run, bool, error) {
	var r runRow
	err := s.read.Where("line = ? AND ended = 0", lineID).Order("id DESC").Take(&r).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return line.Run{}, false, nil
	}
	if err != nil {
		return line.Run{}, false, err
	}
	run, err := r.run()
	return run, err == nil, err
}

// CountedRun is a run with what became of its packages.
type CountedRun struct {
	line.Run
	Counters line.Counters
}

// Runs returns up to limit runs of a line, all lines where it is "", newest first; before
// continues a list.
func (s *Store) Runs(lineID string, before int64, limit int) ([]CountedRun, error) {
	q := s.read.Order("id DESC").Limit(limit)
	if lineID != "" {
		q = q.Where("line = ?", lineID)
	}
	if before > 0 {
		q = q.Where("id < ?", before)
	}
	var rows []runRow
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]CountedRun, len(rows))
	for i, r := range rows {
		run, err := r.run()
		if err != nil {
			return nil, err
		}
		if out[i], err = s.counted(run); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// CountRun returns what became of the packages of a run so far.
func (s *Store) CountRun(id int64) (line.Counters, error) {
	c := line.Counters{Routes: map[string]int64{}}
	var rows []struct {
		Route  string
		Faulty bool
		N      int64
	}
	err := s.read.Model(&packageRow{}).Select("route, fault <> '' AS faulty, COUNT(*) AS n").Where("run = ? AND challenge = 0", id).Group("route, fault <> ''").Find(&rows).Error
	for _, r := range rows {
		c.Packages += r.N
		c.Routes[r.Route] += r.N
		if r.Faulty {
			c.Faults += r.N
		}
	}
	return c, err
}

func (s *Store) counted(r line.Run) (CountedRun, error) {
	c, err := s.CountRun(r.ID)
	return CountedRun{r, c}, err
}

// LastPackage returns the number of the last package of a line, 0 where it has none.
func (s *Store) LastPackage(lineID string) (int64, error) {
	var seq int64
	err := s.read.Raw("SELECT COALESCE(MAX(seq), 0) FROM packages WHERE line = ?", lineID).Scan(&seq).Error
	return seq, err
}

// LeftOver returns the packages of a line that have items and no record: those that were on the
// belt when the service was killed. Items from before there were packages belong to no run.
func (s *Store) LeftOver(lineID string) ([]line.Package, error) {
	last, err := s.LastPackage(lineID)
	if err != nil {
		return nil, err
	}
	var rows []itemRow
	err = s.read.Omit("findings").Where("line = ? AND seq > ? AND run > 0", lineID, last).Order("seq, id").Find(&rows).Error
	var out []line.Package
	for _, r := range rows {
		if len(out) > 0 && out[len(out)-1].Seq == r.Seq {
			continue
		}
		out = append(out, line.Package{Line: r.Line, Seq: r.Seq, Run: r.Run, Time: time.UnixMilli(r.Time).UTC(), Count: r.Count, Product: r.Product, Challenge: r.Challenge})
	}
	return out, err
}

// PackageOf returns a package of a line, ErrNoItem where there is no such.
func (s *Store) PackageOf(lineID string, seq int64) (line.Package, error) {
	var r packageRow
	err := s.read.Where("line = ? AND seq = ?", lineID, seq).Take(&r).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return line.Package{}, ErrNoItem
	}
	return line.Package{
		Line: r.Line, Seq: r.Seq, Run: r.Run, Time: time.UnixMilli(r.Time).UTC(), Count: r.Count, Product: r.Product,
		Route: r.Route, Station: r.Station, Fault: station.Fault(r.Fault), Reason: r.Reason, Sentence: r.Sentence, Challenge: r.Challenge,
	}, err
}
