package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"time"

	"ricetta/internal/api"
	"ricetta/internal/statistics"
	"ricetta/internal/store"
	"ricetta/internal/workbench"
)

// WhatIf asks what a draft with some limits moved would have made of items of the past.
func (c *Client) WhatIf(ctx context.Context, k workbench.Key, in map[string]any) (out api.WhatIf, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/what-if"), nil, nil, in, &out)
}

// WhatIfPictures asks the same of the pictures that are kept; each is told how far it is.
func (c *Client) WhatIfPictures(ctx context.Context, k workbench.Key, in map[string]any, each func(done, of int)) (out api.WhatIf, err error) {
	body, err := json.Marshal(in)
	if err != nil {
		return out, err
	}
	res, err := c.send(ctx, "POST", pathOf(k, "/what-if/pictures"), nil, nil, bytes.NewReader(body))
	if err != nil {
		return out, err
	}
	defer res.Body.Close()
	return out, eachLine(res.Body, func(p api.WhatIfProgress) (bool, error) {
		switch {
		case p.Error != "":
			return true, errors.New(p.Error)
		case p.WhatIf != nil:
			out = *p.WhatIf
			return true, nil
		}
		each(p.Done, p.Of)
		return false, nil
	})
}

// eachLine reads JSON objects until take has the last one, or an error.
func eachLine[T any](r io.Reader, take func(T) (last bool, err error)) error {
	d := json.NewDecoder(r)
	for {
		var p T
		if err := d.Decode(&p); errors.Is(err, io.EOF) {
			return errors.New("the service broke off")
		} else if err != nil {
			return err
		}
		if last, err := take(p); last || err != nil {
			return err
		}
	}
}

// MoveLimits moves limits of a draft.
func (c *Client) MoveLimits(ctx context.Context, k workbench.Key, moves []api.LimitMove, who string) (out api.Draft, err error) {
	return out, c.tell(ctx, "POST", pathOf(k, "/draft/limits"), nil, nil, map[string]any{"limits": moves, "who": who}, &out)
}

// Backup writes all that the service keeps.
func (c *Client) Backup(ctx context.Context, to io.Writer, pictures bool) error {
	q := url.Values{}
	if pictures {
		q.Set("pictures", "true")
	}
	res, err := c.send(ctx, "GET", "/backup", q, nil, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if _, err := io.Copy(to, res.Body); err != nil {
		return fmt.Errorf("the backup broke off: %w; the log of the service says why", err)
	}
	return nil
}

// Report is what there is to say of a shift, a run or a station.
func (c *Client) Report(ctx context.Context, of string, query url.Values) (out statistics.Report, err error) {
	return out, c.do(ctx, "GET", "/reports/"+url.PathEscape(of), query, &out)
}

// ReportFile is the same as a file.
func (c *Client) ReportFile(ctx context.Context, of, format string, query url.Values) ([]byte, error) {
	query.Set("format", format)
	res, err := c.send(ctx, "GET", "/reports/"+url.PathEscape(of)+"/file", query, nil, nil)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	return io.ReadAll(res.Body)
}

// counted counts the lines that go through it.
type counted struct {
	io.Writer
	lines int
	each  func(lines int)
}

func (w *counted) Write(p []byte) (int, error) {
	w.lines += bytes.Count(p, []byte{'\n'})
	w.each(w.lines)
	return w.Writer.Write(p)
}

// ExportItems writes the items that a query chooses; each is told how far it is. It returns how many
// the service said that there are.
func (c *Client) ExportItems(ctx context.Context, query url.Values, to io.Writer, each func(done, of int)) (int, error) {
	res, err := c.send(ctx, "GET", "/items/export", query, nil, nil)
	if err != nil {
		return 0, err
	}
	defer res.Body.Close()
	n, err := strconv.Atoi(res.Header.Get(api.CountHeader))
	if err != nil {
		return 0, fmt.Errorf("the service does not say how many items there are: %w", err)
	}
	if _, err := io.Copy(&counted{to, 0, func(lines int) { each(lines, n) }}, res.Body); err != nil {
		return n, fmt.Errorf("the export broke off: %w", err)
	}
	return n, nil
}

// Boards lists the boards that people have arranged.
func (c *Client) Boards(ctx context.Context) (out api.BoardList, err error) {
	return out, c.do(ctx, "GET", "/boards", nil, &out)
}

// Board returns one board.
func (c *Client) Board(ctx context.Context, name string) (out store.Board, err error) {
	return out, c.do(ctx, "GET", "/boards/"+url.PathEscape(name), nil, &out)
}

// KeepBoard saves a board; since is the time of the one that was changed, nil for a new one.
func (c *Client) KeepBoard(ctx context.Context, name string, panels []store.Panel, who string, since *time.Time) (out store.Board, err error) {
	in := map[string]any{"panels": panels, "who": who}
	if since != nil {
		in["since"] = since
	}
	return out, c.tell(ctx, "PUT", "/boards/"+url.PathEscape(name), nil, nil, in, &out)
}

// DropBoard deletes a board.
func (c *Client) DropBoard(ctx context.Context, name string) (out api.BoardList, err error) {
	return out, c.do(ctx, "DELETE", "/boards/"+url.PathEscape(name), nil, &out)
}

// Review says what an item truly was.
func (c *Client) Review(ctx context.Context, item string, good bool, who, note string) (out api.Review, err error) {
	return out, c.tell(ctx, "PUT", "/items/"+url.PathEscape(item)+"/review", nil, nil, map[string]any{"good": good, "who": who, "note": note}, &out)
}

// Unreview takes that back.
func (c *Client) Unreview(ctx context.Context, item string) (out api.Item, err error) {
	return out, c.do(ctx, "DELETE", "/items/"+url.PathEscape(item)+"/review", nil, &out)
}
