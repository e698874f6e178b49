// Package tab drives pages in headless Chromium for tests: the console's and the probe's.
package tab

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// Chromium is the browser's program; "" where there is none.
func Chromium() string {
	for _, p := range []string{os.Getenv("CHROMIUM"), "/usr/bin/chromium", "/usr/bin/chromium-browser",
		"/usr/bin/google-chrome"} {
		if _, err := os.Stat(p); p != "" && err == nil {
			return p
		}
	}
	return ""
}

// Browser starts a browser that all tests of a package share. quit ends it.
func Browser(flags map[string]any) (browser context.Context, quit func(), err error) {
	if Chromium() == "" {
		return nil, nil, fmt.Errorf("Chromium is missing; `make test` installs it where it can")
	}
	options := []chromedp.ExecAllocatorOption{chromedp.ExecPath(Chromium()), chromedp.NoSandbox, chromedp.NoFirstRun,
		chromedp.NoDefaultBrowserCheck, chromedp.Headless}
	// Without what moves, a page costs a tenth less.
	for _, quiet := range []string{"disable-background-networking", "disable-component-update", "disable-sync",
		"disable-quic", "force-prefers-reduced-motion"} {
		options = append(options, chromedp.Flag(quiet, true))
	}
	// The lists of an address bar, which nobody opens here, would take more time in every new tab than a page of ours.
	options = append(options, chromedp.Flag("disable-features", "WebUIOmniboxPopup,WebUIOmniboxAimPopup"))
	for k, v := range flags {
		options = append(options, chromedp.Flag(k, v))
	}
	alloc, end := chromedp.NewExecAllocator(context.Background(), options...)
	browser, leave := chromedp.NewContext(alloc)
	return browser, func() { leave(); end() }, chromedp.Do(browser, chromedp.Navigate("about:blank"))
}

// Tab is a page of its own, with storage of its own.
type Tab struct {
	T     *testing.T
	Ctx   context.Context
	Shots string // folder for pictures; none are taken where it is empty

	Patience time.Duration // how long something may take to come to hold
}

// New opens a page that fails its test on any error that it reports, but for those with a word that is forgiven.
func New(t *testing.T, browser context.Context, limit time.Duration, width, height int64, forgiven ...string) *Tab {
	t.Helper()
	ctx, end := chromedp.NewContext(browser, chromedp.WithNewBrowserContext())
	ctx, cancel := context.WithTimeout(ctx, limit)
	p := &Tab{T: t, Ctx: ctx, Patience: 3 * time.Minute}
	var mu sync.Mutex
	var errors []string
	seen := chromedp.Console(ctx)
	go func() {
		for m, err := range seen {
			if err != nil {
				return
			}
			if m.IsException() || m.Type == "error" {
				mu.Lock()
				errors = append(errors, m.String())
				mu.Unlock()
			}
		}
	}()
	t.Cleanup(func() {
		cancel()
		end()
		mu.Lock()
		defer mu.Unlock()
		for _, e := range errors {
			if !slices.ContainsFunc(forgiven, func(f string) bool { return strings.Contains(e, f) }) {
				t.Errorf("the page reports: %s", e)
			}
		}
	})
	p.Do(chromedp.EmulateViewport(width, height))
	return p
}

// Do makes steps one after the other.
func (p *Tab) Do(steps ...chromedp.Action[chromedp.Void]) {
	p.T.Helper()
	if err := chromedp.Do(p.Ctx, steps...); err != nil {
		p.T.Fatal(err)
	}
}

// Eval gives the value of an expression in the page.
func Eval[T any](p *Tab, expression string) T {
	p.T.Helper()
	v, err := chromedp.Run(p.Ctx, chromedp.Evaluate[T](expression))
	if err != nil {
		p.T.Fatalf("%s: %v", expression, err)
	}
	return v
}

// Until waits for an expression to hold; while it throws, as in a page that is not there yet, it does not. A page that
// was being left when it was asked is asked again.
func (p *Tab) Until(expression string) {
	p.T.Helper()
	var err error
	// What throws in a poll ends it without an answer.
	tried := "(async () => { try { return !!await (" + expression + ") } catch { return false } })()"
	for range 3 {
		// By the clock, not by frames: a page that is hidden draws none.
		_, err = chromedp.Run(p.Ctx, chromedp.Poll[bool](tried, chromedp.WithPollingTimeout(p.Patience),
			chromedp.WithPollingInterval(50*time.Millisecond)))
		if err == nil || !strings.Contains(err.Error(), "Cannot find context") &&
			!strings.Contains(err.Error(), "target navigated") {
			break
		}
	}
	if err != nil {
		text, _ := chromedp.Run(p.Ctx, chromedp.Evaluate[string](`document.body.innerText.slice(0, 1500)`))
		p.T.Fatalf("never came to hold: %s (%v)\n%s", expression, err, text)
	}
}

// Says waits for the page to show a text.
func (p *Tab) Says(text string) {
	p.T.Helper()
	p.Until(fmt.Sprintf(`document.body.innerText.includes(%q)`, text))
}

// Press clicks the button or link that bears a text.
func (p *Tab) Press(text string) {
	p.T.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll('button, a, [role=tab], .v-list-item')].find(e => e.innerText.trim() === %q && !e.disabled && e.offsetParent !== null)`, text)
	p.Until("!!" + find)
	Eval[bool](p, find+`.click() ?? true`)
}

// Shot takes a picture, where pictures are wanted.
func (p *Tab) Shot(name string) {
	p.T.Helper()
	if p.Shots == "" {
		return
	}
	b, err := chromedp.Run(p.Ctx, chromedp.CaptureScreenshot())
	if err == nil {
		err = os.WriteFile(filepath.Join(p.Shots, name+".png"), b, 0o644)
	}
	if err != nil {
		p.T.Fatal(err)
	}
}
