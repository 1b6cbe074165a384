package api

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"net/http"
	"net/url"
	"os"
	"path"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/core/trial"
	"ricetta/internal/folder"
	"ricetta/internal/workbench"
)

// RecipeRequest names a recipe.
type RecipeRequest struct {
	Product string `param:"product" path:"product" json:"-" required:"true" description:"Code of the product"`
	Role    string `param:"role" path:"role" json:"-" required:"true" description:"Role of the stations"`
}

func (in *RecipeRequest) key() workbench.Key {
	return workbench.Key{Product: in.Product, Role: in.Role}
}

// Draft is a recipe as it is being worked on.
type Draft struct {
	Product string `json:"product" required:"true"`
	Role    string `json:"role" required:"true"`
	// Tag is the ETag as well.
	Tag   string         `json:"tag" required:"true" description:"Changes with every save; send it as If-Match"`
	Text  string         `json:"text" required:"true" description:"recipe.yaml"`
	Tree  map[string]any `json:"tree" required:"true" nullable:"false" description:"The same as values; of a variant base and change"`
	Whole map[string]any `json:"whole" required:"true" nullable:"false" description:"With what a variant takes from its base"`
	Base  string         `json:"base" required:"true" description:"Of a variant: the base; else empty"`
	// Released is the revision that is released, empty where none is.
	Released string           `json:"released" required:"true"`
	Revision string           `json:"revision" required:"true" description:"What it would be released as; empty with problems"`
	Problems []recipe.Problem `json:"problems" required:"true" nullable:"false"`
	Pictures []string         `json:"pictures" required:"true" nullable:"false"`
	Kept     []string         `json:"kept" required:"true" nullable:"false" description:"Earlier documents, newest first"`
}

func (s *Server) draftOf(d *workbench.Draft) (*Draft, error) {
	now, ok, err := s.deps.Book.Current(d.Key)
	if err != nil {
		return nil, err
	}
	out := &Draft{
		Product: d.Product, Role: d.Role, Tag: d.Tag, Text: d.Text, Tree: d.Tree, Whole: d.Whole, Base: recipe.Base(d.Tree),
		Revision: d.Revision, Problems: d.Problems, Pictures: d.Pictures, Kept: d.Kept,
	}
	if ok {
		out.Released = now.Revision
	}
	if out.Problems == nil {
		out.Problems = []recipe.Problem{}
	}
	if out.Pictures == nil {
		out.Pictures = []string{}
	}
	if out.Kept == nil {
		out.Kept = []string{}
	}
	return out, nil
}

func (s *Server) showDraft(c *echo.Context, in *RecipeRequest) (*Draft, error) {
	d, err := s.deps.Book.Draft(in.key())
	if err != nil {
		return nil, err
	}
	c.Response().Header().Set("ETag", `"`+d.Tag+`"`)
	return s.draftOf(d)
}

type saveRequest struct {
	RecipeRequest
	Tree map[string]any `json:"tree" required:"true" nullable:"false"`
	Who  string         `json:"who,omitempty" maxLength:"60" description:"Who saves it"`
}

func (s *Server) saveDraft(c *echo.Context, in *saveRequest) (*Draft, error) {
	tag := strings.Trim(c.Request().Header.Get("If-Match"), `"`)
	if tag == "" {
		return nil, problem(http.StatusPreconditionRequired, "Which draft was edited?", "Send the tag of the draft that was edited as If-Match, so that nobody is overwritten.")
	}
	d, err := s.deps.Book.Save(in.key(), in.Tree, tag, in.Who)
	if err != nil {
		return nil, err
	}
	c.Response().Header().Set("ETag", `"`+d.Tag+`"`)
	return s.draftOf(d)
}

type fileRequest struct {
	RecipeRequest
	Name string `param:"name" path:"name" json:"-" required:"true" description:"Name of the file"`
	Size string `query:"size" json:"-" enum:"full,preview,thumb" default:"full" description:"full: the file as it is; preview: JPEG of the same size; thumb: small JPEG"`
}

