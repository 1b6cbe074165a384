package source

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"

	"ricetta/core/raster"
)

// HTTPConfig is a camera, or any other program, that answers a GET request with its present
// picture.
type HTTPConfig struct {
	// Address is an http or https URL; user and password may stand in it.
	Address string `yaml:"address"`
}

func (c HTTPConfig) shown() string {
	u, err := url.Parse(c.Address)
	if err != nil {
		return "an address that is none"
	}
	return u.Redacted()
}

type httpPictures struct {
	cfg    HTTPConfig
	client *http.Client
}

func openHTTP(c HTTPConfig) (*httpPictures, error) {
	u, err := url.Parse(c.Address)
	if err != nil || (u.Scheme != "http" && u.Scheme != "https") || u.Host == "" {
		return nil, fmt.Errorf("http: %q is no address; write it as in http://192.0.2.7/snapshot.jpg", c.Address)
	}
	return &httpPictures{c, &http.Client{
		// A camera that sends to another machine is set up wrong, or is not the camera.
		CheckRedirect: func(req *http.Request, via []*http.Request) error {
			if req.URL.Host != via[0].URL.Host {
				return errors.New("it sends to another machine, " + req.URL.Host)
			}
			if len(via) > 3 {
				return errors.New("it sends in a circle")
			}
			return nil
		},
	}}, nil
}

// Waiting implements Pictures.
func (h *httpPictures) Waiting() bool { return true }

// Snap implements Pictures.
func (h *httpPictures) Snap(ctx context.Context) (raster.Picture, error) { return h.Next(ctx) }

// Next implements Pictures.
func (h *httpPictures) Next(ctx context.Context) (raster.Picture, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, h.cfg.Address, nil)
	if err != nil {
		return raster.Picture{}, err
	}
	res, err := h.client.Do(req)
	if err != nil {
		return raster.Picture{}, err // names the address, without the password
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return raster.Picture{}, fmt.Errorf("%s answers %s; look at the camera's address and account", h.cfg.shown(), res.Status)
	}
	limits := raster.DefaultDecodeLimits
	data, err := io.ReadAll(io.LimitReader(res.Body, int64(limits.Bytes)+1))
	if err != nil {
		return raster.Picture{}, fmt.Errorf("%s broke off: %w", h.cfg.shown(), err)
	}
	pic, err := raster.Decode(data, "", limits)
	if err != nil {
		return raster.Picture{}, fmt.Errorf("%s: %w", h.cfg.shown(), err)
	}
	return pic, nil
}
