package demo

import (
	"context"
	"errors"
	"net/http"

	"durvek/api"
	"durvek/client"
	"durvek/core/verdict"
)

// reviewer signs the demo's reviews.
const reviewer = "Ines Marram"

// written is a review of the demo: what it starts from, and what its reviewer makes of it.
type written struct {
	start  api.ReviewRequest
	change func(*verdict.Review)
	note   string
}

// Reviews writes, signs and publishes the demo's reviews: a laptop, a drive that collapses and disconnects, and a phone
// whose first edition is preliminary; and it starts a fourth.
func Reviews(ctx context.Context, c *client.Client) error {
	for _, w := range []written{{laptop, laptopWords, "First edition"}, {fallingDrive, driveWords, "First edition"},
		{phone, phoneWords, "Before the battery was measured again"}} {
		r, err := client.Ask(ctx, c, api.AddReview, api.With(w.start))
		var p *client.Problem
		if errors.As(err, &p) && p.Status == http.StatusConflict {
			return nil // a demo that is started again keeps its reviews
		}
		if err != nil {
			return err
		}
		if err := publish(ctx, c, r, w.change, w.note); err != nil {
			return err
		}
	}
	r, err := client.Ask(ctx, c, api.Review, api.Slugged{Slug: phone.Slug})
	if err != nil {
		return err
	}
	if err := publish(ctx, c, r, phoneComplete, "Complete: the battery ran down twice more"); err != nil {
		return err
	}
	_, err = client.Ask(ctx, c, api.AddReview, api.With(api.ReviewRequest{Slug: "tern-mini", Subject: "tern-mini-32-1000",
		Field: "chart-room", Title: "Tamrisk Tern Mini: small, quiet, quick", Uses: []string{"chart-room"}}))
	return err
}

// publish brings a reviewer's words into a review, draws its findings anew, signs and publishes it.
func publish(ctx context.Context, c *client.Client, r verdict.Review, change func(*verdict.Review), note string) error {
	change(&r)
	at := api.Slugged{Slug: r.Slug}
	if _, err := client.Ask(ctx, c, api.SaveReview, api.Saving{Slugged: at, Body: r}); err != nil {
		return err
	}
	if _, err := client.Ask(ctx, c, api.RefreshFindings, at); err != nil { // of the charts as they are narrowed now
		return err
	}
	if _, err := client.Ask(ctx, c, api.SignReview, api.Signing{Slugged: at,
		Body: api.Signature{By: reviewer}}); err != nil {
		return err
	}
	_, err := client.Ask(ctx, c, api.Publish, api.Publishing{Slugged: at, Body: api.EditionNote{Note: note}})
	return err
}

var laptop = api.ReviewRequest{Slug: "fen-14", Subject: "fen-14-16-512", Field: "laptops",
	Title: "Selvane Fen 14: quick exports, short watches", Uses: []string{"survey", "wheelhouse"},
	Measures: []string{"survey-export/time", "hashing/all", "compression/pack-all", "memory-bandwidth/multiply-add",
		"drive-sequential/read", "drive-sequential/write", "archive/pack", "chart-pan-battery/hours", "fan-noise/full-load",
		"screen-luminance/white", "weight/weight"}}

func laptopWords(r *verdict.Review) {
	r.Charts = append(r.Charts, verdict.Chart{Measure: "headland-chase/mean",
		Where: []string{"display.resolution=1920 × 1080"}}, verdict.Chart{Measure: "headland-chase/mean",
		Where: []string{"display.resolution=2880 × 1800"}}, verdict.Chart{Measure: "port-copy/rate",
		Where: []string{"place=left port"}}, verdict.Chart{Measure: "surface-heat/hottest"})
	r.Summary = "The Fen 14 does survey work nearly as fast as laptops half as dear again, is light, and its screen " +
		"keeps what it promises. Its battery does not: {{chart-pan-battery/hours}} is the longest watch we got."
	r.Advice = "It is a tool for the wheelhouse desk that now and then goes ashore."
	r.Recommendation = verdict.RecommendedForSome
	r.Fits = append(r.Fits, verdict.Fitting{For: "crews who post-process between trips", Is: verdict.For,
		Sentence: "Exports are near the front of the class."},
		verdict.Fitting{For: "long watches", Is: verdict.NotFor, Sentence: "It lasts one, not two."})
	r.Alternatives = append(r.Alternatives, verdict.Alternative{Variant: "pilot-13-16-512", Name: "Wexcombe Pilot 13",
		Reason: "Two watches from one charge, and lighter still."})
	r.NotTested = []string{"Speakers and camera: the desk has no room for them.",
		"Wireless at a distance: the quay is being rebuilt."}
	r.Sections = []verdict.Section{{Area: "applications", Text: "A survey day is exported in " +
		"**{{survey-export/time}}**. " +
		"What takes long is the hull mesher, which waits for memory."},
		{Area: "battery", Text: "We panned charts until the lights went out, at 200 cd/m², and got " +
			"{{chart-pan-battery/hours}}. The maker promises thirteen hours."}}
}

var fallingDrive = api.ReviewRequest{Slug: "holdfast", Subject: "holdfast-1000", Field: "survey-drives",
	Title: "Holdfast: well named for its cable only"}

func driveWords(r *verdict.Review) {
	r.Summary = "Small jobs are quick. A survey day is not: after its cache the drive writes a third of what it began " +
		"with, " +
		"and now and then it is simply gone."
	r.Advice = "Copies that must not break off belong on another drive."
	r.Recommendation = verdict.NotRecommended
	r.Fits = []verdict.Fitting{{For: "carrying charts ashore", Is: verdict.ForSome,
		Sentence: "Where a broken copy is copied again."},
		{For: "the only copy of anything", Is: verdict.NotFor, Sentence: "It lost its connection in nine of 31 copies."}}
	r.Alternatives = []verdict.Alternative{{Variant: "wrack-1000", Name: "Ferrow Wrack",
		Reason: "It falls, too, and stays " +
			"ahead of all others while it does."}}
}

var phone = api.ReviewRequest{Slug: "petrel", Subject: "petrel-8-256", Field: "foredeck",
	Title: "Tamrisk Petrel: a long " +
		"watch in the pocket", Uses: []string{"foredeck"}}

func phoneWords(r *verdict.Review) {
	r.Summary = "The Petrel lasts longer than any day on deck, and can be read in the sun. Heavy work slows it down soon."
	r.Recommendation = verdict.Recommended
	r.State, r.StateNote = verdict.Preliminary, "The battery, run down twice more; the sound of its speaker."
}

func phoneComplete(r *verdict.Review) {
	r.State, r.StateNote = verdict.Complete, ""
	r.Summary = "The Petrel lasts {{chart-pan-battery/hours}} and can be read in the sun. Heavy work slows it down soon."
	r.Sections = []verdict.Section{{Area: "battery", Text: "Three run-downs: {{chart-pan-battery/hours}}, as promised."}}
}
