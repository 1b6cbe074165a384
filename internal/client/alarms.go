package client

import (
	"context"
	"fmt"
	"net/url"

	"ricetta/internal/api"
)

// StandingAlarms lists the alarms whose cause stands, or that nobody has acknowledged.
func (c *Client) StandingAlarms(ctx context.Context) (out api.AlarmList, err error) {
	return out, c.do(ctx, "GET", "/alarms/standing", nil, &out)
}

// Alarms lists the history of alarms, newest first.
func (c *Client) Alarms(ctx context.Context, query url.Values) (out api.AlarmPage, err error) {
	return out, c.do(ctx, "GET", "/alarms", query, &out)
}

// AcknowledgeAlarm says that somebody has looked.
func (c *Client) AcknowledgeAlarm(ctx context.Context, id int64, who, note string) (out api.Alarm, err error) {
	return out, c.tell(ctx, "POST", fmt.Sprintf("/alarms/%d/acknowledge", id), nil, nil, map[string]any{"who": who, "note": note}, &out)
}
