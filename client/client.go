// Package client is the Go client of the HTTP API. Its methods take and return the same plain values
// of core that the service answers with, so the two cannot drift apart.
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
	"strconv"
	"strings"
	"time"

	"durvek/agent"
	"durvek/api"
	"durvek/core/policy"
	"durvek/core/record"
)

// Client speaks to one service.
type Client struct {
	Server string // http://host:port
	Token  string
	http   *http.Client
	most   int64
}

// New makes a client for a service's address.
func New(server, token string) *Client {
	return &Client{Server: strings.TrimRight(server, "/"), Token: token, http: &http.Client{Timeout: 2 * time.Minute},
		most: 1 << 30}
}

// AtMost has the client refuse answers of more than so many bytes.
func (c *Client) AtMost(n int64) *Client {
	c.most = n
	return c
}

// Problem is the service's refusal (RFC 9457).
type Problem struct {
	Status int    `json:"status"`
	Title  string `json:"title"`
	Detail string `json:"detail"`
	Errors []struct {
		Message  string `json:"message"`
		Location string `json:"location"`
		Value    any    `json:"value"`
	} `json:"errors"`
}

func (p *Problem) Error() string {
	text := p.Detail
	if text == "" {
		text = p.Title
	}
	for _, e := range p.Errors {
		text += "\n  " + at(e.Location)
		if s, ok := e.Value.(string); ok && s != "" && strings.HasPrefix(e.Location, "line ") {
			text += " (" + s + ")"
		}
		if at(e.Location) != "" {
			text += ": "
		}
		text += e.Message
	}
	return text
}

// at is where in what was sent something is wrong, without the part of the request that carried it.
func at(location string) string {
	for _, part := range []string{"body", "query", "path", "header"} {
		if rest, ok := strings.CutPrefix(location, part); ok && (rest == "" || rest[0] == '.') {
			return strings.TrimPrefix(rest, ".")
		}
	}
	return location
}

// ErrUnreachable marks a service that could not be reached.
var ErrUnreachable = errors.New("the service cannot be reached")

// Do sends a request and decodes the answer into out, which may be nil, *[]byte for raw bytes, or
// anything JSON decodes into. in may be nil, []byte for raw bytes, or anything that encodes as JSON.
func (c *Client) Do(ctx context.Context, method, path string, query url.Values, in, out any) error {
	var body io.Reader
	kind := "application/json"
	switch x := in.(type) {
	case nil:
	case []byte:
		body, kind = bytes.NewReader(x), "application/octet-stream"
	default:
		b, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(b)
	}
	u := c.Server + path
	if len(query) > 0 {
		u += "?" + query.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, method, u, body)
	if err != nil {
		return fmt.Errorf("address %q: %w", c.Server, err)
	}
	if body != nil {
		req.Header.Set("Content-Type", kind)
	}
	if c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	resp, err := c.http.Do(req)
	if err != nil {
		var ue *url.Error
		if errors.As(err, &ue) {
			err = ue.Err
		}
		return fmt.Errorf("%s: %w (%v)", c.Server, ErrUnreachable, err)
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(io.LimitReader(resp.Body, c.most+1))
	if err != nil {
		return fmt.Errorf("%s: %w (%v)", c.Server, ErrUnreachable, err)
	}
	if int64(len(b)) > c.most {
		return fmt.Errorf("%s answers %s with more than %d MiB, which is not read", c.Server, path, c.most>>20)
	}
	if resp.StatusCode >= 300 {
		p := &Problem{Status: resp.StatusCode, Title: resp.Status}
		if json.Unmarshal(b, p) != nil {
			p.Detail = strings.TrimSpace(string(b))
		}
		return p
	}
	switch x := out.(type) {
	case nil:
		return nil
	case *[]byte:
		*x = b
		return nil
	}
	if err := json.Unmarshal(b, out); err != nil {
		return fmt.Errorf("the answer of %s could not be read: %w", path, err)
	}
	return nil
}

// Stream writes the bytes of an answer to w, however many they are and however long they take.
func (c *Client) Stream(ctx context.Context, path string, w io.Writer) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.Server+path, nil)
	if err != nil {
		return fmt.Errorf("address %q: %w", c.Server, err)
	}
	req.Header.Set("Authorization", "Bearer "+c.Token)
	resp, err := (&http.Client{Transport: c.http.Transport}).Do(req)
	if err != nil {
		return fmt.Errorf("%s: %w (%v)", c.Server, ErrUnreachable, err)
	}
	defer resp.Body.Close()
	if resp.StatusCode >= 300 {
		p := &Problem{Status: resp.StatusCode, Title: resp.Status}
		b, _ := io.ReadAll(io.LimitReader(resp.Body, 1<<20))
		if json.Unmarshal(b, p) != nil {
			p.Detail = strings.TrimSpace(string(b))
		}
		return p
	}
	_, err = io.Copy(w, resp.Body)
	return err
}