func (s *Server) draftPicture(c *echo.Context, in *fileRequest) error {
	data, err := s.deps.Book.Picture(in.key(), in.Name)
	if err != nil {
		return err
	}
	return s.sendPicture(c, in.Name, in.Size, data)
}

// sendPicture sends a picture file as it is or as JPEG. It may be replaced, so browsers ask
// again each time, and are told when nothing has changed.
func (s *Server) sendPicture(c *echo.Context, name, size string, data []byte) error {
	types := map[string]string{".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".bmp": "image/bmp", ".tif": "image/tiff", ".tiff": "image/tiff"}
	kind := types[strings.ToLower(path.Ext(name))]
	h := c.Response().Header()
	h.Set("Cache-Control", "private, no-cache")
	tag := `"` + folder.HashOf(data)[:16] + size + `"`
	h.Set("ETag", tag)
	if c.Request().Header.Get("If-None-Match") == tag {
		return c.NoContent(http.StatusNotModified)
	}
	if size == "preview" || size == "thumb" {
		data, err := s.previews.get(tag, func() ([]byte, error) {
			pic, err := folder.DecodeCached(data, path.Ext(name), raster.DefaultDecodeLimits)
			if err != nil {
				return nil, err
			}
			return jpegOf(pic, size)
		})
		if err != nil {
			return err
		}
		return c.Blob(http.StatusOK, "image/jpeg", data)
	}
	return c.Blob(http.StatusOK, kind, data)
}

// body reads an upload, which may be larger than other requests.
func body(c *echo.Context, most int64) ([]byte, error) {
	data, err := io.ReadAll(http.MaxBytesReader(c.Response(), c.Request().Body, most))
	return data, tooLarge(err, most)
}

// tooLarge tells of an upload beyond its bound; other errors stay as they are.
func tooLarge(err error, most int64) error {
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return problem(http.StatusRequestEntityTooLarge, "The file is too large", fmt.Sprintf("It has more than %d MiB; save it smaller.", most>>20))
	}
	return err
}

func (s *Server) putDraftPicture(c *echo.Context, in *fileRequest) (*Draft, error) {
	data, err := body(c, int64(raster.DefaultDecodeLimits.Bytes))
	if err != nil {
		return nil, err
	}
	if err := s.deps.Book.PutPicture(in.key(), in.Name, data); err != nil {
		return nil, badPicture(in.Name, err)
	}
	return s.showDraft(c, &in.RecipeRequest)
}

func badPicture(name string, err error) error {
	return problem(http.StatusUnprocessableEntity, "This is no picture that can be used", name+": "+err.Error())
}

func (s *Server) keptDocument(c *echo.Context, in *fileRequest) error {
	data, err := s.deps.Book.Kept(in.key(), in.Name)
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/yaml", data)
}

type newRecipeRequest struct {
	Product string `json:"product" required:"true" minLength:"1"`
	Role    string `json:"role" required:"true" minLength:"1"`
	// Where it begins: a recipe, or the last picture of a station.
	From    *RecipeName `json:"from,omitempty" description:"Copy this recipe"`
	Variant bool        `json:"variant,omitempty" description:"Take everything from it but what will be changed"`
	Station string      `json:"station,omitempty" description:"Begin with the last picture of this station as reference"`
}

// RecipeName names a recipe.
type RecipeName struct {
	Product string `json:"product" required:"true"`
	Role    string `json:"role" required:"true"`
}

func (s *Server) newRecipe(_ *echo.Context, in *newRecipeRequest) (*Draft, error) {
	k := workbench.Key{Product: in.Product, Role: in.Role}
	if in.From != nil {
		d, err := s.deps.Book.Copy(workbench.Key(*in.From), k, in.Variant)
		if err != nil {
			return nil, err
		}
		return s.draftOf(d)
	}
	pic, err := s.lastPicture(in.Station)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, pic.Image()); err != nil {
		return nil, err
	}
	d, err := s.deps.Book.Create(k, "reference.png", b.Bytes())
	if err != nil {
		return nil, err
	}
	return s.draftOf(d)
}

