package workbench

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/disk"
	"ricetta/internal/folder"
)

// Draft is a recipe as it is being worked on.
type Draft struct {
	Key
	// Text is recipe.yaml, Tree its values. For a variant they are its own: Whole has what
	// it takes from its base as well.
	Text  string
	Tree  map[string]any
	Whole map[string]any
	// Below is the tree of a variant's base; nil for others.
	Below map[string]any
	// Tag changes with every save.
	Tag string
	// Problems are what keeps it from being made ready.
	Problems recipe.Problems
	// Revision is the hash that it would be released under; "" with problems.
	Revision string
	// Pictures are the picture files in its folder.
	Pictures []string
	// Kept are earlier documents, newest first.
	Kept []string
}

// ErrConflict says that somebody else has saved the draft meanwhile.
type ErrConflict struct {
	// Kept is the name under which what was not saved is kept.
	Kept string
	// Now is the draft as the other one saved it.
	Now *Draft
}

func (e *ErrConflict) Error() string {
	return "somebody has saved this draft since you opened it; yours is kept as " + e.Kept
}

func tagOf(text []byte) string {
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:8])
}

// Draft returns a draft.
func (b *Book) Draft(k Key) (*Draft, error) {
	dir, err := b.folder(k)
	if err != nil {
		return nil, err
	}
	text, err := os.ReadFile(filepath.Join(dir, recipe.FileName))
	if err != nil {
		return nil, err
	}
	d := &Draft{Key: k, Text: string(text), Tag: tagOf(text)}
	if d.Tree, err = recipe.Tree(text); err != nil {
		return nil, err
	}
	var seen strings.Builder // all that the state of the draft depends on
	seen.WriteString(d.Tag)
	if d.Pictures, err = filesIn(dir, &seen); err != nil {
		return nil, err
	}
	if base := recipe.Base(d.Tree); base != "" {
		under := filepath.Join(filepath.Dir(dir), filepath.Base(base))
		if below, err := os.ReadFile(filepath.Join(under, recipe.FileName)); err == nil {
			d.Below, _ = recipe.Tree(below) // what is wrong with it is told as a problem of the variant
			seen.WriteString(tagOf(below))
		}
		_, _ = filesIn(under, &seen) // one that is not there is told as well
	}
	st := b.stateOf(k, text, seen.String())
	d.Whole, d.Problems, d.Revision = st.whole, st.problems, st.revision
	if d.Whole == nil {
		d.Whole = d.Tree
	}
	kept, err := os.ReadDir(filepath.Join(dir, keptDir))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	for _, e := range kept {
		d.Kept = append(d.Kept, e.Name())
	}
	slices.Reverse(d.Kept)
	return d, nil
}

// filesIn lists the files of a draft's folder but its document, and writes down what tells
// whether one has changed.
func filesIn(dir string, seen *strings.Builder) (names []string, err error) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		if !e.Type().IsRegular() || e.Name() == recipe.FileName || strings.HasPrefix(e.Name(), ".") {
			continue
		}
		names = append(names, e.Name())
		if info, err := e.Info(); err == nil {
			fmt.Fprintf(seen, "|%s %d %d", e.Name(), info.Size(), info.ModTime().UnixNano())
		}
	}
	return names, nil
}

// state is how a draft stands. It is kept until something changes, so that a list of many
// recipes need not read and hash all their pictures each time.
type state struct {
	seen     string
	whole    map[string]any
	problems recipe.Problems
	revision string
}

