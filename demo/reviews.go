package demo

import (
	"context"
	"errors"
	"net/http"

	"durvek/client"
	"durvek/core/verdict"
)

// Reviews writes, signs and publishes the demo's review, and starts a second one.
func Reviews(ctx context.Context, c *client.Client) error {
	r, err := client.Post[verdict.Review](ctx, c, "/api/reviews", nil, map[string]any{"slug": "fen-14",
		"subject": "fen-14-16-512", "field": "laptops",
		"title": "Selvane Fen 14: quick exports, short watches",
		"measures": []string{"survey-export/time", "hashing/all", "compression/pack-all", "memory-bandwidth/multiply-add",
			"drive-sequential/read", "drive-sequential/write",
			"archive/pack", "chart-pan-battery/hours", "fan-noise/full-load", "screen-luminance/white", "weight/weight"}})
	var p *client.Problem
	if errors.As(err, &p) && p.Status == http.StatusConflict {
		return nil // a demo that is started again keeps its reviews
	}
	if err != nil {
		return err
	}
	r.Summary = "The Fen 14 does survey work nearly as fast as laptops half as dear again, is light, and its screen " +
		"keeps what it promises. Its battery does not: a watch of eleven hours is the most we got."
	r.Advice = "**Right for** crews who post-process between trips and sit near a socket. **Not for** long watches: " +
		"take the Wexcombe Pilot 13 instead. The dearer sibling with 32 GiB is no faster here and lasts two hours less."
	r.Recommendation = "recommended for some"
	if r, err = put(ctx, c, r); err != nil {
		return err
	}
	if err := c.Do(ctx, http.MethodPost, "/api/reviews/fen-14/signature", nil, map[string]string{"by": "Ines Marram"},
		nil); err != nil {
		return err
	}
	if err := c.Do(ctx, http.MethodPost, "/api/reviews/fen-14/editions", nil, map[string]string{"note": "First edition"},
		nil); err != nil {
		return err
	}
	return c.Do(ctx, http.MethodPost, "/api/reviews", nil, map[string]any{"slug": "tern-mini",
		"subject": "tern-mini-32-1000", "field": "chart-room", "title": "Tamrisk Tern Mini: small, quiet, quick"}, nil)
}

func put(ctx context.Context, c *client.Client, r verdict.Review) (verdict.Review, error) {
	var out verdict.Review
	err := c.Do(ctx, http.MethodPut, "/api/reviews/"+client.Slug(r.Slug), nil, r, &out)
	return out, err
}
