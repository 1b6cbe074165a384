package source

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"ricetta/core/raster"
	"ricetta/internal/folder"
)

// FolderConfig is a folder of picture files. Files may come and go while it is in use.
type FolderConfig struct {
	Path string `yaml:"path"`
	// Order is name (the one taken if it is empty) or time, the oldest file first.
	Order string `yaml:"order"`
	// Repeat begins again after the last file; otherwise the station waits for new ones.
	Repeat bool `yaml:"repeat"`
}

// settled is how old a file must be, so that one which is still being written is not taken
// for broken.
const settled = 300 * time.Millisecond

// looked is how long a list of the folder is good for.
const looked = 200 * time.Millisecond

type fileEntry struct {
	name string
	time time.Time
}

type folderPictures struct {
	cfg FolderConfig

	mu   sync.Mutex
	list []fileEntry // those that can be had, in order
	when time.Time   // of the list
	err  error       // of listing
	last fileEntry   // the last one taken
}

func openFolder(c FolderConfig, dir string) (*folderPictures, error) {
	if c.Path == "" {
		return nil, fmt.Errorf("folder: no path is given; name the folder with the pictures")
	}
	if !filepath.IsAbs(c.Path) {
		c.Path = filepath.Join(dir, c.Path)
	}
	// The data folder is the service's own: what it does not know there, it may clear away.
	if rel, err := filepath.Rel(dir, c.Path); dir != "" && err == nil && filepath.IsLocal(rel) {
		return nil, fmt.Errorf("folder: %s lies in the data folder, which is the service's own; name a folder beside it", c.Path)
	}
	if c.Order == "" {
		c.Order = "name"
	}
	if c.Order != "name" && c.Order != "time" {
		return nil, fmt.Errorf("folder: the order %q is not known; take name or time", c.Order)
	}
	if info, err := os.Stat(c.Path); err != nil || !info.IsDir() {
		return nil, fmt.Errorf("folder: there is no folder %s; make it, or name another one", c.Path)
	}
	return &folderPictures{cfg: c}, nil
}

func (f *folderPictures) compare(a, b fileEntry) int {
	if f.cfg.Order == "time" {
		if c := a.time.Compare(b.time); c != 0 {
			return c
		}
	}
	return strings.Compare(a.name, b.name)
}

// next finds the file after the last one taken. It needs the lock.
func (f *folderPictures) next() (e fileEntry, ok bool, err error) {
	if now := time.Now(); now.Sub(f.when) > looked {
		f.when, f.list = now, f.list[:0]
		var entries []os.DirEntry
		entries, f.err = os.ReadDir(f.cfg.Path)
		for _, e := range entries {
			if !e.Type().IsRegular() || !folder.IsPicture(e.Name()) {
				continue
			}
			info, err := e.Info()
			if err != nil || now.Sub(info.ModTime()) < settled {
				continue // gone meanwhile, or on its way
			}
			f.list = append(f.list, fileEntry{e.Name(), info.ModTime()})
		}
		slices.SortFunc(f.list, f.compare)
	}
	if f.err != nil {
		return fileEntry{}, false, f.err
	}
	for _, e := range f.list {
		if f.last.name == "" || f.compare(e, f.last) > 0 {
			return e, true, nil
		}
	}
	if f.cfg.Repeat && len(f.list) > 0 {
		return f.list[0], true, nil
	}
	return fileEntry{}, false, nil
}

// Waiting implements Pictures. A folder that cannot be read counts as waiting, so that its
// error is told as a fault and not taken for the end of the work.
func (f *folderPictures) Waiting() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	_, ok, err := f.next()
	return ok || err != nil
}

// Next implements Pictures.
func (f *folderPictures) Next(context.Context) (raster.Picture, error) {
	f.mu.Lock()
	e, ok, err := f.next()
	if ok {
		f.last = e
	}
	f.mu.Unlock()
	return f.read(e, ok, err)
}

// Snap implements Pictures.
func (f *folderPictures) Snap(context.Context) (raster.Picture, error) {
	f.mu.Lock()
	e, ok, err := f.next()
	if !ok && err == nil && len(f.list) > 0 {
		e, ok = f.list[len(f.list)-1], true // the last one is shown until another comes
	}
	f.mu.Unlock()
	return f.read(e, ok, err)
}

func (f *folderPictures) read(e fileEntry, ok bool, err error) (raster.Picture, error) {
	if err != nil {
		return raster.Picture{}, fmt.Errorf("the folder %s cannot be read: %w", f.cfg.Path, err)
	}
	if !ok {
		return raster.Picture{}, fmt.Errorf("there is no picture in %s; put PNG, JPEG, BMP or TIFF files there", f.cfg.Path)
	}
	pic, err := folder.Picture(filepath.Join(f.cfg.Path, e.name), raster.DefaultDecodeLimits)
	if err != nil {
		return raster.Picture{}, fmt.Errorf("%s: %w", e.name, err)
	}
	return pic, nil
}