func (b *Book) stateOf(k Key, text []byte, seen string) state {
	b.mu.Lock()
	st, ok := b.states[k]
	b.mu.Unlock()
	if ok && st.seen == seen {
		return st
	}
	st = state{seen: seen}
	r, whole, err := b.read(k, text)
	st.whole = whole
	if err != nil {
		st.problems = problemsOf(err)
	} else {
		st.revision = r.Revision
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.states[k] = st
	return st
}

// read makes a recipe of a document of the draft, which need not be the saved one, and of
// the pictures of the draft and its base. whole is its tree with what it takes from a base;
// nil where that cannot be said.
func (b *Book) read(k Key, text []byte) (r *recipe.Recipe, whole map[string]any, err error) {
	dir, err := b.folder(k)
	if err != nil {
		return nil, nil, err
	}
	dirs := []string{dir}
	whole, _, err = folder.Whole(text, func(base string) ([]byte, error) {
		beside := filepath.Join(filepath.Dir(dir), filepath.Base(base))
		dirs = append(dirs, beside)
		below, err := os.ReadFile(filepath.Join(beside, recipe.FileName))
		if errors.Is(err, fs.ErrNotExist) {
			return nil, recipe.Problems{{Field: "base", What: "there is no recipe folder " + base, Remedy: "name another base"}}
		}
		return below, err
	})
	if err != nil {
		return nil, nil, err
	}
	r, err = folder.Join(inspect.Reader.Write(whole), func(name string) ([]byte, error) { return pictureIn(dirs, name) })
	return r, whole, err
}

// pictureIn reads a picture file from the first of the folders that has it.
func pictureIn(dirs []string, name string) ([]byte, error) {
	for _, d := range dirs {
		data, err := os.ReadFile(filepath.Join(d, filepath.Base(name)))
		if !errors.Is(err, fs.ErrNotExist) {
			return data, err
		}
	}
	return nil, fs.ErrNotExist
}

func problemsOf(err error) recipe.Problems {
	var p recipe.Problems
	if errors.As(err, &p) {
		return p
	}
	return recipe.Problems{{What: err.Error()}}
}

// Save writes a draft's tree: its own, of a variant the one with base and change. tag is
// that of the draft which was edited; a draft saved meanwhile is not overwritten, and the
// error is an ErrConflict. What is saved over is kept.
func (b *Book) Save(k Key, tree map[string]any, tag, who string) (*Draft, error) {
	if product, role := tree["product"], tree["role"]; product != k.Product || role != nil && role != k.Role {
		return nil, recipe.Problems{{Field: "product", What: "product and role cannot be changed in a draft", Remedy: "copy the recipe to the other product"}}
	}
	text := inspect.Reader.Write(tree)
	if _, err := recipe.Tree(text); err != nil {
		return nil, err
	}
	dir, err := b.folder(k)
	if err != nil {
		return nil, err
	}
	file := filepath.Join(dir, recipe.FileName)
	b.mu.Lock()
	before, err := os.ReadFile(file)
	conflict := err == nil && tagOf(before) != tag
	kept := ""
	switch {
	case err != nil:
	case conflict:
		kept, err = b.keep(dir, who, text)
	case string(before) != string(text):
		if _, err = b.keep(dir, who, before); err == nil {
			err = disk.Write(file, text, 0o644)
		}
	}
	b.mu.Unlock()
	if err != nil {
		return nil, err
	}
	d, err := b.Draft(k)
	if err == nil && conflict {
		return nil, &ErrConflict{Kept: kept, Now: d}
	}
	return d, err
}

// mostKept bounds the earlier documents of a draft.
const mostKept = 100

// keep keeps a document beside a draft, under a name that tells when and who.
func (b *Book) keep(dir, who string, text []byte) (string, error) {
	to := filepath.Join(dir, keptDir)
	if err := os.MkdirAll(to, 0o750); err != nil {
		return "", err
	}
	who = strings.Map(func(r rune) rune {
		if r == '.' || r == '/' || r == '\\' || r < ' ' {
			return '-'
		}
		return r
	}, who)
	stamp := b.clock().UTC().Format("2006-01-02T15-04-05.000")
	name := strings.TrimSuffix(stamp+" "+who, " ") + ".yaml"
	if err := disk.Write(filepath.Join(to, name), text, 0o644); err != nil {
		return "", err
	}
	entries, err := os.ReadDir(to)
	if err != nil {
		return "", err
	}
	for len(entries) > mostKept {
		if err := os.Remove(filepath.Join(to, entries[0].Name())); err != nil {
			return "", err
		}
		entries = entries[1:]
	}
	return name, nil
}

// Kept returns the text of an earlier document of a draft.
func (b *Book) Kept(k Key, name string) ([]byte, error) {
	dir, err := b.folder(k)
	if err != nil {
		return nil, err
	}
	if filepath.Base(name) != name || strings.HasPrefix(name, ".") {
		return nil, ErrNoPicture
	}
	data, err := os.ReadFile(filepath.Join(dir, keptDir, name))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, ErrNoPicture
	}
	return data, err
}

