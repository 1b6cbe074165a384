// Package folder reads recipes and pictures from files: what the core, which knows
// no files, is given to work on.
package folder

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// mostBytes bounds a file that a recipe names.
const mostBytes = 64 << 20

// Recipe reads and validates the recipe in the folder dir of files, and returns it
// with the text of its document. A fault of the recipe is a recipe.Problems. A variant is
// put on its base, which lies beside it in a folder of the base's name; the text is that
// of the whole then, and pictures that the variant does not have are the base's.
func Recipe(files fs.FS, dir string) (*recipe.Recipe, []byte, error) {
	return read(files, dir, dir)
}

// read is Recipe with the folder's name as people know it.
func read(files fs.FS, dir, shown string) (*recipe.Recipe, []byte, error) {
	text, err := document(files, dir, shown)
	if err != nil {
		return nil, nil, err
	}
	from := []string{dir}
	whole, base, err := Whole(text, func(base string) ([]byte, error) {
		return document(files, path.Join(path.Dir(dir), base), "the folder "+base+" beside it, which it names as its base")
	})
	if err != nil {
		return nil, nil, err
	}
	if base != "" {
		text, from = inspect.Reader.Write(whole), append(from, path.Join(path.Dir(dir), base))
	}
	r, err := Join(text, func(name string) ([]byte, error) { return pictureFile(files, from, name) })
	return r, text, err
}

// Whole returns the tree of the whole recipe that a document says, and the base that it
// names, "" where it is no variant. beside returns the document of the base.
func Whole(text []byte, beside func(base string) ([]byte, error)) (tree map[string]any, base string, err error) {
	tree, err = recipe.Tree(text)
	if err != nil {
		return nil, "", err
	}
	if base = recipe.Base(tree); base == "" {
		return tree, "", nil
	}
	below, err := beside(base)
	if err != nil {
		return nil, base, err
	}
	under, err := recipe.Tree(below)
	if err != nil {
		return nil, base, fmt.Errorf("the base %s: %w", base, err)
	}
	if over := recipe.Base(under); over != "" {
		return nil, base, fmt.Errorf("the base %s is a variant of %s itself; name %s as the base", base, over, over)
	}
	tree, err = recipe.Resolve(text, under)
	return tree, base, err
}

// Join makes a recipe of a document and the picture files that it names. file returns
// fs.ErrNotExist for one that is not there.
func Join(text []byte, file func(name string) ([]byte, error)) (*recipe.Recipe, error) {
	doc, err := inspect.Reader.Parse(text)
	if err != nil {
		return nil, err
	}
	pictures := map[string][]byte{}
	for _, named := range doc.Files() {
		data, err := file(named.Name)
		if errors.Is(err, fs.ErrNotExist) {
			continue // told with all that are missing
		}
		if err != nil {
			return nil, err
		}
		pictures[named.Name] = data
	}
	r, err := recipe.New(doc, pictures)
	var p recipe.Problems
	if errors.As(err, &p) {
		for i := range p {
			p[i].File = recipe.FileName
		}
	}
	return r, err
}

func document(files fs.FS, dir, shown string) ([]byte, error) {
	text, err := fs.ReadFile(files, path.Join(dir, recipe.FileName))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("there is no %s in %s; name the folder of a recipe", recipe.FileName, shown)
	}
	return text, err
}

// pictureFile reads a file from the first of the folders that has it.
func pictureFile(files fs.FS, dirs []string, name string) ([]byte, error) {
	for _, dir := range dirs {
		file := path.Join(dir, name)
		info, err := fs.Stat(files, file)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err == nil && info.Size() > mostBytes {
			return nil, fmt.Errorf("%s has %d MiB, %d at most", file, info.Size()>>20, mostBytes>>20)
		}
		if err != nil {
			return nil, err
		}
		return fs.ReadFile(files, file)
	}
	return nil, fs.ErrNotExist
}

// RecipeDir reads the recipe in a folder of this machine.
func RecipeDir(dir string) (*recipe.Recipe, []byte, error) {
	info, err := os.Stat(dir)
	if err != nil {
		return nil, nil, fmt.Errorf("the recipe folder %s cannot be read: %w", dir, plain(err))
	}
	if !info.IsDir() {
		if filepath.Base(dir) == recipe.FileName {
			return RecipeDir(filepath.Dir(dir))
		}
		return nil, nil, fmt.Errorf("%s is a file; name the folder of a recipe", dir)
	}
	whole, err := filepath.Abs(dir)
	if err != nil {
		return nil, nil, err
	}
	return read(os.DirFS(filepath.Dir(whole)), filepath.Base(whole), dir)
}

// plain drops the operation and path that the caller says already.
func plain(err error) error {
	var pe *fs.PathError
	if errors.As(err, &pe) {
		return pe.Err
	}
	return err
}

// Picture reads one picture file. The error says what is wrong with this file.
func Picture(file string, limits raster.DecodeLimits) (raster.Picture, error) {
	info, err := os.Stat(file)
	if err != nil {
		return raster.Picture{}, plain(err)
	}
	if info.IsDir() {
		return raster.Picture{}, errors.New("it is a folder")
	}
	if info.Size() > int64(limits.Bytes) {
		return raster.Picture{}, fmt.Errorf("%w: %d MiB in the file, %d at most", raster.ErrTooLarge, info.Size()>>20, limits.Bytes>>20)
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return raster.Picture{}, plain(err)
	}
	return raster.Decode(data, filepath.Ext(file), limits)
}

// Pictures resolves what a person names on the command line: files as they are,
// folders as all picture files in them (sorted by name, not those of folders
// below), and globs that the shell left alone. A name that leads to nothing stays
// in the list, so that it is told like a broken file.
func Pictures(names []string) []string {
	var out []string
	for _, n := range names {
		switch info, err := os.Stat(n); {
		case err == nil && info.IsDir():
			out = append(out, inFolder(n)...)
		case err == nil:
			out = append(out, n)
		default:
			found, globErr := filepath.Glob(n)
			if globErr != nil || len(found) == 0 {
				found = []string{n}
			}
			slices.Sort(found)
			out = append(out, found...)
		}
	}
	return out
}

func inFolder(dir string) []string {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return []string{dir}
	}
	var out []string
	for _, e := range entries {
		if !e.IsDir() && IsPicture(e.Name()) {
			out = append(out, filepath.Join(dir, e.Name()))
		}
	}
	if len(out) == 0 {
		return []string{dir} // told as a folder without pictures
	}
	return out
}

// IsPicture tells by its ending whether a file is a picture.
func IsPicture(name string) bool {
	ext := strings.ToLower(filepath.Ext(name))
	return slices.ContainsFunc(raster.Formats, func(f raster.Format) bool { return slices.Contains(f.Endings, ext) })
}
