package site

import (
	"bytes"
	"image/jpeg"
	"strings"
	"testing"
	"time"
)

func TestTheSiteIsTheSameEverywhereAndWhole(t *testing.T) {
	for _, w := range Weights {
		index, ok := Open(w + "/index.html")
		if !ok || !strings.Contains(string(index.Body), "Station report") {
			t.Fatalf("%s has no page", w)
		}
		again, _ := made1(w, "index.html")
		if !bytes.Equal(index.Body, again.Body) {
			t.Errorf("%s: two pages of one seed", w)
		}
		// Every file that a page names is there.
		for _, part := range strings.Split(string(index.Body), `"`) {
			if strings.HasSuffix(part, ".js") || strings.HasSuffix(part, ".css") || strings.HasSuffix(part, ".jpg") {
				if f, ok := Open(w + "/" + part); !ok || len(f.Body) == 0 {
					t.Errorf("%s names %s, which there is not", w, part)
				}
			}
		}
	}
	f, _ := Open("pictures/p17.jpg")
	if _, err := jpeg.Decode(bytes.NewReader(f.Body)); err != nil || len(f.Body) < 20<<10 {
		t.Errorf("%d bytes, %v", len(f.Body), err)
	}
	for _, name := range []string{"pictures/p18.jpg", "pictures/p-1.jpg", "pictures/p01.jpg", "text/p0.jpg",
		"script/s6.js",
		"heavy/index.html", "index.html", "", "../site.go", "text/"} {
		if _, ok := Open(name); ok {
			t.Errorf("%q is there", name)
		}
	}
}

func TestALineIsSharedByAVisit(t *testing.T) {
	var l Line
	c := Connection{"x", 30 * time.Millisecond, 1 << 20}
	f := File{"x", make([]byte, 40<<10)}
	begin := time.Now()
	done := make(chan int)
	for range 2 {
		go func() {
			var b bytes.Buffer
			pieces := 0
			if err := l.Send(&b, func() error { pieces++; return nil }, f, c, "visit"); err != nil || b.Len() != len(f.Body) {
				t.Errorf("%d bytes, %v", b.Len(), err)
			}
			done <- pieces
		}()
	}
	if n := <-done + <-done; n != 20 {
		t.Errorf("%d pieces", n)
	}
	if spent := time.Since(begin); spent < 105*time.Millisecond {
		t.Errorf("80 KiB over 1 MiB/s and a delay of 30 ms took %s", spent)
	}
	for _, p := range []string{"plain/v/text/index.html", "slow/v/script/s0.js"} {
		if _, c, v, ok := Asked(p); !ok || v != "v" || c.Name != strings.Split(p, "/")[0] {
			t.Errorf("%s is refused", p)
		}
	}
	for _, p := range []string{"fast/v/text/index.html", "plain//text/index.html", "plain/v", "plain/v/text/none",
		"plain/" + strings.Repeat("v", 65) + "/text/index.html"} {
		if _, _, _, ok := Asked(p); ok {
			t.Errorf("%s is served", p)
		}
	}
}
