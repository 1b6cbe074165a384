package api

import (
	"encoding/base64"
	"errors"
	"image"
	"image/color"
	"image/png"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/folder"
)

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
