package web_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"durvek/api"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/fit"
	"durvek/internal/tab"
)

// Everything that a desk needs is made in the console, without a file.
func TestADeskIsMadeByHand(t *testing.T) {
	p, c, o := empty(t, 1280, 800)
	ctx := context.Background()
	p.Says("From an empty desk")
	p.Do(chromedp.Navigate(o.at + "/catalogue?add=1"))
	p.fill("Maker", "Selvane")
	p.fill("Name of the model", "Fen 16")
	p.Press("Spec sheet, dates, serial number")
	p.Press("Paste a maker’s table")
	p.put("Lines as on the maker’s page", "Chip\tLodestow Dab\nCores\t10\nRAM\t16\nMass\t1.43 kg\nColour\tslate")
	p.Until(`document.querySelectorAll('table[aria-label="What the table means"] tbody tr').length === 5`)
	p.Press("Take these over")
	p.Press("Put it on the desk")
	p.Until(`location.pathname === '/catalogue/fen-16'`)
	v, err := client.Ask(ctx, c, api.Variant, api.Slugged{Slug: "fen-16-16-gib"})
	need(t, err)
	if v.Spec["cpu.name"] != "Lodestow Dab" || v.Spec["cpu.cores"] != 10.0 || v.Spec["memory.size"] != "16 GiB" ||
		v.Spec["body.weight"] != "1.43 kg" || len(v.Spec) != 4 {
		t.Errorf("the sheet: %v", v.Spec)
	}

	p.Press("Note a claim")
	p.choose("What it is about", "Weight, weight")
	p.fill("Value, kg", "one and a half")
	p.fill("Where it stands", "box")
	p.Press("Note it")
	p.Says("The value is a number, not “one and a half”.")
	p.fill("Value, kg", "1.45")
	p.Press("Note it")
	p.Until(`document.querySelector('table[aria-label="Claims"]')?.innerText.includes('1.45')`)
	p.Press("Remove")
	p.Says("The claim is removed.")
	p.Press("Undo")
	p.Until(`document.querySelector('table[aria-label="Claims"]')?.innerText.includes('1.45')`)

	p.Do(chromedp.Navigate(o.at + "/bench/setups"))
	p.Press("New condition")
	p.fill("Name", "Lid")
	p.fill("What it means", "open or shut")
	p.Press("Add it")
	p.Until(`document.querySelector('table[aria-label="Conditions of your own"]')?.innerText.includes('open or shut')`)
	p.closed()
	p.Press("New setup")
	p.fill("Name", "Lid shut")
	p.Press("Another condition")
	p.choose("Condition 2", "Lid")
	p.fill("Value 2", "shut")
	p.Do(chromedp.Reload()) // a form's rows are kept like its fields
	p.Press("New setup")
	p.Says("What you typed before is still here.")
	p.Press("Save")
	p.Until(`document.querySelector('table[aria-label="Setups"]')?.innerText.includes('Lid: shut')`)

	p.Do(chromedp.Navigate(o.at + "/catalogue/rigs"))
	p.Press("New rig")
	p.fill("Name", "Fen on the bench")
	p.choose("Part 1", "fen-16-16-gib-a")
	p.Press("Save")
	p.Until(`document.querySelector('table[aria-label="Rigs"]')?.innerText.includes('Selvane Fen 16, 16 GiB')`)
}

// Figures that are worked out: a formula is put together by names, and its figures are ranked.
func TestAFormulaIsMadeByHand(t *testing.T) {
	p, c, o := empty(t, 1280, 800)
	p.Do(chromedp.Navigate(o.at + "/bench/tests"))
	p.Press("A test of your own")
	p.fill("Name", "Lightness")
	p.Until(`document.getAnimations().every(a => a.playState !== 'running')`)
	box := tab.Eval[[]float64](p.Tab, `(r => [r.x + r.width / 2, r.y + r.height / 2])(`+input("How it is taken")+
		`.querySelector('.v-field').getBoundingClientRect())`)
	p.Do(chromedp.MouseClickXY(box[0], box[1])) // typing would go on behind what stands there
	const item = `[...document.querySelectorAll('.v-overlay--active .v-list-item')].find(e => ` +
		`e.innerText.includes('worked out from other figures'))`
	p.Until("!!" + item)
	tab.Eval[bool](p.Tab, item+`.click() ?? true`)
	p.choose("Group", "body")
	p.fill("Measure 1", "by its weight")
	p.fill("Unit", "GB/kg")
	p.choose("Put a figure in", "Memory on the spec sheet")
	p.fill("Formula", "{{spec/memory.size}} / ")
	p.choose("Put a figure in", "Weight")
	p.Shot("formula")
	p.Press("Save")
	p.Until(`location.pathname === '/bench/tests/lightness'`)
	p.Says("Worked out: memory on the spec sheet ÷ weight.")
	x, err := client.Ask(context.Background(), c, api.Test, api.Slugged{Slug: "lightness"})
	need(t, err)
	if m := x.Measures[0]; m.Formula != "{{spec/memory.size}} / {{weight/weight}}" || m.Unit != "GBy/kg" || x.Hands != "" {
		t.Errorf("it is kept as %q in %s, by %q", m.Formula, m.Unit, x.Hands)
	}
}

