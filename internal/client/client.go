// Package client speaks to a running service over its HTTP interface.
package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"ricetta/internal/api"
)

// Client is a connection to one service. It may be used concurrently.
type Client struct {
	base string
	http *http.Client
}

// New returns a client of the service at base, as in http://127.0.0.1:8440.
func New(base string) (*Client, error) {
	u, err := url.Parse(base)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, fmt.Errorf("%q is not the address of a service; write it as in http://127.0.0.1:8440", base)
	}
	return &Client{strings.TrimSuffix(base, "/") + "/api/v1", &http.Client{}}, nil
}

// ErrUnreachable says that no service answered.
var ErrUnreachable = errors.New("no Ricetta answers")

// do asks and decodes the answer into out. Errors of the service are *api.Problem.
func (c *Client) do(ctx context.Context, method, path string, query url.Values, out any) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	res, err := c.send(ctx, method, path, query, nil, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if err := json.NewDecoder(io.LimitReader(res.Body, 64<<20)).Decode(out); err != nil {
		return fmt.Errorf("the service's answer cannot be read: %w", err)
	}
	return nil
}

func (c *Client) send(ctx context.Context, method, path string, query url.Values, header http.Header, body io.Reader) (*http.Response, error) {
	u := c.base + path
	if len(query) > 0 {
		u += "?" + query.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, method, u, body)
	if err != nil {
		return nil, err
	}
	for k, v := range header {
		req.Header[k] = v
	}
	res, err := c.http.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fmt.Errorf("%w at %s; start it with ricetta demo or ricetta serve, or name another with --server", ErrUnreachable, strings.TrimSuffix(c.base, "/api/v1"))
	}
	if res.StatusCode >= 400 {
		defer res.Body.Close()
		p := &api.Problem{Status: res.StatusCode, Title: res.Status}
		if err := json.NewDecoder(io.LimitReader(res.Body, 1<<20)).Decode(p); err != nil || p.Detail == "" {
			p.Detail = "the service answered " + res.Status
		}
		return nil, p
	}
	return res, nil
}

// About asks what answers there.
func (c *Client) About(ctx context.Context) (out api.About, err error) {
	return out, c.do(ctx, "GET", "/about", nil, &out)
}

// Stations lists the stations.
func (c *Client) Stations(ctx context.Context) (out api.StationList, err error) {
	return out, c.do(ctx, "GET", "/stations", nil, &out)
}

// Station returns one station.
func (c *Client) Station(ctx context.Context, id string) (out api.Station, err error) {
	return out, c.do(ctx, "GET", "/stations/"+url.PathEscape(id), nil, &out)
}

// Start starts a station.
func (c *Client) Start(ctx context.Context, id string) (out api.Station, err error) {
	return out, c.do(ctx, "POST", "/stations/"+url.PathEscape(id)+"/start", nil, &out)
}

// Stop stops a station.
func (c *Client) Stop(ctx context.Context, id string) (out api.Station, err error) {
	return out, c.do(ctx, "POST", "/stations/"+url.PathEscape(id)+"/stop", nil, &out)
}

// Items lists items; query holds the interface's own parameters.
func (c *Client) Items(ctx context.Context, query url.Values) (out api.ItemPage, err error) {
	return out, c.do(ctx, "GET", "/items", query, &out)
}

// Item returns one item.
func (c *Client) Item(ctx context.Context, id string) (out api.ItemDetail, err error) {
	return out, c.do(ctx, "GET", "/items/"+url.PathEscape(id), nil, &out)
}

// Tally counts items.
func (c *Client) Tally(ctx context.Context, query url.Values) (out api.TallyList, err error) {
	return out, c.do(ctx, "GET", "/tally", query, &out)
}

// Recipes lists the recipes.
func (c *Client) Recipes(ctx context.Context) (out api.RecipeList, err error) {
	return out, c.do(ctx, "GET", "/recipes", nil, &out)
}

// Recipe returns one recipe.
func (c *Client) Recipe(ctx context.Context, product, role string) (out api.RecipeDetail, err error) {
	return out, c.do(ctx, "GET", "/recipes/"+url.PathEscape(product)+"/"+url.PathEscape(role), nil, &out)
}

// Truth asks the simulated plant for the truth.
func (c *Client) Truth(ctx context.Context) (out api.Truth, err error) {
	return out, c.do(ctx, "GET", "/truth", nil, &out)
}

// Live calls f for every event, of one station or of all (""), until ctx ends or f
// returns an error. After a broken connection it comes back and goes on where it
// was; f is told of a Reset where events were lost.
func (c *Client) Live(ctx context.Context, stationID string, f func(api.Event) error) error {
	last := ""
	tries := 0
	for {
		err := c.live(ctx, stationID, &last, func(e api.Event) error { tries = 0; return f(e) })
		var mine *callerError
		var p *api.Problem
		switch {
		case errors.As(err, &mine):
			return mine.error
		case ctx.Err() != nil:
			return ctx.Err()
		case errors.As(err, &p), errors.Is(err, ErrUnreachable) && tries >= 5:
			return err
		}
		tries++
		select {
		case <-time.After(time.Duration(min(tries, 5)) * 300 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Reset is the kind of the event after which the caller should ask for the present
// state: it comes first, and after a gap.
const Reset = "reset"

type callerError struct{ error }

func (c *Client) live(ctx context.Context, stationID string, last *string, f func(api.Event) error) error {
	query := url.Values{}
	if stationID != "" {
		query.Set("station", stationID)
	}
	header := http.Header{"Accept": {"text/event-stream"}}
	if *last != "" {
		header["Last-Event-ID"] = []string{*last}
	}
	res, err := c.send(ctx, "GET", "/live", query, header, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	scan := bufio.NewScanner(res.Body)
	scan.Buffer(make([]byte, 64<<10), 8<<20)
	kind, data := "", ""
	for scan.Scan() {
		field, value, _ := strings.Cut(scan.Text(), ": ")
		switch field {
		case "event":
			kind = value
		case "id":
			*last = value
		case "data":
			data = value
		case "":
			if scan.Text() != "" || kind == "" { // a comment, or nothing gathered
				continue
			}
			e := api.Event{Kind: kind}
			if kind != Reset {
				if err := json.Unmarshal([]byte(data), &e); err != nil {
					return fmt.Errorf("the live stream cannot be read: %w", err)
				}
			}
			if err := f(e); err != nil {
				return &callerError{err}
			}
			kind, data = "", ""
		}
	}
	return scan.Err()
}

// Query builds query parameters from name, value pairs, leaving out empty values.
func Query(pairs ...string) url.Values {
	q := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			q.Set(pairs[i], pairs[i+1])
		}
	}
	return q
}

// Int writes a number for a query, "" for 0.
func Int(v int) string {
	if v == 0 {
		return ""
	}
	return strconv.Itoa(v)
}
