package recipe

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Version is the version of the format that this package reads.
const Version = 1

// FileName is the document's name in a recipe's folder.
const FileName = "recipe.yaml"

// Document is what recipe.yaml says.
type Document struct {
	Ricetta int     `json:"ricetta"`
	Product string  `json:"product"`
	Role    string  `json:"role"`
	Note    string  `json:"note,omitempty"`
	Picture Picture `json:"picture"`
	Checks  []Check `json:"checks"`
	Routes  []Route `json:"routes,omitempty"`
}

// Picture says what pictures the recipe is for.
type Picture struct {
	Kind raster.Kind `json:"kind"`
	// Reference names the picture file that the recipe is taught on, in the same folder.
	Reference string `json:"reference,omitempty"`
	// MMPerPx is the scale of the reference, millimeters a pixel; 0 where unknown.
	MMPerPx float64 `json:"mm_per_px,omitempty"`
}

// Check is one step of the recipe: what all kinds have in common, and the settings
// of its own kind.
type Check struct {
	ID          string        `json:"id"`
	Kind        string        `json:"kind"`
	On          string        `json:"on,omitempty"`
	MeasureOnly bool          `json:"measure_only,omitempty"`
	Outside     check.Outside `json:"outside,omitempty"`
	// Unit is "mm" where lengths are given, and limited, in millimeters; else pixels.
	Unit   string                  `json:"unit,omitempty"`
	Limits map[string]check.Limits `json:"limits,omitempty"`
	// Settings is what the kind's New returned, filled in.
	Settings any `json:"settings"`
}

// common names the fields that every check has beside its kind's settings.
var common = []string{"id", "kind", "off", "on", "measure_only", "outside", "unit", "limits", "copies"}

// Copies puts a check in a row or a grid: as many copies, each step farther to the right
// and downwards, called id_1, id_2, … row by row.
type Copies struct {
	Columns int       `json:"columns"`
	Rows    int       `json:"rows"`
	Step    []float64 `json:"step"`
}

// Route sends an item somewhere when a rule holds.
type Route struct {
	To   string `json:"to"`
	When string `json:"when"`
}

// MM is the unit of lengths in millimeters.
const MM = "mm"

// The routes that every line has.
const (
	Pass   = "pass"
	Rework = "rework"
	Reject = "reject"
)

// Recipe is a document together with the picture files that it names.
type Recipe struct {
	Document
	Files map[string][]byte
	// Revision is the content hash, "sha256:…".
	Revision string
}

// New joins a document with its files, and gives the document's masks their pixels.
// It returns a Problems error where a file that the document names is missing or a
// mask is not one.
func New(d *Document, files map[string][]byte) (*Recipe, error) {
	r := &Recipe{Document: *d, Files: map[string][]byte{}}
	var missing Problems
	for _, f := range d.Files() {
		data, ok := files[f.Name]
		if !ok {
			missing = append(missing, Problem{Field: f.Field, What: fmt.Sprintf("the file %s is not in the recipe's folder", f.Name), Remedy: "put it there or name another"})
			continue
		}
		r.Files[f.Name] = data
	}
	if missing != nil {
		return nil, missing
	}
	if p := setMasks(d, r.Files); p != nil {
		return nil, p
	}
	r.Revision = r.hash()
	return r, nil
}

// hash is the SHA-256 over the document in a canonical form (JSON with defaults
// filled in and keys in a fixed order) and over every file it names. Comments and
// layout of the YAML do not change it; anything that could change a verdict does.
func (r *Recipe) hash() string {
	h := sha256.New()
	doc, err := json.Marshal(r.Document)
	if err != nil {
		panic("recipe: a document that cannot be written as JSON: " + err.Error()) // only types of this package
	}
	fmt.Fprintf(h, "ricetta recipe %d\n%d\n", Version, len(doc))
	h.Write(doc)
	names := make([]string, 0, len(r.Files))
	for n := range r.Files {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		fmt.Fprintf(h, "\n%s\n%x\n", n, sha256.Sum256(r.Files[n]))
	}
	return "sha256:" + hex.EncodeToString(h.Sum(nil))
}

// Find returns the check of that id, or nil.
func (d *Document) Find(id string) *Check {
	for i := range d.Checks {
		if d.Checks[i].ID == id {
			return &d.Checks[i]
		}
	}
	return nil
}

// IDs lists the ids of the checks.
func (d *Document) IDs() []string {
	out := make([]string, len(d.Checks))
	for i, c := range d.Checks {
		out[i] = c.ID
	}
	return out
}

// Order returns the indices of the checks so that each comes after the datum it
// rides on and rules come after everything they may ask for; else in the order of
// the document.
func (d *Document) Order() []int {
	var order []int
	done := map[string]bool{"": true}
	for _, rules := range []bool{false, true} {
		for progress := true; progress; {
			progress = false
			for i, c := range d.Checks {
				if done[c.ID] || !done[c.On] || IsLogic(c.Kind) != rules {
					continue
				}
				done[c.ID] = true
				order = append(order, i)
				progress = true
			}
		}
	}
	return order
}