// A test of one's own, its readings and a kind of use that asks for it; what is typed survives a reload.
func TestATestItsReadingsAndItsUseAreMadeByHand(t *testing.T) {
	p, c, o := empty(t, 1280, 800)
	ctx := context.Background()
	_, err := client.Ask(ctx, c, api.AddDevice, api.With(catalog.Device{Kind: "laptop", Maker: "Selvane", Name: "Fen 16",
		Configuration: "16 GiB"}))
	need(t, err)
	p.Do(chromedp.Navigate(o.at + "/bench/tests"))
	p.Press("A test of your own")
	p.fill("Name", "Survey export")
	p.choose("Group", "application")
	p.fill("Measure 1", "time")
	p.choose("Unit", "s")
	p.choose("Better is", "lower")
	p.Press("Save")
	p.Until(`location.pathname === '/bench/tests/survey-export'`)
	x, err := client.Ask(ctx, c, api.Test, api.Slugged{Slug: "survey-export"})
	need(t, err)
	if x.Origin != "own" || x.Repeats != 3 || len(x.Measures) != 1 || x.Measures[0].Unit != "s" ||
		x.Measures[0].Better != "lower" {
		t.Errorf("the test: %+v", x)
	}

	// Readings that a reload comes between are still there.
	p.Do(chromedp.Navigate(o.at + "/results?enter=1"))
	p.choose("Unit", "fen-16-16-gib-a")
	p.choose("Test", "Survey export")
	p.fill("time, s", "8 min 18 s")
	p.Do(chromedp.Reload())
	p.Says("What you typed before is still here.")
	p.Until(input("time, s") + `?.querySelector('input').value === '8 min 18 s'`)
	p.Press("Keep")
	p.Says("Kept for Selvane Fen 16, 16 GiB")
	p.Press("Close")
	p.Says("time 8 min 18 s")

	p.Do(chromedp.Navigate(o.at + "/compare/fit"))
	p.Press("New kind of use")
	p.fill("Name, as in", "the harbour office")
	p.Press("Another need")
	p.choose("Need 1", "survey-export/time")
	p.fill("At most", "600")
	p.choose("Weight 1", "survey-export/time")
	p.Press("Say what values are worth")
	p.Until(`document.querySelectorAll('.worth circle').length === 2`)
	tab.Eval[bool](p.Tab, `document.querySelectorAll('.worth circle')[1].focus() ?? true`)
	p.Do(chromedp.KeyEvent(kb.ArrowDown))
	p.Press("Save")
	p.Says("0 is worth 0, 100 is worth 0.95")
	uses, err := client.Ask(ctx, c, api.Uses, api.None{})
	need(t, err)
	if i := slices.IndexFunc(uses, func(u fit.Use) bool { return u.Slug == "the-harbour-office" }); i < 0 ||
		len(uses[i].Needs) != 1 || *uses[i].Needs[0].Most != 600 || len(uses[i].Weights) != 1 ||
		uses[i].Weights[0].Curve[1].Worth != 0.95 {
		t.Errorf("uses: %+v", uses)
	}
}

// put sets the text of a field with a label as a paste does, tabulators and all.
func (p *page) put(label, text string) {
	p.T.Helper()
	find := input(label) + `?.querySelector('textarea:not([readonly]), input')`
	p.Until("!!" + find)
	tab.Eval[bool](p.Tab, fmt.Sprintf(`(f => { f.value = %q; return f.dispatchEvent(new Event('input')) })(%s)`,
		text, find))
}

// Many readings come by a paste; where one is wrong, none is kept.
func TestAGridOfReadingsTakesAPasteFromASpreadsheet(t *testing.T) {
	p, c, o := empty(t, 1280, 800)
	ctx := context.Background()
	for _, name := range []string{"Fen 16", "Fen 14"} {
		_, err := client.Ask(ctx, c, api.AddDevice, api.With(catalog.Device{Kind: "laptop", Maker: "Selvane", Name: name}))
		need(t, err)
	}
	p.Do(chromedp.Navigate(o.at + "/results?enter=1"))
	p.Press("Many at once")
	p.choose("Test", "Weight")
	paste := func(text string) {
		p.Until(`!!document.querySelector('table[aria-label="Readings to keep"] td')`)
		tab.Eval[bool](p.Tab, fmt.Sprintf(`(() => { const d = new DataTransfer(); d.setData('text', %q);
			return document.querySelector('table[aria-label="Readings to keep"] td').dispatchEvent(
			new ClipboardEvent('paste', {clipboardData: d, bubbles: true, cancelable: true})) || true })()`, text))
	}
	paste("Selvane Fen 16, as sold\t1.43\nfen-14-as-sold-a\theavy\n")
	p.Press("Keep 2")
	p.Says("Nothing was kept: 1 reading is refused.")
	n := func() int {
		list, err := client.Ask(ctx, c, api.Runs, api.RunsIn{})
		need(t, err)
		return list.Total
	}
	if got := n(); got != 0 {
		t.Errorf("%d runs of a refused paste", got)
	}
	paste("Selvane Fen 16, as sold\t1.43\nfen-14-as-sold-a\t1.39\n")
	p.Press("Keep 2")
	p.Says("2 runs are kept.")
	if got := n(); got != 2 {
		t.Errorf("%d runs", got)
	}
}

