package api

import (
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/folder"
	"ricetta/internal/workbench"
)

// Which names a picture that is there already; at most one field is given.
type Which struct {
	Sample  string `json:"sample,omitempty" description:"This sample"`
	Item    string `json:"item,omitempty" description:"The picture of this recorded item"`
	Station string `json:"station,omitempty" description:"The last picture that this station has judged"`
	Look    string `json:"look,omitempty" description:"The last picture of this station that was looked at"`
	File    string `json:"file,omitempty" description:"This picture file of the draft"`
}

type tryRequest struct {
	RecipeRequest
	Which
	Tree     map[string]any `json:"tree,omitempty" description:"A draft that is not saved yet; the saved one if absent"`
	Revision string         `json:"revision,omitempty" description:"Judge with this released revision instead of a draft"`
	Select   string         `json:"select,omitempty" description:"Show which pixels count for this check, where it goes by single pixels"`
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
	Learned  map[string]any              `json:"learned,omitempty" description:"Settings that say what the check in select was taught by example; null takes one away"`
}

// TaughtWarning is a warning of teaching.
type TaughtWarning struct {
	Check string `required:"true" json:"check"`
	Text  string `json:"text" required:"true"`
}

func (s *Server) tryDraft(c *echo.Context, in *tryRequest) (*Tried, error) {
	out := &Tried{Problems: []recipe.Problem{}, Warnings: []TaughtWarning{}, Taught: map[string][]check.MarkJSON{}, Findings: []check.FindingJSON{}}
	begin := time.Now()
	plan, err := s.planToTry(in)
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
	pic, err := s.pictureOf(c.Request().Context(), in.key(), in.Which)
	if in.Which == (Which{}) {
		pic = plan.Reference()
	}
	if err != nil || pic.Kind() == "" {
		return out, err
	}
	out.Width, out.Height = pic.Size()
	runner := plan.NewRunner()
	if samples, err := s.deps.Book.Samples(in.key()); err == nil {
		runner.Order(samples.Order)
	}
	begin = time.Now()
	v := runner.Inspect(pic)
	out.JudgeMS = msSince(begin)
	if in.Select != "" {
		out.Learned = plan.Learned(in.Select)
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

func (s *Server) planToTry(in *tryRequest) (*inspect.Plan, error) {
	if in.Revision == "" {
		return s.deps.Book.Ready(in.key(), in.Tree)
	}
	plan, err := s.deps.Book.Plan(in.Revision)
	if err != nil {
		return nil, problem(http.StatusNotFound, "No such revision", err.Error())
	}
	return plan, nil
}

// pictureOf is the picture that is named; one without pixels where none is.
func (s *Server) pictureOf(ctx context.Context, k workbench.Key, w Which) (raster.Picture, error) {
	switch {
	case w.Sample != "":
		return s.deps.Book.SamplePicture(k, w.Sample)
	case w.Item != "":
		return s.itemPicture(w.Item)
	case w.Station != "":
		return s.lastPicture(w.Station)
	case w.Look != "":
		return s.lastLook(ctx, w.Look)
	case w.File != "":
		data, err := s.deps.Book.Picture(k, w.File)
		if err != nil {
			return raster.Picture{}, err
		}
		return folder.DecodeCached(data, path.Ext(w.File), raster.DefaultDecodeLimits)
	}
	return raster.Picture{}, nil
}

type takeRequest struct {
	RecipeRequest
	Which
	As string `json:"as,omitempty" pattern:"^[a-z][a-z0-9_-]*$" description:"What its name begins with; reference if absent"`
}

// Taken is a picture that was made a file of a draft.
type Taken struct {
	Name string `json:"name" required:"true" description:"Of the file; the same pixels have the same name"`
}

func (s *Server) takePicture(c *echo.Context, in *takeRequest) (*Taken, error) {
	pic, err := s.pictureOf(c.Request().Context(), in.key(), in.Which)
	if err != nil {
		return nil, err
	}
	if pic.Kind() == "" {
		return nil, problem(http.StatusUnprocessableEntity, "Which picture?", "Name a sample, an item, a station or a file.")
	}
	var b bytes.Buffer
	if err := png.Encode(&b, pic.Image()); err != nil {
		return nil, err
	}
	if in.As == "" {
		in.As = "reference"
	}
	name := in.As + "-" + folder.HashOf(b.Bytes())[:8] + ".png"
	if err := s.deps.Book.PutPicture(in.key(), name, b.Bytes()); err != nil {
		return nil, badPicture(name, err)
	}
	return &Taken{name}, nil
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

// itemPNG is the picture file of an item; of one that was just judged also where it was not
// kept on the disk.
func (s *Server) itemPNG(id string) ([]byte, error) {
	stationID, seq, err := parseItemID(id)
	if err != nil {
		return nil, err
	}
	it := s.hub.find(stationID, seq)
	if it == nil || it.Picture.Kind() == "" {
		return s.itemFile(stationID, seq)
	}
	var b bytes.Buffer
	err = png.Encode(&b, it.Picture.Image())
	return b.Bytes(), err
}

func (s *Server) itemFile(stationID string, seq int64) ([]byte, error) {
	k, err := s.deps.Records.ItemOf(stationID, seq)
	if err != nil {
		return nil, err
	}
	return s.deps.Records.Picture(k.PictureHash)
}
