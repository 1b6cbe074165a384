package workbench

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"ricetta/core/inspect"
	"ricetta/core/recipe"
	"ricetta/internal/disk"
	"ricetta/internal/folder"
)

// The folders in the data folder.
const (
	DraftsDir    = "recipes"   // a folder for each recipe that is worked on
	RevisionsDir = "revisions" // a folder for each revision that was ever released
	keptDir      = ".kept"     // in a draft's folder: documents that were saved over, or lost a race
)

// Key names a recipe.
type Key struct{ Product, Role string }

func (k Key) String() string { return k.Product + "/" + k.Role }

// Actions of a Release.
const (
	ActionRelease = "release"
	ActionRetire  = "retire"
)

// Release is one entry of what happened to a recipe: a revision was released or retired.
// Entries are never changed.
type Release struct {
	ID       int64     `json:"id" required:"true"`
	Action   string    `json:"action" required:"true" enum:"release,retire"`
	Revision string    `json:"revision" required:"true"`
	Who      string    `json:"who" required:"true"`
	Note     string    `json:"note" required:"true"`
	Time     time.Time `json:"time" required:"true"`
	// Wrong counts the samples that were judged wrong when it was released all the same,
	// for the Reason that was given.
	Wrong  int    `json:"wrong" required:"true"`
	Reason string `json:"reason" required:"true"`
}

// Records keep releases. Releases of a recipe come newest first.
type Records interface {
	AddRelease(k Key, r Release) (Release, error)
	Releases(k Key) ([]Release, error)
}

// Errors that callers tell apart.
var (
	ErrNoRecipe = errors.New("there is no such recipe; see the list of recipes")
	ErrExists   = errors.New("there is a recipe for this product and role already; open it, or choose another product")
)

// Book is the recipes of a site. Its methods may be called concurrently.
type Book struct {
	dir     string
	records Records
	clock   func() time.Time
	cache   *inspect.Cache
	turn    chan struct{} // of trials: one at a time

	mu      sync.Mutex
	folders map[Key]string // of drafts, by recipe
	plans   map[string]*inspect.Plan
	states  map[Key]state
}

// Open reads the recipes in a data folder. A recipe that was never released, nor retired,
// is released as it is found there: so recipes are handed over with an installation.
// Warnings tell of folders that cannot be used; they hinder nobody else.
func Open(dir string, records Records, clock func() time.Time) (b *Book, warnings []error, err error) {
	b = &Book{dir: dir, records: records, clock: clock, cache: inspect.NewCache(200), turn: make(chan struct{}, 1), folders: map[Key]string{}, plans: map[string]*inspect.Plan{}, states: map[Key]state{}}
	for _, d := range []string{DraftsDir, RevisionsDir} {
		if err := os.MkdirAll(filepath.Join(dir, d), 0o750); err != nil {
			return nil, nil, err
		}
	}
	entries, err := os.ReadDir(filepath.Join(dir, DraftsDir))
	if err != nil {
		return nil, nil, err
	}
	for _, e := range entries {
		if !e.IsDir() || strings.HasPrefix(e.Name(), ".") {
			continue
		}
		k, err := keyOf(filepath.Join(dir, DraftsDir, e.Name()))
		if err == nil && b.folders[k] != "" {
			err = fmt.Errorf("%s is kept in %s already", k, b.folders[k])
		}
		if err != nil {
			warnings = append(warnings, fmt.Errorf("recipe folder %s: %w", e.Name(), err))
			continue
		}
		b.folders[k] = e.Name()
		if err := b.handOver(k); err != nil {
			warnings = append(warnings, fmt.Errorf("recipe %s: %w", k, err))
		}
	}
	return b, warnings, nil
}

// keyOf reads which recipe lies in a folder, also from a draft that is not valid yet.
func keyOf(dir string) (Key, error) {
	text, err := os.ReadFile(filepath.Join(dir, recipe.FileName))
	if err != nil {
		return Key{}, err
	}
	tree, err := recipe.Tree(text)
	if err != nil {
		return Key{}, err
	}
	product, _ := tree["product"].(string)
	role, _ := tree["role"].(string)
	if base := recipe.Base(tree); role == "" && base != "" {
		over, err := keyOf(filepath.Join(filepath.Dir(dir), base))
		if err != nil {
			return Key{}, fmt.Errorf("its base: %w", err)
		}
		role = over.Role
	}
	if product == "" || role == "" {
		return Key{}, errors.New("it names no product or no role")
	}
	return Key{product, role}, nil
}

