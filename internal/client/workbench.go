package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"

	"ricetta/core/check"
	"ricetta/internal/api"
	"ricetta/internal/station"
	"ricetta/internal/workbench"
)

// tell sends a request with a body and decodes the answer. in is sent as JSON, or as it is
// where it is bytes.
func (c *Client) tell(ctx context.Context, method, path string, query url.Values, header http.Header, in, out any) error {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Minute)
	defer cancel()
	data, raw := in.([]byte)
	if !raw {
		var err error
		if data, err = json.Marshal(in); err != nil {
			return err
		}
	}
	res, err := c.send(ctx, method, path, query, header, bytes.NewReader(data))
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if err := json.NewDecoder(io.LimitReader(res.Body, 64<<20)).Decode(out); err != nil {
		return fmt.Errorf("the service's answer cannot be read: %w", err)
	}
	return nil
}

func pathOf(k workbench.Key, rest string) string {
	return "/recipes/" + url.PathEscape(k.Product) + "/" + url.PathEscape(k.Role) + rest
}

// Draft returns a draft.
func (c *Client) Draft(ctx context.Context, k workbench.Key) (out api.Draft, err error) {
	return out, c.do(ctx, "GET", pathOf(k, "/draft"), nil, &out)
}

// SaveDraft saves a draft's tree over the one with the given tag. An *api.Problem of status
// 412 says that somebody else has saved meanwhile.
func (c *Client) SaveDraft(ctx context.Context, k workbench.Key, tree map[string]any, tag, who string) (out api.Draft, err error) {
	return out, c.tell(ctx, "PUT", pathOf(k, "/draft"), nil, http.Header{"If-Match": {`"` + tag + `"`}}, map[string]any{"tree": tree, "who": who}, &out)
}

// CopyRecipe begins a recipe like another one.
func (c *Client) CopyRecipe(ctx context.Context, from, to workbench.Key, variant bool) (out api.Draft, err error) {
	in := map[string]any{"product": to.Product, "role": to.Role, "from": api.RecipeName(from), "variant": variant}
	return out, c.tell(ctx, "POST", "/recipes", nil, nil, in, &out)
}

// UploadRecipe begins a recipe from its reference picture.
func (c *Client) UploadRecipe(ctx context.Context, k workbench.Key, name string, picture []byte) (out api.Draft, err error) {
	return out, c.tell(ctx, "POST", "/recipes/upload", Query("product", k.Product, "role", k.Role, "name", name), nil, picture, &out)
}

// BeginAt begins a recipe with what was looked at last at a station.
func (c *Client) BeginAt(ctx context.Context, k workbench.Key, stationID string) (out api.Draft, err error) {
	in := map[string]any{"product": k.Product, "role": k.Role, "station": stationID, "look": true}
	return out, c.tell(ctx, "POST", "/recipes", nil, nil, in, &out)
}

// DeleteRecipe deletes a draft that was never released.
func (c *Client) DeleteRecipe(ctx context.Context, k workbench.Key) error {
	return c.do(ctx, "DELETE", pathOf(k, ""), nil, new(api.Done))
}

// Try judges a picture with a draft.
func (c *Client) Try(ctx context.Context, k workbench.Key, in map[string]any) (out api.Tried, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/draft/try"), nil, nil, in, &out)
}

// Samples lists the samples of a recipe.
func (c *Client) Samples(ctx context.Context, k workbench.Key) (out api.SampleList, err error) {
	return out, c.do(ctx, "GET", pathOf(k, "/samples"), nil, &out)
}

// AddSample makes a picture a sample; label is "" where its name shall tell.
func (c *Client) AddSample(ctx context.Context, k workbench.Key, name, label string, picture []byte) (out api.Sample, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/samples"), Query("name", name, "label", label), nil, picture, &out)
}

// LabelSamples labels samples anew.
func (c *Client) LabelSamples(ctx context.Context, k workbench.Key, label string, names ...string) (out api.SampleList, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/samples/label"), nil, nil, map[string]any{"samples": names, "label": label}, &out)
}

// RemoveSamples removes samples.
func (c *Client) RemoveSamples(ctx context.Context, k workbench.Key, names ...string) (out api.SampleList, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/samples/remove"), nil, nil, map[string]any{"samples": names}, &out)
}

// Trial judges all samples with the draft; each is told how far it is.
func (c *Client) Trial(ctx context.Context, k workbench.Key, each func(done, of int)) (api.Progress, error) {
	return c.lines(ctx, pathOf(k, "/trial"), each)
}

// Stress judges all samples with the draft, more and more disturbed.
func (c *Client) Stress(ctx context.Context, k workbench.Key, each func(done, of int)) (api.Progress, error) {
	return c.lines(ctx, pathOf(k, "/stress"), each)
}

func (c *Client) lines(ctx context.Context, path string, each func(done, of int)) (last api.Progress, err error) {
	res, err := c.send(ctx, "POST", path, nil, nil, bytes.NewReader([]byte("{}")))
	if err != nil {
		return last, err
	}
	defer res.Body.Close()
	return last, eachLine(res.Body, func(p api.Progress) (bool, error) {
		last = p
		switch {
		case p.Error != "":
			return true, errors.New(p.Error)
		case len(p.Problems) > 0:
			return true, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The recipe is not in order", Detail: problemsText(p), Problems: p.Problems}
		case p.Report != nil || p.Envelope != nil:
			return true, nil
		}
		if each != nil {
			each(p.Done, p.Of)
		}
		return false, nil
	})
}