// Ask asks an operation.
func Ask[I, O any](ctx context.Context, c *Client, op api.Operation[I, O], in I) (O, error) {
	var out O
	r := op.Request(in)
	err := c.Do(ctx, r.Verb, r.Path, r.Query, r.Body, &out)
	return out, err
}

// Get asks for a value.
func Get[T any](ctx context.Context, c *Client, path string, query url.Values) (T, error) {
	var out T
	err := c.Do(ctx, http.MethodGet, path, query, nil, &out)
	return out, err
}

// Post sends a value and gets one back.
func Post[T any](ctx context.Context, c *Client, path string, query url.Values, in any) (T, error) {
	var out T
	err := c.Do(ctx, http.MethodPost, path, query, in, &out)
	return out, err
}

// Query builds a query from pairs; empty values are left out.
func Query(pairs ...string) url.Values {
	q := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			q.Set(pairs[i], pairs[i+1])
		}
	}
	return q
}

// Number is a query's number.
func Number(n int) string { return strconv.Itoa(n) }

// Slug makes an identifier safe inside a path.
func Slug(s string) string { return url.PathEscape(s) }

// --- what an agent needs ---------------------------------------------------------------------------

func (c *Client) as(token string) *Client {
	return &Client{Server: c.Server, Token: token, http: c.http, most: c.most}
}

// final marks refusals that no later try will change.
func final(err error) error {
	var p *Problem
	if errors.As(err, &p) && p.Status >= 400 && p.Status < 500 && p.Status != http.StatusTooManyRequests &&
		p.Status != http.StatusRequestTimeout {
		return fmt.Errorf("%w: %w", agent.ErrRefused, err)
	}
	return err
}

// Join spends a one-time code; the token is the agent's own secret.
func (c *Client) Join(ctx context.Context, code, token string, m record.Machine) (record.Joined, error) {
	j, err := Ask(ctx, c.as(""), api.Join, api.Body[api.JoinRequest]{Body: api.JoinRequest{Code: code, Token: token,
		Machine: m}})
	return j, final(err)
}

// Rejoin goes on with a plan after a break.
func (c *Client) Rejoin(ctx context.Context, token string, m record.Machine) (record.Joined, error) {
	j, err := Ask(ctx, c.as(token), api.Rejoin, api.Body[record.Machine]{Body: m})
	return j, final(err)
}

// SendRun delivers a run.
func (c *Client) SendRun(ctx context.Context, token string, r record.Run) error {
	_, err := Ask(ctx, c.as(token), api.SendRun, api.Body[record.Run]{Body: r})
	return final(err)
}

// SendProgress says where the plan stands and gives what people want of it.
func (c *Client) SendProgress(ctx context.Context, token string, p record.Progress) (record.Directive, error) {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	d, err := Ask(ctx, c.as(token), api.SendProgress, api.Body[record.Progress]{Body: p})
	return d, final(err)
}

// SendIncident delivers an incident.
func (c *Client) SendIncident(ctx context.Context, token string, x record.Incident) error {
	_, err := Ask(ctx, c.as(token), api.SendIncident, api.Body[record.Incident]{Body: x})
	return final(err)
}

// Next asks what to do next of the plan.
func (c *Client) Next(ctx context.Context, token string, a policy.Account) (policy.Decision, error) {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	d, err := Ask(ctx, c.as(token), api.Next, api.Body[policy.Account]{Body: a})
	return d, final(err)
}

// Finish says that the plan is worked through.
func (c *Client) Finish(ctx context.Context, token string) error {
	_, err := Ask(ctx, c.as(token), api.Finish, api.None{})
	return final(err)
}
