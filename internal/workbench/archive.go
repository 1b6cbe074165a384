package workbench

import (
	"io"
	"os"
	"path/filepath"

	"ricetta/internal/folder"
)

// Export writes a draft with its pictures and samples as an archive. It must have no
// problems.
func (b *Book) Export(k Key, to io.Writer) error {
	dir, err := b.folder(k)
	if err != nil {
		return err
	}
	return folder.Export(dir, to)
}

// Import takes an archive in as a new recipe, whole or not at all.
func (b *Book) Import(archive io.ReaderAt, size int64) (*Draft, error) {
	root := filepath.Join(b.dir, DraftsDir)
	within, err := os.MkdirTemp(root, ".importing-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(within) //nolint:errcheck // what is left of it
	tmp := filepath.Join(within, "recipe")
	r, err := folder.Import(archive, size, tmp, 0)
	if err != nil {
		return nil, err
	}
	k := Key{r.Product, r.Role}
	err = func() error {
		b.mu.Lock()
		defer b.mu.Unlock()
		if b.folders[k] != "" {
			return ErrExists
		}
		name, err := b.settle(tmp, k)
		if err == nil {
			b.folders[k] = name
		}
		return err
	}()
	if err != nil {
		return nil, err
	}
	return b.Draft(k)
}
