package store

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"

	"ricetta/core/raster"
	"ricetta/internal/disk"
	"ricetta/internal/station"
)

// pictures is the folder of kept pictures. Its table and its files agree, and the
// files' sizes add up to no more than the limit.
type pictures struct {
	dir   string
	limit int64
	db    *gorm.DB

	mu    sync.Mutex
	total int64
}

// openPictures brings table and folder into agreement after a crash: a row without
// its file and a file without its row go.
func openPictures(dir string, limit int64, db *gorm.DB) (*pictures, error) {
	if err := os.MkdirAll(dir, 0o750); err != nil {
		return nil, fmt.Errorf("the folder for pictures cannot be made: %w", err)
	}
	p := &pictures{dir: dir, limit: limit, db: db}
	var rows []pictureRow
	if err := db.Find(&rows).Error; err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, r := range rows {
		info, err := os.Stat(p.path(r.Hash))
		if err != nil || info.Size() != r.Bytes {
			if err := p.remove(r); err != nil {
				return nil, err
			}
			continue
		}
		known[p.path(r.Hash)] = true
		p.total += r.Bytes
	}
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || known[path] {
			return err
		}
		return os.Remove(path)
	})
	if err != nil {
		return nil, fmt.Errorf("the folder for pictures cannot be read: %w", err)
	}
	return p, p.makeRoom(0)
}

func (p *pictures) path(hash string) string {
	return filepath.Join(p.dir, hash[:2], hash+".png")
}

// keep writes the picture, unless it is there already, and returns its hash. It
// makes room first, so that the limit holds at every moment.
func (p *pictures) keep(pic raster.Picture, now time.Time) (string, error) {
	file, err := raster.EncodePNG(pic)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(file)
	hash := hex.EncodeToString(sum[:])
	size := int64(len(file))

	p.mu.Lock()
	defer p.mu.Unlock()
	if size > p.limit {
		return "", fmt.Errorf("a picture of %d bytes is larger than all that may be kept (%d)", size, p.limit)
	}
	var n int64
	if err := p.db.Model(&pictureRow{}).Where("hash = ?", hash).Count(&n).Error; err != nil {
		return "", err
	}
	if n > 0 {
		return hash, nil
	}
	if err := p.makeRoom(size); err != nil {
		return "", err
	}
	path := p.path(hash)
	if err := os.MkdirAll(filepath.Dir(path), 0o750); err != nil {
		return "", err
	}
	if err := disk.Write(path, file, 0o600); err != nil {
		return "", err
	}
	if err := p.db.Create(&pictureRow{Hash: hash, Bytes: size, Time: now.UnixMilli()}).Error; err != nil {
		return "", errors.Join(err, os.Remove(p.path(hash)))
	}
	p.total += size
	return hash, nil
}

// makeRoom removes the oldest pictures until size more bytes fit. It needs the lock.
func (p *pictures) makeRoom(size int64) error {
	for p.total+size > p.limit {
		var oldest []pictureRow
		if err := p.db.Order("time, hash").Limit(20).Find(&oldest).Error; err != nil {
			return err
		}
		if len(oldest) == 0 {
			return nil
		}
		for _, r := range oldest {
			if p.total+size <= p.limit {
				break
			}
			if err := p.remove(r); err != nil {
				return err
			}
			p.total -= r.Bytes
		}
	}
	return nil
}

func (p *pictures) remove(r pictureRow) error {
	if err := p.db.Delete(&r).Error; err != nil {
		return err
	}
	if err := os.Remove(p.path(r.Hash)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// ErrNoPicture says that a picture is not kept, or no longer.
var ErrNoPicture = errors.New("this picture is not kept, or no longer: pictures are kept of what did not pass and of a share of what did, the newest ones")

// Picture returns the PNG file of a kept picture.
func (s *Store) Picture(hash string) ([]byte, error) {
	if len(hash) != 64 || strings.Trim(hash, "0123456789abcdef") != "" {
		return nil, ErrNoPicture
	}
	data, err := os.ReadFile(s.pictures.path(hash))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, ErrNoPicture
	}
	return data, err
}

// PictureBytes returns how much the kept pictures take.
func (s *Store) PictureBytes() int64 {
	s.pictures.mu.Lock()
	defer s.pictures.mu.Unlock()
	return s.pictures.total
}

// keepPictures writes the pictures of items that are on record, behind the work: a record does
// not wait for its picture, and a picture is given up where they come faster than the disk takes
// them. It works at a lower priority than what decides.
func (s *Store) keepPictures() {
	quietly()
	for it := range s.shots {
		hash, err := s.pictures.keep(it.Picture, it.Time)
		if err == nil {
			err = s.write.Model(&itemRow{}).Where("station = ? AND seq = ?", it.Station, it.Seq).Update("picture", hash).Error
		}
		if err != nil {
			// The verdict and its figures matter more than the picture.
			s.opts.Log.Warn("a picture was not kept", "station", it.Station, "seq", it.Seq, "error", err)
		}
	}
}

// show hands the picture of a recorded item over to be kept. It does not wait.
func (s *Store) show(it *station.Item) {
	select {
	case s.shots <- it:
	default:
		if s.passedOver.Add(1)%100 == 1 {
			s.opts.Log.Warn("pictures come faster than they can be kept; some are not", "not kept", s.passedOver.Load())
		}
	}
}
