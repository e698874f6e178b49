package api

import (
	"durvek/core/compare"
	"durvek/core/verdict"
	"durvek/publish"
	"fmt"
	"net/url"
)

const reviews = "reviews"

// Reviews and their editions.
var (
	Reviews   = get[Listing, []verdict.Review](reviews, "/api/reviews", "list-reviews", "List reviews")
	AddReview = post[Body[ReviewRequest], verdict.Review](reviews, "/api/reviews", "add-review",
		"Start a review with findings from the figures").
		Making(func(r verdict.Review) string { return at("/api/reviews", r.Slug) })
	Review     = get[Slugged, verdict.Review](reviews, "/api/reviews/{slug}", "show-review", "A review")
	SaveReview = put[Saving, verdict.Review](reviews, "/api/reviews/{slug}", "save-review",
		"Change a review, from the revision it names")
	RefreshFindings = post[Slugged, verdict.Review](reviews, "/api/reviews/{slug}/findings", "refresh-findings",
		"Draw the findings anew and keep the reviewer's words")
	SignReview = post[Signing, verdict.Review](reviews, "/api/reviews/{slug}/signature", "sign-review",
		"Sign the verdict as it stands")
	ReviewCharts = get[Slugged, []compare.Comparison](reviews, "/api/reviews/{slug}/charts", "review-charts",
		"The review's ranked comparisons")
	Publish = post[Publishing, verdict.Edition](reviews, "/api/reviews/{slug}/editions", "publish",
		"Publish the next edition of a signed review").
		Making(func(e verdict.Edition) string {
			return fmt.Sprintf("/editions/%s/%d/", url.PathEscape(e.Review), e.Number)
		})
	EditionArchive = file[EditionOf](reviews, "/api/reviews/{slug}/editions/{number}", "edition-archive",
		"An edition's folder as a ZIP archive", "application/zip")
	PreviewReview = file[Slugged](reviews, "/api/reviews/{slug}/preview", "preview-review",
		"The page that a review would become", "text/html")
	ReviewCards = file[CardsOf](reviews, "/api/reviews/{slug}/cards", "review-cards",
		"The verdict and every chart as cards, with a sheet of cues", "application/zip")
	ShowSite  = get[None, publish.Site](reviews, "/api/site", "show-site", "What the desk's site says of it")
	WriteSite = post[Body[SiteRequest], publish.SiteWritten](reviews, "/api/site", "write-site",
		"Write all published editions as a site into the data folder; it is shown under /site/")
)

// CardsOf chooses a review's cards.
type CardsOf struct {
	Slugged
	Formats []string `query:"formats" enum:"card,tall,link" doc:"card (1920×1080), tall (1080×1920), link (1200×630); card if left out"`
	Grounds []string `query:"grounds" enum:"light,dark,clear" doc:"light and dark if left out; clear has no ground"`
}

// SiteRequest asks for the site of everything published.
type SiteRequest struct {
	Base string `json:"base,omitempty" doc:"Address that it will stand at, for feeds, maps and links from elsewhere"`
}

// ReviewRequest is a review to be started.
type ReviewRequest struct {
	Slug     string   `json:"slug,omitempty" doc:"Identifier; the variant's if left out"`
	Title    string   `json:"title,omitempty" doc:"Title"`
	Subject  string   `json:"subject"`
	Field    string   `json:"field,omitempty" doc:"Field it is compared in"`
	Uses     []string `json:"uses,omitempty" doc:"Kinds of use that it is written for: what they ask for weighs more"`
	Measures []string `json:"measures,omitempty" doc:"Measures to chart, in order; a choice of each area if left out"`
}

// Saving changes a review.
type Saving struct {
	Slugged
	IfMatch string `header:"If-Match" doc:"ETag of the review that is changed, as it was read; refused where it is another by now"`
	Body    verdict.Review
}

// Signing signs a review.
type Signing struct {
	Slugged
	Body Signature
}

// Signature is a reviewer's name.
type Signature struct {
	By string `json:"by"`
}

// Publishing makes an edition.
type Publishing struct {
	Slugged
	Body EditionNote
}

// EditionNote says what changed since the edition before.
type EditionNote struct {
	Note string `json:"note,omitempty"`
}

// EditionOf is an edition of a review.
type EditionOf struct {
	Slugged
	Number int `path:"number" minimum:"1"`
}
