package web_test

import (
	"context"
	"net/http"
	"strings"
	"testing"

	"durvek/client"
	"durvek/internal/tab"
)

func TestAReviewIsWrittenSignedAndPublished(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/reviews/tern-mini")
	p.Says("Findings")
	p.fill("Summary", "Small, quiet and quick.")
	p.Says("changes not saved yet")
	p.choose("Recommendation", "recommended")
	p.Press("Save")
	p.Says("draft")
	p.Press("On a phone")
	p.Until(`document.querySelector('iframe')?.contentDocument?.body.innerText.includes('preview, not published')`)
	p.Until(`document.querySelector('iframe').clientWidth <= 392`)
	p.Press("On a phone")
	p.fill("Your name", "Odo Marram")
	p.Press("Sign as it stands")
	p.Says("signed by Odo Marram")
	p.Press("Publish edition 1")
	p.Says("An edition stays as it is for ever")
	p.Press("Publish it")
	p.Until(`!!document.querySelector('a[href="/editions/tern-mini/1/"]')`)
	p.open("/editions/tern-mini/1/")
	p.Says("Small, quiet and quick.")
	p.Says("Signed by Odo Marram")
	if n := tab.Eval[int](p.Tab, `document.querySelectorAll('figure svg').length`); n < 5 {
		t.Errorf("the edition shows %d charts", n)
	}
	p.open("/editions/fen-14/1/")
	p.Says("What the maker claims")
	p.Shot("edition")
	p.open("/reviews")
	p.Press("Write the site")
	p.Until(`!!document.querySelector('a[href="/site/"]')`)
	p.open("/site/")
	p.Says("Selvane Fen 14")
	p.Shot("site")
	p.open("/site/search/index.html?q=selvan+fenn")
	p.Says("Selvane Fen 14")
}

func TestAChangeFromAnOldPageIsRefusedAndStaysOnThePage(t *testing.T) {
	ctx := context.Background()
	if err := bed.client.Do(ctx, http.MethodPost, "/api/reviews", nil, map[string]any{"subject": "pilot-13-16-512",
		"slug": "pilot"}, nil); err != nil {
		t.Fatal(err)
	}
	p := signedIn(t, 1280, 800)
	p.open("/reviews/pilot")
	p.fill("Summary", "Typed on an old page.")
	p.Says("changes not saved yet")
	r, err := client.Get[map[string]any](ctx, bed.client, "/api/reviews/pilot", nil)
	if err != nil {
		t.Fatal(err)
	}
	r["summary"] = "Saved meanwhile by somebody else."
	if err := bed.client.Do(ctx, http.MethodPut, "/api/reviews/pilot", nil, r, nil); err != nil {
		t.Fatal(err)
	}
	p.Press("Save")
	p.Says("Somebody else saved this review meanwhile")
	p.Says("Saved meanwhile by somebody else.")
	if got := tab.Eval[string](p.Tab,
		`[...document.querySelectorAll('textarea')].map(t => t.value).join('|')`); !strings.Contains(got,
		"Typed on an old page.") {
		t.Errorf("what was typed is gone: %s", got)
	}
	now, err := client.Get[map[string]any](ctx, bed.client, "/api/reviews/pilot", nil)
	if err != nil || now["summary"] != "Saved meanwhile by somebody else." {
		t.Errorf("the other change was overwritten: %v, %v", now["summary"], err)
	}
	// What is typed outlives the page, and is saved once somebody has chosen.
	p.open("/reviews/pilot")
	p.Says("These changes were typed earlier on this device")
	p.Press("Save")
	p.Says("Somebody else saved this review meanwhile")
	p.Press("Go on with these")
	p.Until(`![...document.querySelectorAll('*')].some((e) => e.textContent === 'Go on with these')`)
	p.Says("draft")
	if now, err = client.Get[map[string]any](ctx, bed.client, "/api/reviews/pilot", nil); err != nil ||
		now["summary"] != "Typed on an old page." {
		t.Errorf("what was chosen is not saved: %v, %v", now["summary"], err)
	}
}