// lastPicture is the last picture that a station has taken.
func (s *Server) lastPicture(stationID string) (raster.Picture, error) {
	if s.station(stationID) == nil {
		return raster.Picture{}, noStation(stationID)
	}
	it := s.hub.latest(stationID)
	if it == nil || it.Picture.Kind() == "" {
		return raster.Picture{}, problem(http.StatusConflict, "There is no picture yet", "Station "+stationID+" has taken none since the service started; start it, or upload a picture.")
	}
	return it.Picture, nil
}

type uploadRecipeRequest struct {
	Product string `query:"product" required:"true"`
	Role    string `query:"role" required:"true"`
	Name    string `query:"name" required:"true" description:"Name of the picture file, for its ending"`
}

func (s *Server) uploadRecipe(c *echo.Context, in *uploadRecipeRequest) (*Draft, error) {
	data, err := body(c, int64(raster.DefaultDecodeLimits.Bytes))
	if err != nil {
		return nil, err
	}
	d, err := s.deps.Book.Create(workbench.Key{Product: in.Product, Role: in.Role}, in.Name, data)
	var p recipe.Problems
	switch {
	case errors.As(err, &p), errors.Is(err, workbench.ErrExists):
		return nil, err
	case err != nil:
		return nil, badPicture(in.Name, err)
	}
	return s.draftOf(d)
}

// Done says that something was done.
type Done struct {
	Done bool `json:"done" required:"true"`
}

func (s *Server) deleteRecipe(_ *echo.Context, in *RecipeRequest) (*Done, error) {
	if err := s.deps.Book.Delete(in.key()); err != nil {
		if errors.Is(err, workbench.ErrNoRecipe) {
			return nil, err
		}
		return nil, problem(http.StatusConflict, "It cannot be deleted", err.Error())
	}
	return &Done{true}, nil
}

type tryRequest struct {
	RecipeRequest
	Tree    map[string]any `json:"tree,omitempty" description:"A draft that is not saved yet; the saved one if absent"`
	Sample  string         `json:"sample,omitempty" description:"Judge this sample"`
	Item    string         `json:"item,omitempty" description:"Judge the picture of this recorded item"`
	Select  string         `json:"select,omitempty" description:"Show which pixels count for this check, where it goes by single pixels"`
	Station string         `json:"station,omitempty" description:"Judge the last picture of this station; with none of the three the reference"`
}

// Tried is what a draft says of one picture.
type Tried struct {
	Problems []recipe.Problem `json:"problems" required:"true" nullable:"false" description:"What keeps it from judging; the rest is empty then"`
	Warnings []TaughtWarning  `json:"warnings" required:"true" nullable:"false"`
	// Taught is drawn on the reference picture.
	Taught   map[string][]check.MarkJSON `json:"taught" required:"true" nullable:"false" description:"What was taught, by check, on the reference picture"`
	Route    string                      `json:"route" required:"true"`
	Fault    bool                        `json:"fault" required:"true"`
	Reason   string                      `json:"reason" required:"true"`
	Sentence string                      `json:"sentence" required:"true"`
	Findings []check.FindingJSON         `json:"findings" required:"true" nullable:"false"`
	TeachMS  float64                     `json:"teach_ms" required:"true"`
	JudgeMS  float64                     `json:"judge_ms" required:"true"`
	Width    int                         `json:"width" required:"true"`
	Height   int                         `json:"height" required:"true"`
	Selected string                      `json:"selected,omitempty" description:"The pixels that count for the check in select, as the address of an inline PNG as large as the picture"`
}

// TaughtWarning is a warning of teaching.
type TaughtWarning struct {
	Check string `required:"true" json:"check"`
	Text  string `json:"text" required:"true"`
}

