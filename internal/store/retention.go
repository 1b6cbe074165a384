package store

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Retention says how long records are kept; zero values do not bound. Tallies, reviews, runs and
// what was released are kept for good.
type Retention struct {
	// Items and Pictures are the ages at which they go.
	Items, Pictures time.Duration
	// Bytes bounds the database; the oldest items go first. The items of the last day stay.
	Bytes int64
}

// Swept is what a sweep has deleted.
type Swept struct {
	Items, Packages, Pictures int64
	// Longest is how long the writer was held up at most.
	Longest time.Duration
	// Full is set where the database is larger than it may be, and nothing is left that may go.
	Full bool
}

// Deleting goes in steps, so that the writer is never held up for long: a step is made as large as
// fits into stepFor, and the writer has twice that time for itself after each.
const (
	stepFor    = 10 * time.Millisecond
	leastStep  = 20
	mostStep   = 2000
	keepAlways = 24 * time.Hour
)

// Sweep deletes what is older than it is kept. It goes on beside recording, and ends early with ctx.
func (s *Store) Sweep(ctx context.Context, r Retention, now time.Time) (Swept, error) {
	var out Swept
	if r.Pictures > 0 {
		if err := s.sweepPictures(ctx, now.Add(-r.Pictures), &out); err != nil {
			return out, err
		}
	}
	cutoff := int64(0)
	if r.Items > 0 {
		cutoff = now.Add(-r.Items).UnixMilli() / hourMS * hourMS
		if err := s.sweepItems(ctx, cutoff, &out); err != nil {
			return out, err
		}
	}
	if r.Bytes <= 0 {
		return out, nil
	}
	for ctx.Err() == nil {
		used, err := s.used()
		if err != nil || used <= r.Bytes {
			return out, err
		}
		var oldest int64
		if err := s.read.Raw("SELECT COALESCE(MIN(time), 0) FROM items WHERE time >= ?", cutoff).Scan(&oldest).Error; err != nil {
			return out, err
		}
		cutoff = oldest/hourMS*hourMS + hourMS
		if oldest == 0 || cutoff > now.Add(-keepAlways).UnixMilli() {
			out.Full = true
			return out, nil
		}
		if err := s.sweepItems(ctx, cutoff, &out); err != nil {
			return out, err
		}
	}
	return out, ctx.Err()
}

// used is how much of the database holds something.
func (s *Store) used() (bytes int64, err error) {
	var pages, free, size int64
	for q, to := range map[string]*int64{"page_count": &pages, "freelist_count": &free, "page_size": &size} {
		if err := s.read.Raw("PRAGMA " + q).Scan(to).Error; err != nil {
			return 0, err
		}
	}
	return (pages - free) * size, nil
}

// sweepItems deletes items and packages from before a full hour. The last item and package of each
// station and line stay: the next one is numbered by them.
func (s *Store) sweepItems(ctx context.Context, cutoff int64, out *Swept) error {
	var some int64
	if err := s.read.Raw("SELECT EXISTS (SELECT 1 FROM items WHERE time < ?)", cutoff).Scan(&some).Error; err != nil || some == 0 {
		return err
	}
	if err := s.mark(cutoff); err != nil {
		return err
	}
	var layouts []layoutRow
	if err := s.read.Omit("names").Find(&layouts).Error; err != nil {
		return err
	}
	of := map[[2]string]int64{}
	stations, lines := map[string]bool{}, map[string]bool{}
	for _, l := range layouts {
		of[[2]string{l.Station, l.Revision}] = l.ID
	}
	s.words.RLock()
	for _, f := range s.known.byID {
		stations[f.Station], lines[f.Line] = true, true
	}
	s.words.RUnlock()
	lastItems, err := s.lastOf("items", "station", stations)
	if err != nil {
		return err
	}
	lastPacks, err := s.lastOf("packages", "line", lines)
	if err != nil {
		return err
	}
	err = s.steps(ctx, out, func(n int) (func(tx *gorm.DB) error, int, error) {
		var rows []itemRow
		q := s.read.Select("id, station, revision").Where("time < ? AND id NOT IN ?", cutoff, lastItems).Order("time").Limit(n)
		if err := q.Find(&rows).Error; err != nil || len(rows) == 0 {
			return nil, 0, err
		}
		ids := make([]int64, len(rows))
		figures := map[int64][]int64{}
		for i, r := range rows {
			ids[i] = r.ID
			if l := of[[2]string{r.Station, r.Revision}]; l != 0 {
				figures[l] = append(figures[l], r.ID)
			}
		}
		return func(tx *gorm.DB) error {
			for l, items := range figures {
				if err := tx.Exec("DELETE FROM figures WHERE layout = ? AND item IN ?", l, items).Error; err != nil {
					return err
				}
			}
			out.Items += int64(len(ids))
			return tx.Exec("DELETE FROM items WHERE id IN ?", ids).Error
		}, len(rows), nil
	})
	if err != nil {
		return err
	}
	return s.steps(ctx, out, func(n int) (func(tx *gorm.DB) error, int, error) {
		var ids []int64
		err := s.read.Model(&packageRow{}).Where("time < ? AND id NOT IN ?", cutoff, lastPacks).Order("time").Limit(n).Pluck("id", &ids).Error
		if err != nil || len(ids) == 0 {
			return nil, 0, err
		}
		return func(tx *gorm.DB) error {
			out.Packages += int64(len(ids))
			return tx.Exec("DELETE FROM packages WHERE id IN ?", ids).Error
		}, len(ids), nil
	})
}

