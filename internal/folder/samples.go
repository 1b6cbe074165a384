package folder

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
	"unicode"

	"github.com/goccy/go-yaml"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/trial"
	"ricetta/internal/disk"
)

// SamplesDir is the folder of a recipe's samples in the recipe's folder, and SamplesFile
// the list of them in it.
const (
	SamplesDir  = "samples"
	SamplesFile = "samples.yaml"
)

// Sample is a picture with its label, as SamplesFile lists it.
type Sample struct {
	Picture string `yaml:"picture"` // file in SamplesDir
	Label   string `yaml:"label"`   // as trial.ParseLabel reads it
	Note    string `yaml:"note,omitempty"`
}

// Samples are the samples of one recipe. Changes are on disk after Save.
type Samples struct {
	List []Sample
	// Order is what the samples were packed for: with it the recipe is tried on them.
	Order check.Order
	dir   string
	// hashes of the pictures, to know one that is there already; made when first needed.
	hashes map[string]string
}

// ReadSamples reads the samples in a recipe's folder; there may be none. The error names
// the entry that is wrong.
func ReadSamples(recipeDir string) (*Samples, error) {
	s := &Samples{dir: filepath.Join(recipeDir, SamplesDir)}
	file := filepath.Join(s.dir, SamplesFile)
	data, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return nil, err
	}
	var doc struct {
		Order   OrderText `yaml:"order"`
		Samples []Sample  `yaml:"samples"`
	}
	if err := yaml.UnmarshalWithOptions(data, &doc, yaml.DisallowUnknownField()); err != nil {
		return nil, fmt.Errorf("%s: %s", file, yaml.FormatError(err, false, true))
	}
	seen := map[string]bool{}
	for i, e := range doc.Samples {
		if !PlainName(e.Picture) {
			return nil, fmt.Errorf("%s: samples/%d: %q is not the name of a picture file in %s", file, i, e.Picture, s.dir)
		}
		if seen[e.Picture] {
			return nil, fmt.Errorf("%s: samples/%d: %s is listed twice; take one out", file, i, e.Picture)
		}
		seen[e.Picture] = true
		if _, err := trial.ParseLabel(e.Label); err != nil {
			return nil, fmt.Errorf("%s: samples/%d: %w", file, i, err)
		}
	}
	s.List, s.Order = doc.Samples, check.Order(doc.Order)
	return s, nil
}

// PlainName reports whether name is a file of its own folder, and of one of the formats
// of pictures.
func PlainName(name string) bool {
	return name != "" && filepath.Base(name) == name && !strings.HasPrefix(name, ".") && !strings.ContainsAny(name, `/\:`) && IsPicture(name)
}

// Path returns where the picture of that name lies.
func (s *Samples) Path(picture string) string { return filepath.Join(s.dir, picture) }

// Read returns the picture file of a sample.
func (s *Samples) Read(picture string) ([]byte, error) {
	if s.Find(picture) == nil {
		return nil, fmt.Errorf("%w: there is no sample %s", fs.ErrNotExist, picture)
	}
	return os.ReadFile(s.Path(picture))
}

// Find returns the sample of that picture, or nil.
func (s *Samples) Find(picture string) *Sample {
	for i := range s.List {
		if s.List[i].Picture == picture {
			return &s.List[i]
		}
	}
	return nil
}

// Save writes the list; either all of it is on disk afterwards or the one before.
func (s *Samples) Save() error {
	if err := os.MkdirAll(s.dir, 0o755); err != nil {
		return err
	}
	data, err := s.text()
	if err != nil {
		return err
	}
	return disk.Write(filepath.Join(s.dir, SamplesFile), data, 0o644)
}

func (s *Samples) text() ([]byte, error) {
	doc := map[string]any{"samples": s.List}
	if len(s.Order) > 0 {
		doc["order"] = s.Order
	}
	return yaml.MarshalWithOptions(doc, yaml.Flow(false), yaml.IndentSequence(true))
}

// ErrThere says that the same picture is a sample already.
var ErrThere = errors.New("the same picture is a sample already")

// Add makes a picture a sample: it is decoded, to refuse what is none, and copied under
// its name, or under one like it where that is taken. It returns the name. With ErrThere
// comes the name of the sample that has the same bytes.
func (s *Samples) Add(name string, data []byte, label trial.Label) (string, error) {
	if _, err := DecodeCached(data, filepath.Ext(name), raster.DefaultDecodeLimits); err != nil {
		return "", err
	}
	if err := s.hashAll(); err != nil {
		return "", err
	}
	hash := HashOf(data)
	if there, ok := s.hashes[hash]; ok {
		return there, ErrThere
	}
	name = s.free(name)
	if err := os.MkdirAll(s.dir, 0o755); err != nil {
		return "", err
	}
	if err := disk.Write(s.Path(name), data, 0o644); err != nil {
		return "", err
	}
	s.hashes[hash] = name
	s.List = append(s.List, Sample{Picture: name, Label: label.String()})
	return name, nil
}

