package folder

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"ricetta/core/recipe"
)

// ArchiveEnding is the ending of a recipe's archive: its folder with the samples, zipped.
const ArchiveEnding = ".ricetta"

// Bounds of an archive, against those made to fill a disk.
const (
	mostEntries  = 10_000
	mostUnpacked = 4 << 30
	mostRatio    = 200 // unpacked bytes to packed ones, where more than a megabyte
)

// Export writes the recipe in a folder, with the pictures it names and its samples, as an
// archive: the same bytes for the same content. A variant is written as a whole recipe.
func Export(dir string, to io.Writer) error {
	r, text, err := RecipeDir(dir)
	if err != nil {
		return err
	}
	samples, err := ReadSamples(dir)
	if err != nil {
		return err
	}
	z := zip.NewWriter(to)
	add := func(name string, data []byte) error {
		method := zip.Store // pictures are packed already
		if strings.HasSuffix(name, ".yaml") || strings.HasSuffix(name, ".bmp") {
			method = zip.Deflate
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: method, Modified: time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)})
		if err == nil {
			_, err = w.Write(data)
		}
		return err
	}
	if err := add(recipe.FileName, text); err != nil {
		return err
	}
	for _, f := range r.Document.Files() {
		if err := add(f.Name, r.Files[f.Name]); err != nil {
			return err
		}
	}
	if len(samples.List) > 0 {
		list, err := samples.text()
		if err != nil {
			return err
		}
		if err := add(path.Join(SamplesDir, SamplesFile), list); err != nil {
			return err
		}
	}
	for _, s := range samples.List {
		data, err := os.ReadFile(samples.Path(s.Picture))
		if err != nil {
			return fmt.Errorf("sample %s: %w", s.Picture, plain(err))
		}
		if err := add(path.Join(SamplesDir, s.Picture), data); err != nil {
			return err
		}
	}
	return z.Close()
}

// Import unpacks an archive into the folder dir, which must not exist yet. The recipe in
// it is validated first; after an error there is no folder. maxBytes bounds what it
// unpacks to; 0 takes the default of 4 GiB.
func Import(archive io.ReaderAt, size int64, dir string, maxBytes int64) (r *recipe.Recipe, err error) {
	if _, err := os.Stat(dir); err == nil {
		return nil, fmt.Errorf("%s exists already; name a new folder", dir)
	}
	if maxBytes <= 0 {
		maxBytes = mostUnpacked
	}
	entries, err := listed(archive, size, maxBytes)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(filepath.Clean(dir)), 0o755); err != nil {
		return nil, err
	}
	tmp, err := os.MkdirTemp(filepath.Dir(filepath.Clean(dir)), ".importing-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(tmp) //nolint:errcheck // renamed when all went well
	left := maxBytes
	for _, e := range entries {
		n, err := unpack(e, filepath.Join(tmp, filepath.FromSlash(e.Name)), left)
		if err != nil {
			return nil, fmt.Errorf("%s in the archive: %w", e.Name, err)
		}
		left -= n
	}
	if r, _, err = RecipeDir(tmp); err != nil {
		return nil, err
	}
	s, err := ReadSamples(tmp)
	if err != nil {
		return nil, err
	}
	for _, e := range s.List {
		if !exists(s.Path(e.Picture)) {
			return nil, fmt.Errorf("the archive lists the sample %s and does not hold its picture; export it anew", e.Picture)
		}
	}
	if err := os.Chmod(tmp, 0o755); err != nil { //nolint:gosec // as any folder that people make
		return nil, err
	}
	return r, os.Rename(tmp, dir)
}

// listed returns the entries of an archive that is safe to unpack.
func listed(archive io.ReaderAt, size, maxBytes int64) ([]*zip.File, error) {
	z, err := zip.NewReader(archive, size)
	if err != nil {
		return nil, fmt.Errorf("it is no recipe archive: %w", err)
	}
	if len(z.File) > mostEntries {
		return nil, fmt.Errorf("it has %d entries, %d at most", len(z.File), mostEntries)
	}
	var out []*zip.File
	sum := uint64(0)
	for _, e := range z.File {
		if strings.HasSuffix(e.Name, "/") && e.UncompressedSize64 == 0 {
			continue
		}
		if !allowed(e.Name) || !e.Mode().IsRegular() {
			return nil, fmt.Errorf("%q in the archive is no part of a recipe; nothing was unpacked", e.Name)
		}
		if slices.ContainsFunc(out, func(o *zip.File) bool { return strings.EqualFold(o.Name, e.Name) }) {
			return nil, fmt.Errorf("%q is in the archive twice; nothing was unpacked", e.Name)
		}
		sum += e.UncompressedSize64
		if sum > uint64(maxBytes) || e.UncompressedSize64 > mostBytes {
			return nil, fmt.Errorf("%q in the archive is too large; nothing was unpacked", e.Name)
		}
		if e.UncompressedSize64 > 1<<20 && e.UncompressedSize64 > mostRatio*max(e.CompressedSize64, 1) {
			return nil, fmt.Errorf("%q in the archive unpacks to %d times its size, which no picture does; nothing was unpacked", e.Name, e.UncompressedSize64/max(e.CompressedSize64, 1))
		}
		out = append(out, e)
	}
	return out, nil
}

// allowed reports whether an entry may be part of a recipe: the document, a picture beside
// it, or something in the folder of samples.
func allowed(name string) bool {
	if strings.Contains(name, `\`) || path.Clean(name) != name {
		return false
	}
	dir, file := path.Split(name)
	switch dir {
	case "":
		return file == recipe.FileName || PlainName(file)
	case SamplesDir + "/":
		return file == SamplesFile || PlainName(file)
	}
	return false
}

// unpack writes one entry, at most limit bytes whatever its header says.
func unpack(e *zip.File, to string, limit int64) (int64, error) {
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return 0, err
	}
	in, err := e.Open()
	if err != nil {
		return 0, err
	}
	defer in.Close() //nolint:errcheck // read only
	limit = min(limit, int64(min(e.UncompressedSize64, mostBytes)))
	var b bytes.Buffer
	n, err := io.Copy(&b, io.LimitReader(in, limit+1))
	if err != nil {
		return 0, err
	}
	if n > limit {
		return 0, errors.New("it unpacks to more than it says")
	}
	return n, os.WriteFile(to, b.Bytes(), fs.FileMode(0o644)) //nolint:gosec // as any file that people make
}
