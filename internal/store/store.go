package store

import (
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"sync/atomic"

	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"ricetta/internal/shift"
	"ricetta/internal/station"
)

// Options say where and how much is kept.
type Options struct {
	Dir string
	// PictureLimit bounds the bytes of all pictures kept; 0 means 2 GiB.
	PictureLimit int64
	// PassShare keeps the picture of one passed item in so many; 0 means 50, a
	// negative number none.
	PassShare int64
	// Calendar says which shift a moment belongs to; nil: three a day.
	Calendar *shift.Plan
	Log      *slog.Logger
}

// Store is open records. Close it. Its methods may be called concurrently.
type Store struct {
	opts     Options
	write    *gorm.DB // one connection
	read     *gorm.DB
	pictures *pictures

	words sync.RWMutex // guards known
	known dictionary

	layouts map[[2]string]*layout // by station and revision; the writer's

	mu      sync.RWMutex // guards closed against sends on the channels
	closed  bool
	workers []chan incoming
	rows    chan row
	working sync.WaitGroup
	// shots are recorded items whose pictures are still to be kept.
	shots      chan *station.Item
	passedOver atomic.Int64
	showing    sync.WaitGroup
	writing    sync.WaitGroup
}

// workers prepare items (pictures, JSON) side by side; items of one station go
// through one of them, so that they stay in order.
const workerCount = 4

// mostShots is how many pictures wait to be kept at most: a burst of rejects, and no more memory
// than the service may take.
const mostShots = 32

// ErrBusy is given to Record's done when items come faster than they can be kept.
var ErrBusy = errors.New("records come faster than the disk can take them")

// ErrClosed is given to Record's done after Close.
var ErrClosed = errors.New("the records are closed")

// Open opens the records in opts.Dir, making or migrating them as needed.
func Open(opts Options) (*Store, error) {
	if opts.PictureLimit == 0 {
		opts.PictureLimit = 2 << 30
	}
	if opts.PassShare == 0 {
		opts.PassShare = 50
	}
	if opts.Log == nil {
		opts.Log = slog.New(slog.DiscardHandler)
	}
	if err := os.MkdirAll(opts.Dir, 0o750); err != nil {
		return nil, fmt.Errorf("the data folder cannot be made: %w", err)
	}
	s := &Store{opts: opts}
	path := s.path()
	var err error
	if s.write, err = openDB(path, "&_txlock=immediate", 1); err != nil {
		return nil, err
	}
	if err := migrate(s.write); err != nil {
		s.closeDB(s.write)
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	if s.read, err = openDB(path, "&_query_only=1", 4); err != nil {
		s.closeDB(s.write)
		return nil, err
	}
	if err := s.begin(); err != nil {
		s.closeDB(s.read)
		s.closeDB(s.write)
		return nil, err
	}
	if s.pictures, err = openPictures(filepath.Join(opts.Dir, PicturesDir), opts.PictureLimit, s.write); err != nil {
		s.closeDB(s.read)
		s.closeDB(s.write)
		return nil, err
	}
	s.rows = make(chan row, 4096)
	s.shots = make(chan *station.Item, mostShots)
	s.showing.Go(s.keepPictures)
	s.writing.Go(s.writeRows)
	for range workerCount {
		w := make(chan incoming, 64)
		s.workers = append(s.workers, w)
		s.working.Go(func() { s.prepare(w) })
	}
	return s, nil
}

// FileName is the name of the records in a data folder; SQLite keeps files of longer names beside it.
const FileName = "ricetta.db"

// PicturesDir is the folder of kept pictures in a data folder.
const PicturesDir = "pictures"

func (s *Store) path() string { return filepath.Join(s.opts.Dir, FileName) }

// begin learns what is counted. Records from before there were shifts are counted anew.
func (s *Store) begin() error {
	if s.opts.Calendar == nil {
		var err error
		if s.opts.Calendar, err = shift.New(shift.Config{}); err != nil {
			return err
		}
	}
	if err := s.learn(); err != nil {
		return err
	}
	var items, counted int64
	if err := s.read.Raw("SELECT EXISTS (SELECT 1 FROM items)").Scan(&items).Error; err != nil {
		return err
	}
	if err := s.read.Raw("SELECT EXISTS (SELECT 1 FROM counts)").Scan(&counted).Error; err != nil {
		return err
	}
	if items == 0 || counted != 0 {
		return nil
	}
	_, err := s.RebuildTallies(nil)
	return err
}

// openDB opens one pool. Synced commits (FULL): what is told is kept, even when the
// power fails.
func openDB(path, extra string, conns int) (*gorm.DB, error) {
	dsn := "file:" + path + "?_journal_mode=WAL&_synchronous=FULL&_busy_timeout=5000&_foreign_keys=on" + extra
	db, err := gorm.Open(sqlite.Open(dsn), &gorm.Config{
		SkipDefaultTransaction: true, PrepareStmt: true,
		Logger: logger.Discard, // errors come back and are told by whoever asked
	})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	raw, err := db.DB()
	if err != nil {
		return nil, err
	}
	raw.SetMaxOpenConns(conns)
	raw.SetMaxIdleConns(conns)
	return db, nil
}

func (s *Store) closeDB(db *gorm.DB) {
	if raw, err := db.DB(); err == nil {
		if err := raw.Close(); err != nil {
			s.opts.Log.Warn("closing the records", "error", err)
		}
	}
}

// Close waits until everything handed to Record is kept, then closes.
func (s *Store) Close() {
	s.mu.Lock()
	if s.closed {
		s.mu.Unlock()
		return
	}
	s.closed = true
	for _, w := range s.workers {
		close(w)
	}
	s.mu.Unlock()
	s.working.Wait()
	close(s.rows)
	s.writing.Wait()
	close(s.shots)
	s.showing.Wait()
	s.closeDB(s.read)
	s.closeDB(s.write)
}

// LastSeq returns the number of the last item of a station, 0 where it has none.
func (s *Store) LastSeq(stationID string) (int64, error) {
	var seq int64
	err := s.read.Raw("SELECT COALESCE(MAX(seq), 0) FROM items WHERE station = ?", stationID).Scan(&seq).Error
	return seq, err
}

// Count returns how many items are kept.
func (s *Store) Count() (n int64, err error) {
	err = s.read.Raw("SELECT COUNT(*) FROM items").Scan(&n).Error
	return n, err
}

// Healthy reports whether the records can be read.
func (s *Store) Healthy() error {
	var n int
	return s.read.Raw("SELECT 1").Scan(&n).Error
}

// ID is the number of an item in the records.
type ID int64

// String returns the number as digits.
func (id ID) String() string { return strconv.FormatInt(int64(id), 10) }

// Record implements station.Recorder.
func (s *Store) Record(it *station.Item, done func(error)) {
	s.mu.RLock()
	defer s.mu.RUnlock()
	if s.closed {
		go done(ErrClosed)
		return
	}
	h := 0
	for _, c := range it.Station {
		h = h*31 + int(c)
	}
	select {
	case s.workers[uint(h)%workerCount] <- incoming{it, done}:
	default:
		go done(ErrBusy)
	}
}
