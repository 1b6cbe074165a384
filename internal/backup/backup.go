// Package backup writes a data folder into one file while the service runs on it, and takes it out
// again. The file is a ZIP archive (APPNOTE 6.3.10); manifest.json in it has the SHA-256 of every
// other file.
package backup

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"
)

// Format is the version of what a backup looks like.
const Format = 1

// ManifestName is the last file of the archive.
const ManifestName = "manifest.json"

// File is one file of a backup.
type File struct {
	Path   string `json:"path"` // with slashes, from the data folder
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
}

// Manifest says what is in a backup.
type Manifest struct {
	Format  int       `json:"format"`
	Site    string    `json:"site"`
	Version string    `json:"version"`
	Time    time.Time `json:"time"`
	// Pictures says whether the kept pictures are in it.
	Pictures bool   `json:"pictures"`
	Files    []File `json:"files"`
}

// Bytes is how much all files take.
func (m *Manifest) Bytes() (n int64) {
	for _, f := range m.Files {
		n += f.Bytes
	}
	return n
}

// Source is what is backed up.
type Source struct {
	// Dir is the data folder.
	Dir string
	// Database is the name of the records in it, which are not read: Snapshot writes a consistent copy.
	Database string
	Snapshot func(ctx context.Context, to string) error
	// PicturesDir is the folder of pictures in it.
	PicturesDir string
}

// tempPrefix begins the names of what is under way; it belongs to no backup.
const tempPrefix = ".backup-"

// Write writes a backup. m says what is known of it beforehand; its files are filled in.
func Write(ctx context.Context, w io.Writer, s Source, m Manifest) error {
	tmp, err := os.MkdirTemp(s.Dir, tempPrefix+"*")
	if err != nil {
		return fmt.Errorf("no room for a copy of the records: %w", err)
	}
	defer os.RemoveAll(tmp) //nolint:errcheck // what is left is removed by the next one
	records := filepath.Join(tmp, s.Database)
	if err := s.Snapshot(ctx, records); err != nil {
		return fmt.Errorf("the records cannot be copied: %w", err)
	}
	z := zip.NewWriter(w)
	add := func(name, from string, method uint16) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		f, err := os.Open(from) //nolint:gosec // a file of the data folder
		if errors.Is(err, fs.ErrNotExist) {
			return nil // it made room meanwhile
		}
		if err != nil {
			return err
		}
		defer f.Close()
		to, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: method, Modified: m.Time})
		if err != nil {
			return err
		}
		h := sha256.New()
		n, err := io.Copy(io.MultiWriter(to, h), f)
		if err != nil {
			return err
		}
		m.Files = append(m.Files, File{name, n, hex.EncodeToString(h.Sum(nil))})
		return nil
	}
	if err := add(s.Database, records, zip.Deflate); err != nil {
		return err
	}
	err = filepath.WalkDir(s.Dir, func(p string, d fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(s.Dir, p)
		if err != nil {
			return err
		}
		name := filepath.ToSlash(rel)
		switch {
		case d.IsDir() && (strings.HasPrefix(d.Name(), tempPrefix) || rel == s.PicturesDir && !m.Pictures):
			return filepath.SkipDir
		case d.IsDir(), !d.Type().IsRegular(), strings.HasPrefix(name, s.Database), strings.HasPrefix(d.Name(), ".writing-"):
			return nil
		}
		method := zip.Deflate
		if strings.HasSuffix(name, ".png") || strings.HasSuffix(name, ".jpg") {
			method = zip.Store // they are compressed already
		}
		return add(name, p, method)
	})
	if err != nil {
		return err
	}
	to, err := z.CreateHeader(&zip.FileHeader{Name: ManifestName, Method: zip.Deflate, Modified: m.Time})
	if err != nil {
		return err
	}
	e := json.NewEncoder(to)
	e.SetIndent("", " ")
	if err := e.Encode(m); err != nil {
		return err
	}
	return z.Close()
}

