package web_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"

	"durvek/client"
	"durvek/core/record"
	"durvek/internal/tab"
)

// What is said, set aside, corrected and archived, by hand in the console.
func TestWhatIsSaidCorrectedAndPutAway(t *testing.T) {
	p := signedIn(t, 1280, 800)
	confirm := func(act string) {
		button := fmt.Sprintf(`[...document.querySelectorAll('.v-overlay--active button')].find(b => b.innerText === %q)`,
			act)
		p.Until(button + "?.disabled === false")
		tab.Eval[bool](p.Tab, button+`.click() ?? true`)
	}
	p.open("/catalogue/leaf-11")
	p.Says("Impressions and reports can stand in a review")
	p.Press("Note what is said")
	p.choose("What it is", "A report by others")
	p.fill("In a sentence", "Two of three came loose.")
	p.choose("About", "body")
	p.Press("Note it")
	p.Says("a report says who says it")
	p.fill("Who says it", "three crews")
	tab.Eval[bool](p.Tab, `(() => { const f = document.querySelector('input[type=date]'); f.value = '2026-10-02';
		f.dispatchEvent(new Event('input', { bubbles: true })); return true })()`)
	p.fill("Where it was read", "a letter")
	p.Press("Note it")
	p.Says("a report by three crews, 2026-10-02; a letter, of body")
	p.Press("Withdraw")
	p.fill("Why", "It was another model.")
	confirm("Withdraw")
	p.Until(`!document.body.innerText.includes('three crews')`)

	p.Press("Change …")
	p.Press("Archive")
	p.fill("Why", "Sold.")
	confirm("Archive")
	p.Says("Archived: it is kept")
	p.Press("Take out of the archive")
	p.Until(`!document.body.innerText.includes('Archived: it is kept')`)

	p.open("/bench/tests/screen-luminance")
	p.Press("Show, not count")
	p.fill("Why", "The meter was lent out.")
	confirm("Show, not count")
	p.Says("Shown, not counted: The meter was lent out.")
	p.open("/compare?measure=screen-luminance/white")
	p.Says("With a caveat: Shown, not counted: The meter was lent out.")
	p.open("/bench/tests/screen-luminance")
	p.Press("Count it again")
	p.Until(`!document.body.innerText.includes('Shown, not counted')`)

	x, err := client.Post[record.Incident](context.Background(), bed.client, "/api/incidents", nil, map[string]any{
		"unit": "leaf-11-12-256-a", "kind": "hang", "text": "Stuck at start.", "times": 1})
	if err != nil {
		t.Fatal(err)
	}
	p.open("/results/incidents?unit=leaf-11-12-256-a")
	p.Press("Correct")
	p.fill("Kind", "interruption")
	p.fill("Why", "It was only updating.")
	confirm("Correct")
	p.Says("corrected")
	p.Press("Withdraw")
	p.fill("Why", "Nothing happened.")
	confirm("Withdraw")
	p.Says("withdrawn, not counted")
	now, err := client.Get[record.Incident](context.Background(), bed.client, "/api/incidents/"+x.ID, nil)
	if err != nil || now.Kind != record.Interruption || now.Withdrawn == nil || now.Corrected != 2 {
		t.Errorf("%+v, %v", now, err)
	}
}

// A review's chart is narrowed in the console, and keeps it.
func TestAReviewsChartIsNarrowed(t *testing.T) {
	ctx := context.Background()
	if _, err := client.Post[map[string]any](ctx, bed.client, "/api/reviews", nil, map[string]any{
		"subject": "ketch-tab-8-256", "slug": "ketch", "title": "Ketch in short",
		"measures": []string{"port-copy/rate"}}); err != nil {
		t.Fatal(err)
	}
	p := signedIn(t, 1280, 800)
	p.open("/reviews/ketch")
	p.Says("card slot")
	p.fill("Only where", "place=left port")
	p.Do(chromedp.KeyEvent("\r"))
	p.Press("Save")
	p.Until(`document.querySelectorAll('.chart [data-row]').length > 0`)
	p.Until(`!document.querySelector('.chart').innerText.includes('card slot')`)
	r, err := client.Get[struct{ Charts []struct{ Where []string } }](ctx, bed.client, "/api/reviews/ketch", nil)
	if err != nil || len(r.Charts) != 1 || len(r.Charts[0].Where) != 1 || r.Charts[0].Where[0] != "place=left port" {
		t.Errorf("%+v, %v", r, err)
	}
	p.open("/compare/modes?measure=compression/pack-all&field=laptops&subject=fen-14-16-512")
	p.Says("what its modes do in compression")
	p.Says("Processor’s power")
}