// free returns a name like the wanted one that no sample has.
func (s *Samples) free(name string) string {
	ext := strings.ToLower(filepath.Ext(name))
	base := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || strings.ContainsRune("-_.", r) {
			return r
		}
		return '-'
	}, strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)))
	if base = strings.TrimLeft(base, ".-"); base == "" {
		base = "sample"
	}
	out := base + ext
	for n := 2; s.Find(out) != nil || exists(s.Path(out)); n++ {
		out = fmt.Sprintf("%s-%d%s", base, n, ext)
	}
	return out
}

func exists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

func (s *Samples) hashAll() error {
	if s.hashes != nil {
		return nil
	}
	s.hashes = map[string]string{}
	for _, e := range s.List {
		data, err := os.ReadFile(s.Path(e.Picture))
		if errors.Is(err, fs.ErrNotExist) {
			continue // told when it is to be judged
		}
		if err != nil {
			return err
		}
		s.hashes[HashOf(data)] = e.Picture
	}
	return nil
}

// HashOf is the SHA-256 of a content, in hexadecimal digits.
func HashOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// ErrNoSample says that a sample is not in the list.
var ErrNoSample = errors.New("there is no sample")

// all finds samples, or none of them.
func (s *Samples) all(pictures []string) ([]*Sample, error) {
	out := make([]*Sample, len(pictures))
	for i, p := range pictures {
		if out[i] = s.Find(p); out[i] == nil {
			return nil, fmt.Errorf("%w %s", ErrNoSample, p)
		}
	}
	return out, nil
}

// Relabel labels samples anew and saves the list; with an unknown one among them nothing
// is done.
func (s *Samples) Relabel(l trial.Label, pictures ...string) error {
	found, err := s.all(pictures)
	if err != nil {
		return err
	}
	for _, e := range found {
		e.Label = l.String()
	}
	return s.Save()
}

// Remove takes samples out of the list and saves it; with an unknown one among them nothing
// is done. Their pictures are removed once the list without them is on disk, so that no
// list names a picture that is gone.
func (s *Samples) Remove(pictures ...string) error {
	if _, err := s.all(pictures); err != nil {
		return err
	}
	s.List = slices.DeleteFunc(s.List, func(e Sample) bool { return slices.Contains(pictures, e.Picture) })
	if err := s.Save(); err != nil {
		return err
	}
	s.hashes = nil
	for _, p := range pictures {
		if err := os.Remove(s.Path(p)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// LabelOf reads a label that somebody gave, or, where that is "", what folder and file
// name tell; checks are the ids that may be reasons.
func LabelOf(file, given string, checks []string) (trial.Label, error) {
	if given == "" {
		l, _ := GuessLabel(file, checks)
		return l, nil
	}
	return trial.ParseLabel(given)
}

// GuessLabel reads a label from where a file lies and what it is called: good/a.png,
// bad/tips/a.png, rework/a.png, good-1.png, bad-tips-3.png. checks are the ids that may be
// reasons. ok is false where neither says anything.
func GuessLabel(file string, checks []string) (l trial.Label, ok bool) {
	parts := strings.Split(filepath.ToSlash(file), "/")
	for i := len(parts) - 2; i >= 0 && i >= len(parts)-3; i-- {
		word := strings.ToLower(parts[i])
		if word != trial.Good && word != trial.Bad && word != "rework" {
			continue
		}
		if l, err := trial.ParseLabel(word); err == nil {
			if word == trial.Bad && i == len(parts)-3 && slices.Contains(checks, parts[i+1]) {
				l.Reason = parts[i+1]
			}
			return l, true
		}
	}
	name := strings.ToLower(parts[len(parts)-1])
	for _, word := range []string{trial.Good, trial.Bad, "rework"} {
		rest, found := strings.CutPrefix(name, word)
		if !found || rest == "" || unicode.IsLetter(rune(rest[0])) {
			continue
		}
		l, _ := trial.ParseLabel(word)
		if word == trial.Bad {
			l.Reason = longestPrefix(strings.TrimLeft(rest, "-_ "), checks)
		}
		return l, true
	}
	return trial.Label{}, false
}

// longestPrefix returns the longest of the words with which s begins, "" if none does.
func longestPrefix(s string, words []string) string {
	best := ""
	for _, w := range words {
		if len(w) > len(best) && strings.HasPrefix(s, strings.ToLower(w)) {
			best = w
		}
	}
	return best
}

// TrialSamples returns the samples as a trial takes them.
func (s *Samples) TrialSamples(limits raster.DecodeLimits) []trial.Sample {
	out := make([]trial.Sample, len(s.List))
	for i, e := range s.List {
		l, _ := trial.ParseLabel(e.Label) // read by ReadSamples or made by Add
		path := s.Path(e.Picture)
		out[i] = trial.Sample{Name: e.Picture, Label: l, Open: func() (raster.Picture, error) { return Cached(path, limits) }}
	}
	return out
}