func (s *Server) tryDraft(_ *echo.Context, in *tryRequest) (*Tried, error) {
	out := &Tried{Problems: []recipe.Problem{}, Warnings: []TaughtWarning{}, Taught: map[string][]check.MarkJSON{}, Findings: []check.FindingJSON{}}
	begin := time.Now()
	plan, err := s.deps.Book.Ready(in.key(), in.Tree)
	var p recipe.Problems
	if errors.As(err, &p) {
		out.Problems = p
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	out.TeachMS = msSince(begin)
	for _, w := range plan.Warnings {
		out.Warnings = append(out.Warnings, TaughtWarning{w.Check, w.Text})
	}
	for id, marks := range plan.TaughtMarks {
		f := check.Finding{Marks: marks}
		out.Taught[id] = f.JSON().Marks
	}
	pic, err := s.pictureToTry(in, plan)
	if err != nil || pic.Kind() == "" {
		return out, err
	}
	out.Width, out.Height = pic.Size()
	runner := plan.NewRunner()
	begin = time.Now()
	v := runner.Inspect(pic)
	out.JudgeMS = msSince(begin)
	if in.Select != "" {
		if out.Selected, err = inlined(runner.Selected(in.Select)); err != nil {
			return nil, err
		}
	}
	j := v.JSON()
	out.Route, out.Fault, out.Reason, out.Sentence, out.Findings = j.Route, j.Fault, j.Reason, j.Sentence, j.Findings
	return out, nil
}

// inlined is the address of a picture that lies in the address itself: what is 255 in a
// color of its own, the rest clear; "" for nil.
func inlined(g *raster.Gray) (string, error) {
	if g == nil {
		return "", nil
	}
	img := image.NewPaletted(image.Rect(0, 0, g.W, g.H), color.Palette{color.Transparent, color.RGBA{255, 64, 160, 255}})
	for y := range g.H {
		for x, v := range g.Row(y) {
			img.Pix[y*img.Stride+x] = v >> 7
		}
	}
	var b strings.Builder
	b.WriteString("data:image/png;base64,")
	to := base64.NewEncoder(base64.StdEncoding, &b)
	if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(to, img); err != nil {
		return "", err
	}
	return b.String(), to.Close()
}

func msSince(t time.Time) float64 { return check.Rounded(time.Since(t).Seconds()*1000, 100) }

// pictureToTry is the picture that is asked for; one without pixels where the recipe has no
// reference.
func (s *Server) pictureToTry(in *tryRequest, plan *inspect.Plan) (raster.Picture, error) {
	switch {
	case in.Sample != "":
		return s.deps.Book.SamplePicture(in.key(), in.Sample)
	case in.Item != "":
		return s.itemPicture(in.Item)
	case in.Station != "":
		return s.lastPicture(in.Station)
	}
	return plan.Reference(), nil
}

func (s *Server) itemPicture(id string) (raster.Picture, error) {
	stationID, seq, err := parseItemID(id)
	if err != nil {
		return raster.Picture{}, err
	}
	if it := s.hub.find(stationID, seq); it != nil && it.Picture.Kind() != "" {
		return it.Picture, nil
	}
	data, err := s.itemFile(stationID, seq)
	if err != nil {
		return raster.Picture{}, err
	}
	return folder.DecodeCached(data, ".png", raster.DefaultDecodeLimits)
}

func (s *Server) itemFile(stationID string, seq int64) ([]byte, error) {
	k, err := s.deps.Records.ItemOf(stationID, seq)
	if err != nil {
		return nil, err
	}
	return s.deps.Records.Picture(k.PictureHash)
}

// Sample is a labeled picture.
type Sample struct {
	Sample string `json:"sample" required:"true"`
	Label  string `json:"label" required:"true" description:"good, bad, bad: CHECK, rework, unlabeled, or a route"`
	Note   string `json:"note" required:"true"`
}

// SampleList lists samples.
type SampleList struct {
	Samples []Sample `json:"samples" required:"true" nullable:"false"`
}

func samplesOf(s *folder.Samples) *SampleList {
	out := &SampleList{Samples: []Sample{}}
	for _, e := range s.List {
		out.Samples = append(out.Samples, Sample{e.Picture, e.Label, e.Note})
	}
	return out
}

func (s *Server) listSamples(_ *echo.Context, in *RecipeRequest) (*SampleList, error) {
	list, err := s.deps.Book.Samples(in.key())
	if err != nil {
		return nil, err
	}
	return samplesOf(list), nil
}

type addSampleRequest struct {
	RecipeRequest
	Name  string `query:"name" json:"-" description:"Name of the file, with folders if they tell the label"`
	Label string `query:"label" json:"-" description:"Absent: folder and name tell"`
	Item  string `query:"item" json:"-" description:"Take the picture of this recorded item instead of the request's body"`
}

func (s *Server) addSample(c *echo.Context, in *addSampleRequest) (*Sample, error) {
	var data []byte
	var err error
	if in.Item != "" {
		stationID, seq, err := parseItemID(in.Item)
		if err != nil {
			return nil, err
		}
		if data, err = s.itemFile(stationID, seq); err != nil {
			return nil, err
		}
		in.Name = in.Item + ".png"
	} else if data, err = body(c, int64(raster.DefaultDecodeLimits.Bytes)); err != nil {
		return nil, err
	}
	e, err := s.deps.Book.AddSample(in.key(), in.Name, data, in.Label)
	switch {
	case errors.Is(err, folder.ErrThere):
		return nil, problem(http.StatusConflict, "It is a sample already", in.Name+": the same picture is a sample already, as "+e.Picture)
	case errors.Is(err, workbench.ErrNoRecipe):
		return nil, err
	case err != nil:
		return nil, badPicture(in.Name, err)
	}
	return &Sample{e.Picture, e.Label, e.Note}, nil
}

type labelRequest struct {
	RecipeRequest
	Samples []string `json:"samples" required:"true" nullable:"false"`
	Label   string   `json:"label" required:"true"`
}

func (s *Server) labelSamples(_ *echo.Context, in *labelRequest) (*SampleList, error) {
	list, err := s.deps.Book.LabelSamples(in.key(), in.Samples, in.Label)
	if err != nil {
		return nil, err
	}
	return samplesOf(list), nil
}

type removeSamplesRequest struct {
	RecipeRequest
	Samples []string `json:"samples" required:"true" nullable:"false"`
}

func (s *Server) removeSamples(_ *echo.Context, in *removeSamplesRequest) (*SampleList, error) {
	list, err := s.deps.Book.RemoveSamples(in.key(), in.Samples)
	if err != nil {
		return nil, err
	}
	return samplesOf(list), nil
}

func (s *Server) samplePicture(c *echo.Context, in *fileRequest) error {
	list, err := s.deps.Book.Samples(in.key())
	if err != nil {
		return err
	}
	data, err := list.Read(in.Name)
	if err != nil {
		return err
	}
	return s.sendPicture(c, in.Name, in.Size, data)
}

type trialRequest struct {
	RecipeRequest
	Tree map[string]any `json:"tree,omitempty" description:"A draft that is not saved yet; the saved one if absent"`
}

// Progress is one line of a trial's answer: how far it is, and at last what it says.
type Progress struct {
	Done     int                  `json:"done" required:"true"`
	Of       int                  `json:"of" required:"true"`
	Report   *trial.ReportJSON    `json:"report,omitempty"`
	Envelope []trial.EnvelopeJSON `json:"envelope,omitempty" nullable:"false"`
	Used     int                  `json:"used,omitempty" description:"Samples that a stress trial could use"`
	Problems []recipe.Problem     `json:"problems,omitempty" nullable:"false"`
	Error    string               `json:"error,omitempty"`
}

// lines answers with one JSON object a line, as they come.
func lines(c *echo.Context, run func(ctx context.Context, tell func(Progress))) error {
	w := c.Response()
	w.Header().Set("Content-Type", "application/x-ndjson")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	e := json.NewEncoder(w)
	flush := http.NewResponseController(w)
	last := time.Time{}
	run(c.Request().Context(), func(p Progress) {
		final := p.Report != nil || p.Envelope != nil || p.Problems != nil || p.Error != ""
		if !final && time.Since(last) < 50*time.Millisecond {
			return
		}
		last = time.Now()
		if e.Encode(p) == nil {
			_ = flush.Flush() // who has gone is noticed by the context
		}
	})
	return nil
}

func progressOf(err error) Progress {
	var p recipe.Problems
	if errors.As(err, &p) {
		return Progress{Problems: p}
	}
	return Progress{Error: err.Error()}
}

func (s *Server) trial(c *echo.Context, in *trialRequest) error {
	if _, err := s.deps.Book.Samples(in.key()); err != nil {
		return err
	}
	return lines(c, func(ctx context.Context, tell func(Progress)) {
		report, err := s.deps.Book.Trial(ctx, in.key(), in.Tree, func(done, of int) { tell(Progress{Done: done, Of: of}) })
		if err != nil {
			tell(progressOf(err))
			return
		}
		j := report.JSON()
		tell(Progress{Done: len(report.Results), Of: len(report.Results), Report: &j})
	})
}

func (s *Server) stress(c *echo.Context, in *trialRequest) error {
	if _, err := s.deps.Book.Samples(in.key()); err != nil {
		return err
	}
	return lines(c, func(ctx context.Context, tell func(Progress)) {
		list, used, err := s.deps.Book.Stress(ctx, in.key(), in.Tree, func(done, of int) { tell(Progress{Done: done, Of: of}) })
		if err != nil {
			tell(progressOf(err))
			return
		}
		out := []trial.EnvelopeJSON{}
		for i := range list {
			out = append(out, list[i].JSON())
		}
		tell(Progress{Done: 1, Of: 1, Envelope: out, Used: used})
	})
}

type releaseRequest struct {
	RecipeRequest
	Tag    string `json:"tag,omitempty" description:"Of the draft as it was looked at"`
	Who    string `json:"who" required:"true" maxLength:"60"`
	Note   string `json:"note,omitempty" maxLength:"2000"`
	Reason string `json:"reason,omitempty" maxLength:"2000" description:"Why it is released although samples are judged wrong"`
}

func (s *Server) release(c *echo.Context, in *releaseRequest) (*workbench.Release, error) {
	r, err := s.deps.Book.Release(c.Request().Context(), in.key(), workbench.Wish{Tag: in.Tag, Who: in.Who, Note: in.Note, Reason: in.Reason})
	if err != nil {
		return nil, err
	}
	s.log.Info("recipe released", "recipe", in.key().String(), "revision", r.Revision, "who", r.Who, "wrong", r.Wrong)
	return &r, nil
}

// RetireRequest says who takes a recipe out of use.
type RetireRequest struct {
	RecipeRequest
	Who  string `json:"who" required:"true" maxLength:"60"`
	Note string `json:"note,omitempty" maxLength:"2000"`
}

func (s *Server) retire(_ *echo.Context, in *RetireRequest) (*workbench.Release, error) {
	r, err := s.deps.Book.Retire(in.key(), in.Who, in.Note)
	return &r, err
}

type restoreRequest struct {
	RetireRequest
	Revision string `json:"revision" required:"true"`
}

func (s *Server) restore(_ *echo.Context, in *restoreRequest) (*workbench.Release, error) {
	r, err := s.deps.Book.Restore(in.key(), in.Revision, in.Who, in.Note)
	return &r, err
}

// ReleaseList lists what happened to a recipe, newest first.
type ReleaseList struct {
	Releases []workbench.Release `json:"releases" required:"true" nullable:"false"`
}

func (s *Server) listReleases(_ *echo.Context, in *RecipeRequest) (*ReleaseList, error) {
	list, err := s.deps.Book.Releases(in.key())
	if err != nil {
		return nil, err
	}
	return &ReleaseList{append([]workbench.Release{}, list...)}, nil
}

type diffRequest struct {
	RecipeRequest
	From string `query:"from" json:"-" description:"A revision; absent: the draft"`
	To   string `query:"to" json:"-" description:"A revision; absent: the draft"`
}

// ChangeList says what differs.
type ChangeList struct {
	Changes []recipe.Change `json:"changes" required:"true" nullable:"false"`
}

func (s *Server) diff(_ *echo.Context, in *diffRequest) (*ChangeList, error) {
	list, err := s.deps.Book.Diff(in.key(), in.From, in.To)
	if err != nil {
		return nil, err
	}
	return &ChangeList{append([]recipe.Change{}, list...)}, nil
}

func (s *Server) exportRecipe(c *echo.Context, in *RecipeRequest) error {
	var b bytes.Buffer
	if err := s.deps.Book.Export(in.key(), &b); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+url.PathEscape(in.Product+"-"+in.Role+folder.ArchiveEnding)+`"`)
	return c.Blob(http.StatusOK, "application/zip", b.Bytes())
}

