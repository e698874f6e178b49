package main

import (
	"context"
	"os"
	"strings"
	"time"

	"github.com/chromedp/chromedp"
)

func main() {
	alloc, end := chromedp.NewExecAllocator(context.Background(), append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium"), chromedp.NoSandbox, chromedp.DisableGPU)...)
	defer end()
	ctx, quit := chromedp.NewContext(alloc)
	defer quit()
	chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(os.Args[1]))
	for i := 2; i+1 < len(os.Args); i += 2 {
		what, out := os.Args[i], os.Args[i+1]
		if js, ok := strings.CutPrefix(what, "js:"); ok {
			chromedp.Run(ctx, chromedp.Evaluate[any](js))
		} else {
			chromedp.Do(ctx, chromedp.Navigate(what))
		}
		time.Sleep(2500 * time.Millisecond)
		if out != "-" {
			b, _ := chromedp.Run(ctx, chromedp.CaptureScreenshot())
			os.WriteFile(out, b, 0o644)
		}
	}
}
