// Package disk writes files so that a power cut leaves either the new or the old one.
package disk

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// Write writes a file so that either all of it is there afterwards, on the disk, or what
// was before. The folder must be there.
func Write(path string, data []byte, mode fs.FileMode) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".writing-*")
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if err == nil {
		err = f.Chmod(mode)
	}
	if err == nil {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return nil
}
