package web_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"durvek/client"
	"durvek/core/method"
	"durvek/core/schedule"
	"durvek/desk/figures"
	"durvek/internal/tab"
)

func TestEveryWayOfComparingStands(t *testing.T) {
	for _, size := range [][2]int64{{1280, 800}, {390, 800}} {
		t.Run(fmt.Sprint(size[0]), func(t *testing.T) {
			t.Parallel() // each has a browser of its own to itself, and changes nothing
			p := signedIn(t, size[0], size[1])
			for _, page := range []struct{ path, says, name string }{
				{"/compare/head?variants=fen-14-16-512,fen-14-32-1000", "take the cheaper", "head"},
				{"/compare/head", "Choose a variant", ""},
				{"/compare/index?field=machines&use=chart-room&subject=tern-mini-32-1000", "of plausible weights", "index"},
				{"/compare/fit?use=foredeck&field=foredeck", "Screen luminance at least 500 cd/m²", ""},
				{"/compare/value?measure=compression/pack-all&subject=fen-14-16-512", "it would be the best buy", "value"},
				{"/compare/modes?measure=compression/pack-all", "+4", ""},
				{"/compare/curves?field=laptops", "keeps 8", ""},
				{"/compare/claims", "9 of 14", ""},
				{"/compare/claims?subject=fen-14-16-512", "best of 3 readings", ""},
				{"/compare/next?field=laptops", "standings narrow", ""},
				{"/compare/fields", "released from 2026-01", ""},
				{"/compare?measure=spec/body.weight&field=laptops", "As written down", ""},
				{"/compare?measure=price/GBP&field=laptops", "12 laptops", ""},
			} {
				if page.says == "12 laptops" {
					page.says = "10 ranked"
				}
				p.open(page.path)
				p.Says(page.says)
				p.Until(`document.fonts.status === 'loaded'`)
				p.fits(page.path)
				if size[0] == 1280 && page.name != "" {
					p.Until(`!!document.querySelector('.chart svg')`)
					p.Shot("console-" + page.name)
				}
			}
		})
	}
}

func TestFromABarToItsRunsAndTheirRawSamples(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare?measure=hashing-sustained/sustained&field=laptops")
	p.Until(`!!document.querySelector('[data-row="sound-16-32-1000"]')`)
	box := tab.Eval[[]float64](
		p.Tab,
		`(r => [r.x + r.width / 2, r.y + r.height / 2])(document.querySelector('[data-row="sound-16-32-1000"] rect').getBoundingClientRect())`,
	)
	p.Do(chromedp.MouseClickXY(box[0], box[1]))
	p.Until(`new URLSearchParams(location.search).get('cell') === 'sound-16-32-1000'`)
	p.Says(" of 5 laptops in hashing, sustained")
	p.Says("ever measured alike")
	p.Until(`document.querySelectorAll('table[aria-label="Runs behind the bar"] tbody tr').length > 0`)
	p.Press(tab.Eval[string](p.Tab, `document.querySelector('table[aria-label="Runs behind the bar"] a').innerText`))
	p.Until(`/^\/results\/[0-9a-f-]{36}$/.test(location.pathname)`)
	p.Until(`document.querySelectorAll('.trace svg path').length > 2`)
}

func TestTheNextComparisonKeepsWhatOneLooksAt(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare?measure=compression/pack-all&field=laptops&subject=fen-14-16-512")
	p.Says("Selvane Fen 14")
	p.Press("Index")
	p.Until(
		`location.pathname === '/compare/index' && location.search.includes('field=laptops') && location.search.includes('subject=fen-14-16-512')`,
	)
	p.Press("Head to head")
	p.Until(`location.pathname === '/compare/head'`)
	p.Says("Most alike")
	p.Press("Selvane Fen 14, 32 GiB, 1 TB, finer screen")
	p.Until(`new URLSearchParams(location.search).get('variants') === 'fen-14-16-512,fen-14-32-1000'`)
	p.Says("What you give up")
	before := tab.Eval[int](p.Tab, `document.querySelectorAll('table[aria-label="All measures"] tbody tr').length`)
	p.Press(fmt.Sprintf("Show all %d measures", len(head(t, "fen-14-16-512", "fen-14-32-1000").Rows)))
	p.Until(fmt.Sprintf(`document.querySelectorAll('table[aria-label="All measures"] tbody tr').length > %d`, before+20))
}

func head(t *testing.T, a, b string) struct{ Rows []json.RawMessage } {
	t.Helper()
	h, err := client.Get[struct{ Rows []json.RawMessage }](context.Background(), bed.client, "/api/heads",
		client.Query("variants", a+","+b))
	if err != nil {
		t.Fatal(err)
	}
	return h
}