// handOver releases a recipe of which nothing is on record.
func (b *Book) handOver(k Key) error {
	list, err := b.records.Releases(k)
	if err != nil || len(list) > 0 {
		return err
	}
	r, text, err := folder.RecipeDir(b.path(k))
	if err != nil {
		return err
	}
	if _, err := b.freeze(r, text); err != nil {
		return err
	}
	_, err = b.records.AddRelease(k, Release{Action: ActionRelease, Revision: r.Revision, Who: "Ricetta", Note: "found in the data folder", Time: b.clock()})
	return err
}

// path returns the folder of a draft; the caller holds the lock or is alone.
func (b *Book) path(k Key) string { return filepath.Join(b.dir, DraftsDir, b.folders[k]) }

func (b *Book) folder(k Key) (string, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.folders[k] == "" {
		return "", ErrNoRecipe
	}
	return b.path(k), nil
}

// Keys lists the recipes by product and role.
func (b *Book) Keys() []Key {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := make([]Key, 0, len(b.folders))
	for k := range b.folders {
		out = append(out, k)
	}
	slices.SortFunc(out, func(x, y Key) int { return strings.Compare(x.String(), y.String()) })
	return out
}

// Current returns the released revision of a recipe; ok is false where none is released.
func (b *Book) Current(k Key) (r Release, ok bool, err error) {
	list, err := b.records.Releases(k)
	if err != nil || len(list) == 0 || list[0].Action != ActionRelease {
		return Release{}, false, err
	}
	return list[0], true, nil
}

// Releases lists what happened to a recipe, newest first.
func (b *Book) Releases(k Key) ([]Release, error) {
	if _, err := b.folder(k); err != nil {
		return nil, err
	}
	return b.records.Releases(k)
}

// revisionDir is the folder of a frozen revision.
func (b *Book) revisionDir(revision string) (string, error) {
	hash, ok := strings.CutPrefix(revision, "sha256:")
	if !ok || len(hash) != 64 || strings.Trim(hash, "0123456789abcdef") != "" {
		return "", fmt.Errorf("%q is no revision", revision)
	}
	return filepath.Join(b.dir, RevisionsDir, hash), nil
}

// freeze keeps a recipe as a revision for good. Doing so again changes nothing.
func (b *Book) freeze(r *recipe.Recipe, text []byte) (dir string, err error) {
	if dir, err = b.revisionDir(r.Revision); err != nil {
		return "", err
	}
	if _, err := os.Stat(dir); err == nil {
		return dir, nil
	}
	tmp, err := os.MkdirTemp(filepath.Dir(dir), ".freezing-*")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(tmp) //nolint:errcheck // renamed when all went well
	write := func(name string, data []byte) error { return disk.Write(filepath.Join(tmp, name), data, 0o644) }
	if err := write(recipe.FileName, text); err != nil {
		return "", err
	}
	for name, data := range r.Files {
		if err := write(name, data); err != nil {
			return "", err
		}
	}
	if err := os.Rename(tmp, dir); err != nil && !errors.Is(err, fs.ErrExist) {
		return "", err
	}
	return dir, nil
}

// Revision reads a frozen revision with the text of its document. The error tells when
// what lies on the disk is no longer what was released.
func (b *Book) Revision(revision string) (*recipe.Recipe, []byte, error) {
	dir, err := b.revisionDir(revision)
	if err != nil {
		return nil, nil, err
	}
	r, text, err := folder.RecipeDir(dir)
	if err != nil {
		return nil, nil, err
	}
	if r.Revision != revision {
		return nil, nil, fmt.Errorf("the files of revision %s have been changed on the disk; restore them from a backup", revision)
	}
	return r, text, nil
}

// Plan returns a frozen revision made ready. It is kept for the next one who asks.
func (b *Book) Plan(revision string) (*inspect.Plan, error) {
	b.mu.Lock()
	p := b.plans[revision]
	b.mu.Unlock()
	if p != nil {
		return p, nil
	}
	r, _, err := b.Revision(revision)
	if err != nil {
		return nil, err
	}
	if p, err = inspect.Prepare(r); err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.plans[revision] = p
	return p, nil
}