// mostArchive bounds an archive that is brought.
const mostArchive = 1 << 30

func (s *Server) importRecipe(c *echo.Context, _ *none) (*Draft, error) {
	// An archive may be larger than the memory that the service has.
	f, err := os.CreateTemp("", "ricetta-import-*")
	if err != nil {
		return nil, err
	}
	defer os.Remove(f.Name()) //nolint:errcheck // a temporary file
	defer f.Close()           //nolint:errcheck // read only by now
	n, err := io.Copy(f, http.MaxBytesReader(c.Response(), c.Request().Body, mostArchive))
	if err != nil {
		return nil, tooLarge(err, mostArchive)
	}
	d, err := s.deps.Book.Import(f, n)
	var p recipe.Problems
	switch {
	case errors.As(err, &p), errors.Is(err, workbench.ErrExists):
		return nil, err
	case err != nil:
		return nil, problem(http.StatusUnprocessableEntity, "The archive was not imported", err.Error())
	}
	return s.draftOf(d)
}

// KindInfo tells of a kind of check what a form needs.
type KindInfo struct {
	Kind           string         `json:"kind" required:"true"`
	Doc            string         `json:"doc" required:"true"`
	Datum          bool           `json:"datum" required:"true"`
	NeedsReference bool           `json:"needs_reference" required:"true"`
	Measures       []MeasureInfo  `json:"measures" required:"true" nullable:"false"`
	Fields         []string       `json:"fields" required:"true" nullable:"false" description:"Its settings in their order"`
	Schema         map[string]any `json:"schema" required:"true" nullable:"false" description:"JSON Schema of its settings"`
	Defaults       map[string]any `json:"defaults" required:"true" nullable:"false"`
}

