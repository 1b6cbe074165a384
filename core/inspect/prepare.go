package inspect

import (
	"errors"
	"fmt"
	"path"
	"sync"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// Plan is a recipe made ready: taught, compiled, ordered. It is immutable; any
// number of runners may share it.
type Plan struct {
	Recipe *recipe.Recipe
	// Warnings of teaching, each with the id of its check.
	Warnings []Warning
	// TaughtMarks are drawn on the reference picture, by check id.
	TaughtMarks map[string][]check.Mark

	reference raster.Picture

	steps  []step  // in the order of running
	waves  [][]int // of steps: those of one wave need only what came before it
	routes []route

	look func() string // what readings depend on, written down once
}

// Reference returns the reference picture, without pixels where the recipe has none.
func (p *Plan) Reference() raster.Picture { return p.reference }

// Warning is something that will work badly, and the remedy.
type Warning struct{ Check, Text string }

type step struct {
	index  int // of the check in the document
	doc    *recipe.Check
	kind   check.Kind
	taught check.Taught
	limits map[string]check.Band
	on     int // position in steps of the datum, -1 for none
	wave   int
}

type route struct {
	to   string
	when string
	rule check.Rule
}

// TeachError is a check that cannot be taught.
type TeachError struct {
	ID  string
	Err error
}

func (e *TeachError) Error() string { return "check " + e.ID + " cannot be taught: " + e.Err.Error() }

// Unwrap returns what the kind said.
func (e *TeachError) Unwrap() error { return e.Err }

// Prepare teaches the recipe. The error names the check and the remedy.
func Prepare(r *recipe.Recipe) (*Plan, error) { return PrepareWith(nil, r) }

// PrepareWith is Prepare, quicker for checks that the cache has seen.
func PrepareWith(cache *Cache, r *recipe.Recipe) (*Plan, error) {
	p := &Plan{Recipe: r, TaughtMarks: map[string][]check.Mark{}}
	ref, err := reference(cache, r)
	if err != nil {
		return nil, err
	}
	p.reference = ref
	var luma *raster.Gray
	if ref.Kind() != "" {
		luma = ref.Luma(new(raster.Gray))
	}
	rules, err := recipe.NewRules(&r.Document, Kinds)
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	files := cache.files(r)
	for _, i := range r.Order() {
		c := &r.Checks[i]
		k, ok := Kinds.Find(c.Kind)
		if !ok {
			return nil, fmt.Errorf("check %s: there is no kind %s; choose one of %v", c.ID, c.Kind, Kinds.Names())
		}
		s := step{index: i, doc: c, kind: k, on: -1, limits: map[string]check.Band{}}
		if c.On != "" {
			s.on = at[c.On]
		}
		for name, l := range c.Limits {
			s.limits[name] = l.Bounds()
		}
		key, keeps := cache.key(r, i, files)
		var l *lesson
		if keeps {
			l = cache.find(key)
		}
		if l == nil {
			t := check.Teaching{Picture: ref, Reference: luma, Expressions: rules, File: func(name string) (raster.Picture, error) { return picture(cache, r, name) }}
			taught, err := k.Teach(&t, c.Settings)
			if err != nil {
				return nil, &TeachError{c.ID, err}
			}
			l = &lesson{taught, t.Marks, t.Warnings}
			if keeps {
				cache.keep(key, l)
			}
		}
		s.taught = l.taught
		for _, w := range l.warnings {
			p.Warnings = append(p.Warnings, Warning{c.ID, w})
		}
		if len(l.marks) > 0 {
			p.TaughtMarks[c.ID] = l.marks
		}
		wave := 0
		if s.on >= 0 {
			wave = p.steps[s.on].wave + 1
		}
		if recipe.IsLogic(c.Kind) {
			wave = len(p.waves) // after all it may ask for, also another rule
		}
		if wave == len(p.waves) {
			p.waves = append(p.waves, nil)
		}
		s.wave = wave
		at[c.ID] = len(p.steps)
		p.waves[wave] = append(p.waves[wave], len(p.steps))
		p.steps = append(p.steps, s)
	}
	p.look = sync.OnceValue(func() string {
		if cache == nil {
			files = new(Cache).files(r)
		}
		return lookOf(r, files)
	})
	p.warnOfRiders()
	for _, d := range r.Routes {
		rule, err := rules.CompileBool(d.When)
		if err != nil {
			return nil, fmt.Errorf("route to %s: %w", d.To, err)
		}
		p.routes = append(p.routes, route{d.To, d.When, rule})
	}
	return p, nil
}

// reference returns the reference picture, without pixels where there is none.
func reference(cache *Cache, r *recipe.Recipe) (raster.Picture, error) {
	if r.Picture.Reference == "" {
		return raster.Picture{}, nil
	}
	pic, err := picture(cache, r, r.Picture.Reference)
	if err != nil {
		return raster.Picture{}, fmt.Errorf("reference picture %w", err)
	}
	return pic, nil
}

// picture returns a picture file of the recipe.
func picture(cache *Cache, r *recipe.Recipe, name string) (raster.Picture, error) {
	data, ok := r.Files[name]
	if !ok {
		return raster.Picture{}, errors.New(name + " is missing; put it into the recipe's folder")
	}
	pic, err := cache.decode(data, func() (raster.Picture, error) { return raster.Decode(data, path.Ext(name), raster.DefaultDecodeLimits) })
	if err != nil {
		return raster.Picture{}, fmt.Errorf("%s: %w", name, err)
	}
	if err := fits(r, pic); err != nil {
		return raster.Picture{}, fmt.Errorf("%s: %w", name, err)
	}
	return pic, nil
}

// fits reports a picture of another kind than the recipe is for.
func fits(r *recipe.Recipe, pic raster.Picture) error {
	if got := pic.Kind(); got != r.Picture.Kind {
		if got == "" {
			return errors.New("there is no picture")
		}
		return fmt.Errorf("it is a %s picture, and the recipe is for %s ones; use the camera and format that the recipe was made for", got, r.Picture.Kind)
	}
	return nil
}