func problemsText(p api.Progress) string {
	out := ""
	for i, x := range p.Problems {
		if i > 0 {
			out += "\n"
		}
		out += x.String()
	}
	return out
}

// Release releases a draft; reason is needed while samples are judged wrong.
func (c *Client) Release(ctx context.Context, k workbench.Key, w workbench.Wish) (out workbench.Release, err error) {
	in := map[string]any{"tag": w.Tag, "who": w.Who, "note": w.Note, "reason": w.Reason}
	return out, c.tell(ctx, "POST", pathOf(k, "/release"), nil, nil, in, &out)
}

// Retire takes the released revision out of use.
func (c *Client) Retire(ctx context.Context, k workbench.Key, who, note string) (out workbench.Release, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/retire"), nil, nil, map[string]any{"who": who, "note": note}, &out)
}

// Restore releases an earlier revision again.
func (c *Client) Restore(ctx context.Context, k workbench.Key, revision, who, note string) (out workbench.Release, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/restore"), nil, nil, map[string]any{"revision": revision, "who": who, "note": note}, &out)
}

// Releases lists what happened to a recipe, newest first.
func (c *Client) Releases(ctx context.Context, k workbench.Key) (out api.ReleaseList, err error) {
	return out, c.do(ctx, "GET", pathOf(k, "/releases"), nil, &out)
}

// Diff says what differs between two revisions; "" is the draft.
func (c *Client) Diff(ctx context.Context, k workbench.Key, from, to string) (out api.ChangeList, err error) {
	return out, c.do(ctx, "GET", pathOf(k, "/diff"), Query("from", from, "to", to), &out)
}

// Export writes a draft with its pictures and samples as an archive.
func (c *Client) Export(ctx context.Context, k workbench.Key, to io.Writer) error {
	res, err := c.send(ctx, "GET", pathOf(k, "/export"), nil, nil, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	_, err = io.Copy(to, res.Body)
	return err
}

// Import takes an archive in as a new recipe.
func (c *Client) Import(ctx context.Context, archive []byte) (out api.Draft, err error) {
	return out, c.tell(ctx, "POST", "/recipes/import", nil, nil, archive, &out)
}

// Use lets a station run what is released, of another product if one is named.
func (c *Client) Use(ctx context.Context, id, product string) (out api.Station, err error) {
	return c.UseFor(ctx, id, product, nil)
}

// UseFor does as Use, and tells what is packed from the next item on; nil leaves that as it is.
func (c *Client) UseFor(ctx context.Context, id, product string, order check.Order) (out api.Station, err error) {
	in := map[string]any{"product": product}
	if order != nil {
		in["order"] = order
	}
	return out, c.tell(ctx, "POST", "/stations/"+url.PathEscape(id)+"/use", nil, nil, in, &out)
}

// Camera returns how a station's camera is set.
func (c *Client) Camera(ctx context.Context, id string) (out api.CameraState, err error) {
	return out, c.do(ctx, "GET", "/stations/"+url.PathEscape(id)+"/camera", nil, &out)
}

// SetCamera sets the camera of a stopped station.
func (c *Client) SetCamera(ctx context.Context, id string, s station.CameraSettings) (out api.CameraState, err error) {
	return out, c.tell(ctx, "PUT", "/stations/"+url.PathEscape(id)+"/camera", nil, nil, map[string]any{"settings": s}, &out)
}

// FindCamera finds the best exposure or focus of a stopped station.
func (c *Client) FindCamera(ctx context.Context, id, what string) (out api.CameraState, err error) {
	return out, c.do(ctx, "POST", "/stations/"+url.PathEscape(id)+"/camera/find/"+what, nil, &out)
}

// FindCalibration finds how large a pixel of a station is, by what in says: length_mm with
// from and to, or grid_mm. Nothing is kept.
func (c *Client) FindCalibration(ctx context.Context, id string, in map[string]any) (out api.FoundCalibration, err error) {
	return out, c.tell(ctx, "POST", "/stations/"+url.PathEscape(id)+"/calibration/find", nil, nil, in, &out)
}

// SetCalibration keeps the calibration of a stopped station; nil forgets it.
func (c *Client) SetCalibration(ctx context.Context, id string, k *api.Calibration) (out api.Station, err error) {
	return out, c.tell(ctx, "PUT", "/stations/"+url.PathEscape(id)+"/calibration", nil, nil, map[string]any{"calibration": k}, &out)
}

// Look takes a picture to look at, with its figures.
func (c *Client) Look(ctx context.Context, id string) (out api.Look, err error) {
	return out, c.do(ctx, "POST", "/stations/"+url.PathEscape(id)+"/camera/look", nil, &out)
}

// TakePicture makes a picture that is there already a picture file of a draft.
func (c *Client) TakePicture(ctx context.Context, k workbench.Key, w api.Which) (out api.Taken, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/draft/pictures"), nil, nil, w, &out)
}