// MeasureInfo tells of a reading.
type MeasureInfo struct {
	Name  string `json:"name" required:"true"`
	Unit  string `json:"unit" required:"true"`
	Doc   string `json:"doc" required:"true"`
	Whole bool   `json:"whole" required:"true"`
}

// KindList lists the kinds of checks.
type KindList struct {
	Kinds []KindInfo `json:"kinds" required:"true" nullable:"false"`
}

func (s *Server) listKinds(*echo.Context, *none) (*KindList, error) {
	out := &KindList{Kinds: []KindInfo{}}
	for _, k := range inspect.Kinds {
		i := KindInfo{Kind: k.Name, Doc: k.Doc, Datum: k.Datum, NeedsReference: k.NeedsReference, Measures: []MeasureInfo{}}
		i.Fields, i.Schema, i.Defaults = recipe.Form(k)
		for _, m := range k.Measures {
			i.Measures = append(i.Measures, MeasureInfo{m.Name, m.Unit, m.Doc, m.Whole})
		}
		out.Kinds = append(out.Kinds, i)
	}
	return out, nil
}

// useRelease gives a station the released revision of a recipe for its role.
type useRequest struct {
	StationRequest
	Product string `json:"product,omitempty" description:"Absent: the product that it runs"`
}

func (s *Server) useRelease(_ *echo.Context, in *useRequest) (*Station, error) {
	c := s.station(in.ID)
	if c == nil {
		return nil, noStation(in.ID)
	}
	st := c.State()
	k := workbench.Key{Product: in.Product, Role: st.Config.Role}
	if k.Product == "" {
		k.Product = st.Product
	}
	if k.Product == "" {
		k.Product = st.Config.Product
	}
	r, ok, err := s.deps.Book.Current(k)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, problem(http.StatusConflict, "Nothing is released", "No revision of "+k.String()+" is released; release one first.")
	}
	p, err := s.deps.Book.Plan(r.Revision)
	if err != nil {
		return nil, err
	}
	if err := c.Use(p); err != nil {
		return nil, problem(http.StatusConflict, "The station keeps its recipe", err.Error())
	}
	s.log.Info("station uses another revision", "station", in.ID, "recipe", k.String(), "revision", r.Revision)
	out := s.view(c)
	return &out, nil
}