func TestSlidersMakeAnIndexThatCanBeKept(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare/index?field=laptops&use=chart-room")
	p.Until(`document.querySelector('#w-CPU')?.value === '3' && document.querySelector('#w-memory')?.value === '1'`)
	tab.Eval[bool](
		p.Tab,
		`(s => { s.value = 5; return s.dispatchEvent(new Event('change')) })(document.querySelector('#w-battery'))`,
	)
	p.Until(
		`(w => w?.includes('battery=5') && w.includes('CPU=3') && !new URLSearchParams(location.search).get('use'))(new URLSearchParams(location.search).get('weights'))`,
	)
	p.Until(`document.querySelector('.chart svg title')?.textContent === 'Index by the weights given, crew laptops'`)
	p.Press("Save as a kind of use")
	p.fill("Name, as in", "long watches")
	p.Press("Save")
	p.Until(`new URLSearchParams(location.search).get('use') === 'long-watches'`)
	uses, err := client.Get[[]struct {
		Slug    string
		Weights []struct {
			Group  string
			Weight float64
		}
	}](context.Background(), bed.client, "/api/uses", nil)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(uses, func(u struct {
		Slug    string
		Weights []struct {
			Group  string
			Weight float64
		}
	}) bool {
		return u.Slug == "long-watches"
	})
	if i < 0 || len(uses[i].Weights) != 5 {
		t.Errorf("%+v", uses)
	}
}

func TestASuggestionIsPutOnTheBenchByAButton(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare/next?field=laptops&measure=video-encode/all")
	p.Says("Wexcombe Pilot 13")
	p.Press("Put on the bench")
	p.Says("On the bench")
	list, err := client.Get[[]struct{ Plan method.Plan }](context.Background(), bed.client, "/api/bench", nil)
	if err != nil || !slices.ContainsFunc(list,
		func(b struct{ Plan method.Plan }) bool { return b.Plan.Name == "Suggested: video-encode" }) {
		t.Errorf("%+v, %v", list, err)
	}
}

func TestTheTimeAtHandIsPutOnTheBenchByAButton(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare/next?field=laptops&variant=sound-16-16-512&hours=0.5")
	p.Says("In the time at hand")
	p.Says("of 30 min on one machine")
	p.Says("Hythebrook Sound 16")
	p.Press("Put it on the bench")
	p.Says("1 plan is on the bench")
	list, err := client.Get[[]struct{ Plan method.Plan }](context.Background(), bed.client, "/api/bench", nil)
	i := slices.IndexFunc(list, func(b struct{ Plan method.Plan }) bool {
		return strings.HasPrefix(b.Plan.Name, "Scheduled: ") && b.Plan.Unit == "sound-16-16-512-a"
	})
	if err != nil || i < 0 || len(list[i].Plan.Steps) < 2 {
		t.Fatalf("%+v, %v", list, err)
	}
	// What waits there is not scheduled again.
	s, err := client.Get[schedule.Schedule](context.Background(), bed.client, "/api/schedule",
		url.Values{"field": {"laptops"}, "variant": {"sound-16-16-512"}, "minutes": {"500"}})
	if err != nil {
		t.Fatal(err)
	}
	for _, b := range s.Bundles {
		for _, x := range b.Items {
			if slices.ContainsFunc(list[i].Plan.Steps, func(s method.PlanStep) bool { return s.Test == x.Test }) {
				t.Errorf("%s waits, and is scheduled again", x.Test)
			}
		}
	}
}

func TestFieldsAreMadeByRuleAndRemoved(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare/fields")
	p.Press("New field")
	p.fill("Name in the plural", "dear laptops")
	p.fill("Identifier", "dear")
	p.choose("Kinds", "laptop")
	p.Do(chromedp.KeyEvent("\x1b"))
	p.fill("Price from", "1200")
	p.fill("Currency", "euro")
	p.Press("Save")
	p.Says("price.currency (euro): must be three capital letters")
	p.fill("Currency", "EUR")
	p.Press("Save")
	p.Says("laptops; from 1200 EUR")
	pages, err := client.Get[[]figures.FieldPage](context.Background(), bed.client, "/api/fields", nil)
	if err != nil || !slices.ContainsFunc(pages, func(f figures.FieldPage) bool {
		return f.Slug == "dear" &&
			len(f.Holds) == 4
	}) {
		t.Errorf("%+v, %v", pages, err)
	}
	tab.Eval[bool](
		p.Tab,
		`[...document.querySelectorAll('tr')].find(r => r.innerText.includes('dear laptops')).querySelectorAll('button')[2].click() ?? true`,
	)
	p.Until(`!document.body.innerText.includes('dear laptops')`)
}

func TestPricesAndRatesAreNotedOnThePage(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/catalogue/sound-12")
	p.Press("Note a price")
	p.fill("Price, after the voucher", "four hundred")
	p.fill("Seller", "Bellbuoy Stores")
	p.Press("Note it")
	p.Says("The price is a number such as 1049.00")
	p.fill("Price, after the voucher", "399.50")
	p.fill("Currency", "CHF")
	p.Press("Note it")
	p.Says("399.50")
	p.open("/compare/value?measure=compression/pack-all&field=laptops")
	p.Says("no exchange rate from CHF to EUR")
	p.Press("Exchange rates")
	p.fill("One", "CHF")
	p.fill("is worth", "1.06")
	p.Press("Write it down")
	p.Says("423.47 EUR")
}