// Open opens a backup and reads its manifest. Close it.
func Open(file string) (*zip.ReadCloser, *Manifest, error) {
	z, err := zip.OpenReader(file)
	if err != nil {
		return nil, nil, fmt.Errorf("%s is no backup, or broke off: %w", file, err)
	}
	m := &Manifest{}
	f, err := z.Open(ManifestName)
	if err == nil {
		err = json.NewDecoder(f).Decode(m)
		_ = f.Close()
	}
	switch {
	case err != nil:
		err = fmt.Errorf("%s is no backup: its manifest cannot be read: %w", file, err)
	case m.Format != Format:
		err = fmt.Errorf("%s is a backup of format %d, and this program reads %d; use the program that wrote it (%s)", file, m.Format, Format, m.Version)
	}
	if err != nil {
		return nil, nil, errors.Join(err, z.Close())
	}
	return z, m, nil
}

// Verify reads a whole backup and compares it with its manifest. each is told how many bytes are
// read; it may be nil.
func Verify(file string, each func(done, of int64)) (*Manifest, error) {
	return read(file, func(string) (io.WriteCloser, error) { return nopCloser{io.Discard}, nil }, each)
}

type nopCloser struct{ io.Writer }

func (nopCloser) Close() error { return nil }

// Extract takes a backup out into a folder, which must not be there yet, and compares everything
// with the manifest. On an error nothing is left behind.
func Extract(file, dir string, each func(done, of int64)) (m *Manifest, err error) {
	if _, err := os.Lstat(dir); !errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("%s is there already; name a folder that is not", dir)
	}
	if err := os.MkdirAll(filepath.Dir(filepath.Clean(dir)), 0o750); err != nil {
		return nil, err
	}
	tmp, err := os.MkdirTemp(filepath.Dir(filepath.Clean(dir)), ".restoring-*")
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, os.RemoveAll(tmp))
		}
	}()
	m, err = read(file, func(name string) (io.WriteCloser, error) {
		to := filepath.Join(tmp, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(to), 0o750); err != nil {
			return nil, err
		}
		return os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o640) //nolint:gosec // names are checked
	}, each)
	if err != nil {
		return nil, err
	}
	if err := os.Chmod(tmp, 0o750); err != nil {
		return nil, err
	}
	return m, os.Rename(tmp, dir)
}

// read hands the files of a backup to what open returns.
func read(file string, open func(name string) (io.WriteCloser, error), each func(done, of int64)) (*Manifest, error) {
	z, m, err := Open(file)
	if err != nil {
		return nil, err
	}
	defer z.Close()
	done, of := int64(0), m.Bytes()
	for _, f := range m.Files {
		if !filepath.IsLocal(filepath.FromSlash(f.Path)) || path.Clean(f.Path) != f.Path || f.Path == ManifestName {
			return nil, fmt.Errorf("%s names a file outside of the folder: %q", file, f.Path)
		}
		if err := one(z, f, open); err != nil {
			return nil, fmt.Errorf("%s: %s: %w", file, f.Path, err)
		}
		if done += f.Bytes; each != nil {
			each(done, of)
		}
	}
	return m, nil
}

func one(z *zip.ReadCloser, f File, open func(name string) (io.WriteCloser, error)) error {
	from, err := z.Open(f.Path)
	if err != nil {
		return err
	}
	defer from.Close()
	to, err := open(f.Path)
	if err != nil {
		return err
	}
	h := sha256.New()
	// No more than the manifest says, whatever the archive unpacks to.
	n, err := io.Copy(io.MultiWriter(to, h), io.LimitReader(from, f.Bytes+1))
	if s, ok := to.(interface{ Sync() error }); ok && err == nil {
		err = s.Sync()
	}
	if e := to.Close(); err == nil {
		err = e
	}
	switch {
	case err != nil:
		return err
	case n != f.Bytes || hex.EncodeToString(h.Sum(nil)) != f.SHA256:
		return errors.New("it is not what was backed up; the file is damaged, take another backup")
	}
	return nil
}