// mark says that items from before an hour may be gone.
func (s *Store) mark(hour int64) error {
	return s.write.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "name"}}, DoUpdates: clause.Assignments(map[string]any{"value": gorm.Expr("MAX(value, ?)", hour)})}).
		Create(&markRow{markWhole, hour}).Error
}

// lastOf returns the rows with the highest numbers.
func (s *Store) lastOf(tableName, column string, names map[string]bool) ([]int64, error) {
	out := []int64{0} // an empty list is no SQL
	for n := range names {
		var id int64
		if err := s.read.Raw("SELECT COALESCE((SELECT id FROM "+tableName+" WHERE "+column+" = ? ORDER BY seq DESC LIMIT 1), 0)", n).Scan(&id).Error; err != nil {
			return nil, err
		}
		out = append(out, id)
	}
	return out, nil
}

// steps deletes until there is nothing left, one transaction a step. next prepares a step of up to n
// rows and says how many it has.
func (s *Store) steps(ctx context.Context, out *Swept, next func(n int) (func(tx *gorm.DB) error, int, error)) error {
	for n := 100; ; {
		step, got, err := next(n)
		if err != nil || got == 0 {
			return err
		}
		var took time.Duration
		err = s.write.Transaction(func(tx *gorm.DB) error {
			begin := time.Now()
			defer func() { took = time.Since(begin) }()
			return step(tx)
		})
		if err != nil {
			return err
		}
		out.Longest = max(out.Longest, took)
		n = max(leastStep, min(mostStep, int(float64(n)*min(2, float64(stepFor)/float64(max(took, time.Millisecond))))))
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(2 * max(took, time.Millisecond)):
		}
	}
}

// picturesAtOnce is how many pictures one step removes.
const picturesAtOnce = 20

func (s *Store) sweepPictures(ctx context.Context, before time.Time, out *Swept) error {
	p := s.pictures
	for ctx.Err() == nil {
		n, took, err := p.removeBefore(before)
		out.Pictures += int64(n)
		out.Longest = max(out.Longest, took)
		if err != nil || n == 0 {
			return err
		}
		select {
		case <-ctx.Done():
		case <-time.After(2 * max(took, time.Millisecond)):
		}
	}
	return ctx.Err()
}

// removeBefore removes some of the oldest pictures from before a time.
func (p *pictures) removeBefore(before time.Time) (n int, took time.Duration, err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	var old []pictureRow
	if err := p.db.Where("time < ?", before.UnixMilli()).Order("time, hash").Limit(picturesAtOnce).Find(&old).Error; err != nil || len(old) == 0 {
		return 0, 0, err
	}
	hashes := make([]string, len(old))
	for i, r := range old {
		hashes[i] = r.Hash
	}
	begin := time.Now()
	err = p.db.Where("hash IN ?", hashes).Delete(&pictureRow{}).Error
	took = time.Since(begin)
	if err != nil {
		return 0, took, err
	}
	for _, r := range old {
		p.total -= r.Bytes
		if err := os.Remove(p.path(r.Hash)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return len(old), took, err
		}
	}
	return len(old), took, nil
}

// Snapshot writes a consistent copy of the records into a new file, while they are written to.
func (s *Store) Snapshot(ctx context.Context, path string) error {
	db, err := openDB(s.path(), "", 1)
	if err != nil {
		return err
	}
	defer s.closeDB(db)
	return db.WithContext(ctx).Exec("VACUUM INTO ?", path).Error
}
