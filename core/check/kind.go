package check

import (
	"errors"
	"fmt"
	"sync"

	"ricetta/core/raster"
)

// Measure declares a reading that a kind of check gives.
type Measure struct {
	Name, Unit, Doc string
	// Whole is set for counts, which have no values between.
	Whole bool
}

// Named is a name and what it stands for.
type Named struct{ Name, Doc string }

// Kind describes one kind of check, such as "count.spots".
type Kind struct {
	Name     string // family.kind
	Doc      string // one sentence for people who choose a check
	Measures []Measure
	// Texts are what the kind reads or names, with what each is.
	Texts []Named
	// Datum is set for kinds that find the item, so that other checks can ride on them.
	Datum bool
	// NeedsReference is set for kinds that are taught on the reference picture.
	NeedsReference bool
	// New returns a pointer to the kind's settings, filled with the defaults.
	// Their json tags name the settings, their jsonschema tags bound them.
	New func() any
	// Teach computes from settings (what New returned, decoded and valid) all that
	// can be known before the first picture. It is deterministic.
	Teach func(t *Teaching, settings any) (Taught, error)
}

// Define makes a Kind whose Teach takes its own settings type.
func Define[S any](k Kind, defaults func() S, teach func(t *Teaching, s *S) (Taught, error)) Kind {
	k.New = func() any { s := defaults(); return &s }
	k.Teach = func(t *Teaching, settings any) (Taught, error) {
		s, ok := settings.(*S)
		if !ok {
			panic(fmt.Sprintf("check: %s was given settings of type %T", k.Name, settings))
		}
		return teach(t, s)
	}
	return k
}

// Measure returns the declared reading of that name.
func (k Kind) Measure(name string) (Measure, bool) {
	for _, m := range k.Measures {
		if m.Name == name {
			return m, true
		}
	}
	return Measure{}, false
}

// Validator is implemented by settings that have rules beyond their schema.
// The error names the field as in "region: rect has no extent; …".
type Validator interface{ Validate() error }

// Files is implemented by settings that name picture files of the recipe, besides the
// masks of their regions.
type Files interface{ Files() []string }

// Teaching is what a check is taught with.
type Teaching struct {
	// Picture is the reference picture, without pixels where the recipe has none;
	// Reference is its brightness, nil then.
	Picture   raster.Picture
	Reference *raster.Gray
	// Marks are what the check learned, drawn on the reference picture.
	Marks []Mark
	// Expressions compiles rules over the findings of the recipe's other checks.
	Expressions Expressions
	// File returns a picture file of the recipe, as another view of the item.
	File func(name string) (raster.Picture, error)
	// Warnings are sentences about what will work badly, with the remedy.
	Warnings []string
}

// Expressions compiles the rules that users write.
type Expressions interface {
	// CompileBool returns the rule made ready, or an error that says where it is
	// wrong and what is known.
	CompileBool(source string) (Rule, error)
}

// Rule is a compiled yes-or-no expression. It may be used concurrently.
type Rule interface {
	// Holds evaluates the rule over findings and the values of the order. The error is
	// ErrNotJudged where the answer depends on a reading that was not taken.
	Holds(findings []*Finding, order Order) (bool, error)
	// AsksWords reports whether the rule asks for texts or for the order.
	AsksWords() bool
}

// ErrNotJudged says that a rule asked for something of a check that was not judged.
var ErrNotJudged = errors.New("it depends on a check that was not judged")

// Warn adds a warning.
func (t *Teaching) Warn(format string, args ...any) {
	t.Warnings = append(t.Warnings, fmt.Sprintf(format, args...))
}

// Taught is a check made ready. It is immutable and may be used by any number of
// goroutines, each with a judge of its own.
type Taught interface{ NewJudge() Judge }

// Judge looks at pictures, one after the other. It keeps memory between pictures
// to reuse it, so it serves one goroutine, and what it says of a picture never
// depends on the pictures before.
type Judge interface {
	// Judge fills out, which comes empty. It calls out.Read for every reading it
	// could take and out.NotJudged or out.Fault where it could not; limits are
	// applied by the caller.
	Judge(in *Input, out *Finding)
}

// Locator is a judge of a datum kind.
type Locator interface {
	Judge
	// Place is where the taught thing lies in the last judged picture, as the
	// transform from the reference picture. It is meaningful only after a finding
	// that was judged and not failed.
	Place() raster.Transform
}

// Selector is a judge that goes by which pixels are of a tone or color, and can show them.
type Selector interface {
	Judge
	// Selected sets the pixels that count in the picture judged last to 255 and leaves the
	// others of dst, which is as large.
	Selected(in *Input, dst *raster.Gray)
}