// Back and Forward walk through what one chose.
func TestBackWalksThroughWhatOneChose(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare?measure=compression/pack-all&field=machines")
	p.Until(`document.querySelector('.chart svg title')?.textContent.includes('compression')`)
	p.choose("Field", "crew laptops")
	p.Until(`location.search.includes('field=laptops')`)
	p.choose("Relative to", "The field’s mean")
	p.Until(`location.search.includes('relative=mean')`)
	tab.Eval[bool](p.Tab, `history.back() ?? true`)
	p.Until(`location.search.includes('field=laptops') && !location.search.includes('relative')`)
	tab.Eval[bool](p.Tab, `history.back() ?? true`)
	p.Until(`location.search.includes('field=machines') && location.pathname === '/compare'`)
	tab.Eval[bool](p.Tab, `history.forward() ?? true`)
	p.Until(`location.search.includes('field=laptops')`)
}

// One reason is settled once: all doubts of a rule about a unit go together, and runs are taken out together.
func TestManyAreSettledAtOnce(t *testing.T) {
	p := signedIn(t, 1280, 800)
	ctx := context.Background()
	open := func(rule, subject string) int {
		l, err := client.Get[struct{ Total int }](ctx, bed.client, "/api/doubts", client.Query("state", "open", "rule", rule,
			"subject", subject))
		need(t, err)
		return l.Total
	}
	list, err := client.Get[struct {
		Doubts []struct{ Rule, Subject string }
	}](ctx, bed.client, "/api/doubts", client.Query("state", "open", "limit", "200"))
	need(t, err)
	count := map[[2]string]int{}
	for _, d := range list.Doubts {
		count[[2]string{d.Rule, d.Subject}]++
	}
	var rule, subject string
	for k, n := range count {
		if n > 1 && strings.HasPrefix(k[1], "this-machine") == false && (rule == "" || k[0]+k[1] < rule+subject) {
			rule, subject = k[0], k[1]
		}
	}
	if rule == "" {
		t.Skip("no two doubts of one rule about one unit are open")
	}
	before := open(rule, subject)
	p.open("/results/doubts?rule=" + rule + "&subject=" + subject)
	p.Press("Dismiss")
	p.fill("Why", "looked at together")
	tab.Eval[bool](p.Tab, `[...document.querySelectorAll('.settle label')].find(l =>
		l.innerText.includes('of this kind about this unit')).click() ?? true`)
	p.Press("Dismiss")
	p.Says("Dismissed: everything counts as before.")
	p.Until(`document.body.innerText.includes('No doubt is open')`)
	if got := open(rule, subject); before < 2 || got != 0 {
		t.Errorf("%d of %d are open still", got, before)
	}
}

// While the service is away the page says so and keeps what is on it; when it is back, the page goes on.
func TestAServiceThatGoesAwayLosesNothing(t *testing.T) {
	p, c, o := empty(t, 1280, 800)
	_, err := client.Ask(context.Background(), c, api.AddDevice, api.With(catalog.Device{Kind: "laptop", Maker: "Selvane",
		Name: "Fen 16"}))
	need(t, err)
	p.Do(chromedp.Navigate(o.at + "/catalogue/fen-16"))
	p.Press("Note a claim")
	p.fill("Where it stands", "the box")
	p.choose("What it is about", "Weight, weight")
	p.fill("Value, kg", "1.45")
	o.down()
	p.Press("Note it")
	p.Says("The service cannot be reached. What you typed is still here; try again.")
	p.Until(`document.querySelector('.banner')?.innerText.includes('goes on by itself')`)
	o.up()
	p.Until(`!document.querySelector('.banner')`)
	p.Press("Note it")
	p.Until(`document.querySelector('table[aria-label="Claims"]')?.innerText.includes('1.45')`)
	claims, err := client.Get[[]catalog.Claim](context.Background(), c, "/api/claims", client.Query("variant",
		"fen-16-as-sold"))
	need(t, err)
	if len(claims) != 1 || claims[0].Source != "the box" {
		t.Errorf("%+v", claims)
	}
}
