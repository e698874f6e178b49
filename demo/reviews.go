package demo

import (
	"context"
	"errors"
	"net/http"

	"durvek/api"
	"durvek/client"
	"durvek/core/verdict"
)

// Reviews writes, signs and publishes the demo's review, and starts a second one.
func Reviews(ctx context.Context, c *client.Client) error {
	r, err := client.Ask(ctx, c, api.AddReview, api.With(api.ReviewRequest{Slug: "fen-14",
		Subject: "fen-14-16-512", Field: "laptops", Title: "Selvane Fen 14: quick exports, short watches",
		Measures: []string{"survey-export/time", "hashing/all", "compression/pack-all", "memory-bandwidth/multiply-add",
			"drive-sequential/read", "drive-sequential/write",
			"archive/pack", "chart-pan-battery/hours", "fan-noise/full-load", "screen-luminance/white", "weight/weight"}}))
	var p *client.Problem
	if errors.As(err, &p) && p.Status == http.StatusConflict {
		return nil // a demo that is started again keeps its reviews
	}
	if err != nil {
		return err
	}
	r.Charts = append(r.Charts, verdict.Chart{Measure: "headland-chase/mean",
		Where: []string{"display.resolution=1920 × 1080"}}, verdict.Chart{Measure: "headland-chase/mean",
		Where: []string{"display.resolution=2880 × 1800"}}, verdict.Chart{Measure: "port-copy/rate",
		Where: []string{"place=left port"}}, verdict.Chart{Measure: "surface-heat/hottest"})
	r.Summary = "The Fen 14 does survey work nearly as fast as laptops half as dear again, is light, and its screen " +
		"keeps what it promises. Its battery does not: a watch of eleven hours is the most we got."
	r.Advice = "**Right for** crews who post-process between trips and sit near a socket. **Not for** long watches: " +
		"take the Wexcombe Pilot 13 instead. The dearer sibling with 32 GiB is no faster here and lasts two hours less."
	r.Recommendation = "recommended for some"
	fen := api.Slugged{Slug: r.Slug}
	if _, err = client.Ask(ctx, c, api.SaveReview, api.Saving{Slugged: fen, Body: r}); err != nil {
		return err
	}
	if _, err = client.Ask(ctx, c, api.RefreshFindings, fen); err != nil { // of the charts as they are narrowed now
		return err
	}
	if _, err = client.Ask(ctx, c, api.SignReview, api.Signing{Slugged: fen,
		Body: api.Signature{By: "Ines Marram"}}); err != nil {
		return err
	}
	if _, err = client.Ask(ctx, c, api.Publish, api.Publishing{Slugged: fen,
		Body: api.EditionNote{Note: "First edition"}}); err != nil {
		return err
	}
	_, err = client.Ask(ctx, c, api.AddReview, api.With(api.ReviewRequest{Slug: "tern-mini", Subject: "tern-mini-32-1000",
		Field: "chart-room", Title: "Tamrisk Tern Mini: small, quiet, quick"}))
	return err
}
