package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"

	"ricetta/internal/api"
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
	d := json.NewDecoder(res.Body)
	for {
		var p api.WhatIfProgress
		if err := d.Decode(&p); err != nil {
			if errors.Is(err, io.EOF) {
				err = errors.New("the service broke off")
			}
			return out, err
		}
		switch {
		case p.Error != "":
			return out, errors.New(p.Error)
		case p.WhatIf != nil:
			return *p.WhatIf, nil
		}
		each(p.Done, p.Of)
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

// Review says what an item truly was.
func (c *Client) Review(ctx context.Context, item string, good bool, who, note string) (out api.Review, err error) {
	return out, c.tell(ctx, "PUT", "/items/"+url.PathEscape(item)+"/review", nil, nil, map[string]any{"good": good, "who": who, "note": note}, &out)
}

// Unreview takes that back.
func (c *Client) Unreview(ctx context.Context, item string) (out api.Item, err error) {
	return out, c.do(ctx, "DELETE", "/items/"+url.PathEscape(item)+"/review", nil, &out)
}
