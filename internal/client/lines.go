package client

import (
	"context"
	"fmt"
	"net/url"

	"ricetta/core/check"
	"ricetta/internal/api"
	"ricetta/internal/line"
)

func lineAt(id, rest string) string { return "/lines/" + url.PathEscape(id) + rest }

// Lines lists the lines.
func (c *Client) Lines(ctx context.Context) (out api.LineList, err error) {
	return out, c.do(ctx, "GET", "/lines", nil, &out)
}

// Line returns one line.
func (c *Client) Line(ctx context.Context, id string) (out api.Line, err error) {
	return out, c.do(ctx, "GET", lineAt(id, ""), nil, &out)
}

// StartLine starts a line; cleared says that nothing lies on its belt unseen.
func (c *Client) StartLine(ctx context.Context, id string, cleared bool) (out api.Line, err error) {
	return out, c.tell(ctx, "POST", lineAt(id, "/start"), nil, nil, map[string]any{"cleared": cleared}, &out)
}

// StopLine stops a line and its belt.
func (c *Client) StopLine(ctx context.Context, id string) (out api.Line, err error) {
	return out, c.do(ctx, "POST", lineAt(id, "/stop"), nil, &out)
}

// TriggerLine takes the package that lies at the trigger of a line.
func (c *Client) TriggerLine(ctx context.Context, id string) (out api.Line, err error) {
	return out, c.do(ctx, "POST", lineAt(id, "/trigger"), nil, &out)
}

// PrepareLine makes the recipes of a product ready for a line.
func (c *Client) PrepareLine(ctx context.Context, id, product string) (out api.Line, err error) {
	return out, c.tell(ctx, "POST", lineAt(id, "/prepare"), nil, nil, map[string]any{"product": product}, &out)
}

// ChangeLine changes a line over to a product.
func (c *Client) ChangeLine(ctx context.Context, id, product string, order check.Order, who, by string) (out api.Line, err error) {
	in := map[string]any{"product": product, "who": who, "by": by}
	if order != nil {
		in["order"] = order
	}
	return out, c.tell(ctx, "POST", lineAt(id, "/change"), nil, nil, in, &out)
}

// Find tells what is to be packed by the number of an order, a code, or a product.
func (c *Client) Find(ctx context.Context, id, text string) (out api.ToPack, err error) {
	return out, c.do(ctx, "GET", lineAt(id, "/find"), url.Values{"text": {text}}, &out)
}

// Orders lists the products and orders that are described.
func (c *Client) Orders(ctx context.Context) (out api.OrderList, err error) {
	return out, c.do(ctx, "GET", "/orders", nil, &out)
}

// Runs lists the runs of a line, newest first.
func (c *Client) Runs(ctx context.Context, id string, query url.Values) (out api.RunPage, err error) {
	return out, c.do(ctx, "GET", lineAt(id, "/runs"), query, &out)
}

// Package returns a package with its items.
func (c *Client) Package(ctx context.Context, id string) (out api.PackageDetail, err error) {
	return out, c.do(ctx, "GET", "/packages/"+url.PathEscape(id), nil, &out)
}

// Signals returns the inputs and outputs of a line as they are now.
func (c *Client) Signals(ctx context.Context, id string) (out line.Board, err error) {
	return out, c.do(ctx, "GET", lineAt(id, "/signals"), nil, &out)
}

// Setup begins or ends set-up of a line.
func (c *Client) Setup(ctx context.Context, id string, on bool) (out line.Board, err error) {
	return out, c.tell(ctx, "POST", lineAt(id, "/setup"), nil, nil, map[string]any{"on": on}, &out)
}

// SetSignal forces an output or simulates an input of a line in set-up; nil gives it back.
func (c *Client) SetSignal(ctx context.Context, id, name string, output bool, on *bool) (out line.Board, err error) {
	return out, c.tell(ctx, "PUT", lineAt(id, "/signals/"+url.PathEscape(name)), nil, nil, map[string]any{"output": output, "on": on}, &out)
}

// Links lists the links with what went over them last.
func (c *Client) Links(ctx context.Context) (out api.LinkList, err error) {
	return out, c.do(ctx, "GET", "/links", nil, &out)
}

// Challenges lists the challenges of a line, newest first.
func (c *Client) Challenges(ctx context.Context, id string, query url.Values) (out api.ChallengePage, err error) {
	return out, c.do(ctx, "GET", lineAt(id, "/challenges"), query, &out)
}

// BeginChallenge begins a challenge of a line.
func (c *Client) BeginChallenge(ctx context.Context, id, who string) (out api.Line, err error) {
	return out, c.tell(ctx, "POST", lineAt(id, "/challenge"), nil, nil, map[string]any{"who": who}, &out)
}

// SendPiece says that the next package at the trigger of a line is the next piece.
func (c *Client) SendPiece(ctx context.Context, id string) (out api.Line, err error) {
	return out, c.do(ctx, "POST", lineAt(id, "/challenge/send"), nil, &out)
}

// GiveUpChallenge ends a challenge of a line that is not finished.
func (c *Client) GiveUpChallenge(ctx context.Context, id string) (out api.Line, err error) {
	return out, c.do(ctx, "POST", lineAt(id, "/challenge/give-up"), nil, &out)
}

// Tags lists the tags with what they are now.
func (c *Client) Tags(ctx context.Context) (out api.TagList, err error) {
	return out, c.do(ctx, "GET", "/tags", nil, &out)
}

// WriteTag writes a tag that may be.
func (c *Client) WriteTag(ctx context.Context, name string, v float64, who string) (out api.TagList, err error) {
	return out, c.tell(ctx, "PUT", "/tags/"+url.PathEscape(name), nil, nil, map[string]any{"value": v, "who": who}, &out)
}

// DeadDeliveries lists messages that could not be delivered and were given up.
func (c *Client) DeadDeliveries(ctx context.Context) (out api.DeliveryList, err error) {
	return out, c.do(ctx, "GET", "/deliveries", nil, &out)
}

// DeliverAgain gives such a one a new life.
func (c *Client) DeliverAgain(ctx context.Context, id int64) (out api.DeliveryList, err error) {
	return out, c.do(ctx, "POST", fmt.Sprintf("/deliveries/%d/again", id), nil, &out)
}

// DropDelivery forgets one.
func (c *Client) DropDelivery(ctx context.Context, id int64) (out api.DeliveryList, err error) {
	return out, c.do(ctx, "DELETE", fmt.Sprintf("/deliveries/%d", id), nil, &out)
}