// ErrNoPicture says that a draft has no such file.
var ErrNoPicture = errors.New("there is no such file in this recipe")

// Picture returns a picture file of a draft, or of its base.
func (b *Book) Picture(k Key, name string) ([]byte, error) {
	dir, err := b.folder(k)
	if err != nil {
		return nil, err
	}
	if filepath.Base(name) != name || strings.HasPrefix(name, ".") || name == recipe.FileName {
		return nil, ErrNoPicture
	}
	dirs := []string{dir}
	if text, err := os.ReadFile(filepath.Join(dir, recipe.FileName)); err == nil {
		if base, ok := recipe.IsVariant(text); ok {
			dirs = append(dirs, filepath.Join(filepath.Dir(dir), filepath.Base(base)))
		}
	}
	data, err := pictureIn(dirs, name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, ErrNoPicture
	}
	return data, err
}

// PutPicture gives a draft a picture file: a reference, a view, a mask. One of the same
// name is replaced.
func (b *Book) PutPicture(k Key, name string, data []byte) error {
	dir, err := b.folder(k)
	if err != nil {
		return err
	}
	if !folder.PlainName(name) {
		return fmt.Errorf("%q is no name for a picture of a recipe; use letters, digits, - and _, and the ending of its format", name)
	}
	if _, err := folder.DecodeCached(data, filepath.Ext(name), raster.DefaultDecodeLimits); err != nil {
		return err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	return disk.Write(filepath.Join(dir, name), data, 0o644)
}

// Create begins a recipe from its reference picture, without checks.
func (b *Book) Create(k Key, reference string, data []byte) (*Draft, error) {
	pic, err := folder.DecodeCached(data, filepath.Ext(reference), raster.DefaultDecodeLimits)
	if err != nil {
		return nil, err
	}
	name := "reference" + strings.ToLower(filepath.Ext(reference))
	return b.create(k, map[string]any{
		"ricetta": recipe.Version, "product": k.Product, "role": k.Role,
		"picture": map[string]any{"kind": string(pic.Kind()), "reference": name}, "checks": []any{},
	}, map[string][]byte{name: data}, "")
}

// Copy begins a recipe with all that another draft has, samples included; as a variant it
// has nothing of its own yet.
func (b *Book) Copy(from, to Key, variant bool) (*Draft, error) {
	d, err := b.Draft(from)
	if err != nil {
		return nil, err
	}
	src, err := b.folder(from)
	if err != nil {
		return nil, err
	}
	if variant {
		if to.Role != from.Role {
			return nil, fmt.Errorf("a variant has the role of its base, %s", from.Role)
		}
		base := filepath.Base(src)
		if over := recipe.Base(d.Tree); over != "" {
			base = over // a variant of a variant would hide where values come from
		}
		tree := map[string]any{"ricetta": recipe.Version, "product": to.Product, "role": to.Role, "base": base, "change": map[string]any{}}
		return b.create(to, tree, nil, "")
	}
	tree := map[string]any{}
	for name, v := range d.Whole {
		tree[name] = v
	}
	tree["product"], tree["role"] = to.Product, to.Role
	files := map[string][]byte{}
	if r, _, err := b.read(from, []byte(d.Text)); err == nil {
		files = r.Files // those of a base as well
	}
	return b.create(to, tree, files, src)
}

// create makes the folder of a draft, whole or not at all; like is a folder whose pictures
// and samples it begins with.
func (b *Book) create(k Key, tree map[string]any, files map[string][]byte, like string) (*Draft, error) {
	text := inspect.Reader.Write(tree)
	if err := nameable(k, text); err != nil {
		return nil, err
	}
	b.mu.Lock()
	err := func() error {
		if b.folders[k] != "" {
			return ErrExists
		}
		root := filepath.Join(b.dir, DraftsDir)
		tmp, err := os.MkdirTemp(root, ".creating-*")
		if err != nil {
			return err
		}
		defer os.RemoveAll(tmp) //nolint:errcheck // renamed when all went well
		if like != "" {
			if err := copyPictures(tmp, like); err != nil {
				return err
			}
		}
		for name, data := range files {
			if err := disk.Write(filepath.Join(tmp, name), data, 0o644); err != nil {
				return err
			}
		}
		if err := disk.Write(filepath.Join(tmp, recipe.FileName), text, 0o644); err != nil {
			return err
		}
		name, err := b.settle(tmp, k)
		if err == nil {
			b.folders[k] = name
		}
		return err
	}()
	b.mu.Unlock()
	if err != nil {
		return nil, err
	}
	return b.Draft(k)
}

// settle renames a finished folder to a free name for the recipe.
func (b *Book) settle(tmp string, k Key) (string, error) {
	if err := os.Chmod(tmp, 0o750); err != nil { //nolint:gosec // a folder
		return "", err
	}
	name := k.Product
	for n := 1; ; n++ {
		to := filepath.Join(b.dir, DraftsDir, name)
		if _, err := os.Stat(to); errors.Is(err, fs.ErrNotExist) {
			return name, os.Rename(tmp, to)
		}
		name = k.Product + "." + k.Role
		if n > 1 {
			name = fmt.Sprintf("%s.%s.%d", k.Product, k.Role, n)
		}
	}
}

// copyPictures copies the pictures and samples of a draft, not what was kept of its past.
func copyPictures(to, from string) error {
	entries, err := os.ReadDir(from)
	if err != nil {
		return err
	}
	for _, e := range entries {
		name := e.Name()
		switch {
		case e.Type().IsRegular() && folder.PlainName(name):
			data, err := os.ReadFile(filepath.Join(from, name))
			if err == nil {
				err = disk.Write(filepath.Join(to, name), data, 0o644)
			}
			if err != nil {
				return err
			}
		case e.IsDir() && name == folder.SamplesDir:
			if err := os.CopyFS(filepath.Join(to, name), os.DirFS(filepath.Join(from, name))); err != nil {
				return err
			}
		}
	}
	return nil
}

// nameable reports a product or role that no recipe can have.
func nameable(k Key, text []byte) error {
	_, err := inspect.Reader.Parse(text)
	var p recipe.Problems
	if errors.As(err, &p) {
		for _, x := range p {
			if x.Field == "product" || x.Field == "role" {
				return recipe.Problems{x}
			}
		}
	}
	if strings.HasPrefix(k.Product, ".") {
		return recipe.Problems{{Field: "product", What: "a product cannot begin with a dot", Remedy: "choose another code"}}
	}
	return nil
}

// Delete takes a draft away that was never released.
func (b *Book) Delete(k Key) error {
	list, err := b.Releases(k)
	if err != nil {
		return err
	}
	if len(list) > 0 {
		return errors.New("it was released once, so that items on record refer to it; retire it instead")
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if err := os.RemoveAll(b.path(k)); err != nil {
		return err
	}
	delete(b.folders, k)
	delete(b.states, k)
	return nil
}