// Learner is something taught that settings could have said as well.
type Learner interface {
	Taught
	// Learned returns such settings by their names, in place of those it was taught by, which
	// they exclude; nil where it was not taught by example.
	Learned() map[string]any
}

// Input is one picture as a judge sees it. Judges that run at the same time have
// each their own, made by For.
type Input struct {
	Picture raster.Picture
	// Gray is the brightness of the picture, level 0 of the pyramid.
	Gray *raster.Gray
	// On maps the reference picture to this one: where the check's datum was
	// found, or identity.
	On raster.Transform
	// Findings are those of the checks judged before on this picture.
	Findings []*Finding
	// Order is what is being packed; nil where nobody has said.
	Order Order
	// Lens says how the station's lens bends; nil where that is not known.
	Lens *raster.Lens
	// MMPerPx is the scale of a check whose lengths are told in millimeters; 0 for one
	// in pixels. Readings are given in pixels all the same: the runner converts them.
	MMPerPx float64
	// Outside says what becomes of a check whose region hangs out of the picture.
	Outside Outside

	work *work
}

// work is what several checks need of one picture, made once, when first asked for.
type work struct {
	mu      sync.Mutex
	levels  []*raster.Gray // levels[k] is the brightness halved k+1 times
	ready   int            // how many of levels belong to this picture
	scratch raster.Gray
}

// Reset points in at another picture. It keeps the memory of pyramids made before.
func (in *Input) Reset(p raster.Picture) {
	if in.work == nil {
		in.work = new(work)
	}
	in.Picture, in.Gray, in.On = p, p.Luma(&in.work.scratch), raster.Identity()
	in.work.ready = 0
}

// Length returns a length in pixels as a sentence should tell it, in the check's unit.
func (in *Input) Length(px float64) float64 {
	if in.MMPerPx > 0 {
		return float64(px * in.MMPerPx)
	}
	return px
}

// Unit is the unit of what Length returns.
func (in *Input) Unit() string {
	if in.MMPerPx > 0 {
		return "mm"
	}
	return "px"
}

// For returns the same picture for a check that rides on the place on.
func (in *Input) For(on raster.Transform, outside Outside) Input {
	out := *in
	out.On, out.Outside = on, outside
	return out
}

// Straight returns where p would lie if the lens did not bend.
func (in *Input) Straight(p raster.Point) raster.Point {
	if in.Lens == nil {
		return p
	}
	return in.Lens.Straight(p)
}

// Level returns the brightness halved k times on both axes, computed once a picture.
func (in *Input) Level(k int) *raster.Gray {
	if k == 0 {
		return in.Gray
	}
	w := in.work
	w.mu.Lock()
	defer w.mu.Unlock()
	for w.ready < k {
		if len(w.levels) == w.ready {
			w.levels = append(w.levels, new(raster.Gray))
		}
		from := in.Gray
		if w.ready > 0 {
			from = w.levels[w.ready-1]
		}
		from.Half(w.levels[w.ready])
		w.ready++
	}
	return w.levels[k-1]
}

// NoPixel is said of a region too small to hold the center of a pixel.
const NoPixel = "its region holds no pixel; make it larger"

// Outside says what becomes of a check whose region lies partly outside the picture.
type Outside string

// What may become of it.
const (
	OutsideFault Outside = "fault" // what cannot be seen cannot pass; the default
	OutsideFail  Outside = "fail"  // the check fails
	OutsideJudge Outside = "judge" // what can be seen is judged
)

// mostOutside is the share of a region that may hang over the picture's border
// and still be judged: rounding at the rim, no more.
const mostOutside = 0.01

// Covers reports whether the picture holds the region, moved by in.On. If not, it
// makes the finding a fault, or what in.Outside says.
func (in *Input) Covers(r raster.Region, out *Finding) bool {
	outside := r.AreaOutside(in.On, in.Gray.W, in.Gray.H)
	if outside <= mostOutside || in.Outside == OutsideJudge && outside < 1 {
		return true
	}
	b := append(out.Sentence[:0], "its region lies "...)
	b = AppendNumber(b, Rounded(float64(outside*100), 1))
	out.Outcome, out.Sentence = Fault, append(b, " % outside the picture"...)
	if in.Outside == OutsideFail {
		out.Outcome = Failed
	}
	return false
}

// TaughtOutside is the error of a region that does not lie in the reference picture,
// or nil. field names the setting.
func (t *Teaching) TaughtOutside(field string, r raster.Region) error {
	w, h := t.Picture.Size()
	if out := r.AreaOutside(raster.Identity(), w, h); out > 0 {
		return fmt.Errorf("%s: %.0f %% of it lies outside the reference picture; draw it inside", field, float64(out*100))
	}
	return nil
}
