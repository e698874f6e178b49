// Package site is a small web site of our own, made from seeds: pages of text, of pictures and of heavy script, which a
// device's browser loads while it is timed. It is served over the connection as it is, or over one that is slowed down
// here: a delay before each answer, and a rate that all answers to one visit share.
package site

import (
	"bytes"
	_ "embed"
	"fmt"
	"hash/fnv"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"math"
	"math/rand/v2"
	"path"
	"slices"
	"strings"
	"sync"
	"time"
)

// Weights are the pages, from light to heavy.
var Weights = []string{"text", "pictures", "script"}

// Connection is a way that pages come over.
type Connection struct {
	Name  string
	Delay time.Duration // before each answer
	Rate  float64       // bytes a second that one visit gets; 0 for what the link gives
}

// Connections are the ways that there are, the link as it is first.
var Connections = []Connection{{Name: "plain"}, {"radio", 60 * time.Millisecond, 16e6 / 8},
	{"slow", 250 * time.Millisecond, 1.5e6 / 8}}

// How much of what a page has.
const (
	paragraphs = 60
	pictures   = 18
	scripts    = 6
)

// File is one file of the site.
type File struct {
	Kind string // media type
	Body []byte
}

var words = strings.Fields("sea harbour buoy chart tide current wind lantern survey channel depth mooring signal " +
	"crew " +
	"watch station boat hull line anchor beacon fog swell shore rock sand pilot sounding bearing log engine radio drill")

func source(name string) *rand.Rand {
	h := fnv.New64a()
	io.WriteString(h, name)
	return rand.New(rand.NewPCG(h.Sum64(), 31))
}

func sentence(rng *rand.Rand) string {
	out := make([]string, 8+rng.IntN(12))
	for i := range out {
		out[i] = words[rng.IntN(len(words))]
	}
	out[0] = strings.ToUpper(out[0][:1]) + out[0][1:]
	return strings.Join(out, " ") + "."
}

// made keeps files once they are made: they are the same for ever.
var made sync.Map

// Open finds a file by its name, "pictures/index.html"; false for one that there is not.
func Open(name string) (File, bool) {
	if f, ok := made.Load(name); ok {
		return f.(File), true
	}
	weight, file := path.Split(name)
	weight = strings.TrimSuffix(weight, "/")
	if !slices.Contains(Weights, weight) {
		return File{}, false
	}
	f, ok := made1(weight, file)
	if ok {
		made.Store(name, f)
	}
	return f, ok
}

func made1(weight, file string) (File, bool) {
	var n int
	switch ending := path.Ext(file); {
	case file == "index.html":
		return File{"text/html; charset=utf-8", []byte(page(weight))}, true
	case file == "style.css":
		return File{"text/css; charset=utf-8", []byte(style)}, true
	case file == "watch.js":
		return File{"text/javascript; charset=utf-8", []byte(watch)}, true
	case weight == "pictures" && ending == ".jpg":
		if numbered(file, "p%d.jpg", &n, pictures) {
			return File{"image/jpeg", picture(n)}, true
		}
	case weight == "script" && ending == ".js":
		if numbered(file, "s%d.js", &n, scripts) {
			return File{"text/javascript; charset=utf-8", []byte(script(n))}, true
		}
	}
	return File{}, false
}

// numbered reads a file's number; false unless the file is one of so many, written as it is named in the page.
func numbered(file, form string, n *int, many int) bool {
	_, err := fmt.Sscanf(file, form, n)
	return err == nil && *n >= 0 && *n < many && file == fmt.Sprintf(form, *n)
}

func page(weight string) string {
	rng := source(weight)
	var b strings.Builder
	b.WriteString(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Station report</title>` +
		`<link rel="stylesheet" href="style.css"><script src="watch.js"></script><main><h1>Station report</h1>`)
	for i := range paragraphs {
		if i%8 == 0 {
			fmt.Fprintf(&b, "<h2>%s</h2>", sentence(rng))
		}
		b.WriteString("<p>")
		for range 6 {
			b.WriteString(sentence(rng) + " ")
		}
		b.WriteString("</p>")
		if k := i / 3; weight == "pictures" && i%3 == 0 && k < pictures {
			fmt.Fprintf(&b, `<img src="p%d.jpg" width="720" height="405" alt="A picture of the shore">`, k)
		}
	}
	b.WriteString(`<div id="built"></div></main>`)
	if weight == "script" {
		for i := range scripts {
			fmt.Fprintf(&b, `<script src="s%d.js"></script>`, i)
		}
	}
	return b.String()
}

//go:embed style.css
var style string

// watch times the page from within: what the browser says of the first paint, how long the main thread was kept from
// answering (the part of each task beyond 50 ms), when the page is loaded and half a second passes without such a
// task, and how many frames are missed while it is scrolled from top to bottom.
//
//go:embed watch.js
var watch string

// picture is a shore under a sky, of its own.
func picture(n int) []byte {
	const w, h = 720, 405
	rng := source(fmt.Sprint("picture ", n))
	im := image.NewRGBA(image.Rect(0, 0, w, h))
	hue, rough := rng.Float64(), 2+4*rng.Float64()
	for y := range h {
		for x := range w {
			u, v := float64(x)/w, float64(y)/h
			shore := 0.55 + 0.06*math.Sin(rough*u*3+hue*9) + 0.02*math.Sin(rough*u*17)
			grain := float64(rng.IntN(22))
			if v < shore {
				im.SetRGBA(x, y, color.RGBA{uint8(120 + 90*v + grain), uint8(150 + 60*v + grain), uint8(190 + 40*hue + grain), 255})
			} else {
				d := (v - shore) * 3
				im.SetRGBA(x, y, color.RGBA{uint8(40 + 60*hue*d + grain), uint8(70 + 50*d + grain), uint8(80 + 40*(1-d) + grain),
					255})
			}
		}
	}
	var b bytes.Buffer
	jpeg.Encode(&b, im, &jpeg.Options{Quality: 72})
	return b.Bytes()
}

// script is a file of some 120 kB that works through its numbers and then builds a part of the page.
func script(n int) string {
	rng := source(fmt.Sprint("script ", n))
	var b strings.Builder
	b.WriteString("(() => { const numbers = [")
	for range 12000 {
		fmt.Fprintf(&b, "%d,", rng.IntN(1_000_000_000))
	}
	fmt.Fprintf(&b, `0]
let sum = %d
for (let r = 0; r < 60; r++)
  for (let i = 1; i < numbers.length; i++) sum = (Math.imul(sum, 31) + (numbers[i] ^ numbers[i - 1])) | 0
const sorted = numbers.slice().sort((a, b) => a - b)
const box = document.getElementById('built')
for (let i = 0; i < 300; i++) {
  const d = document.createElement('div')
  d.textContent = String((sorted[i * 40] + sum) %% 100000)
  box.append(d)
  if (i %% 30 === 0) box.offsetHeight
}
})()
`, n+1)
	return b.String()
}

// visit is what one loading of a page shares: the line that its answers come over.
type visit struct {
	mu   sync.Mutex
	free time.Time // when the line is free again
}

// Line shares slowed connections out among visits.
type Line struct {
	mu     sync.Mutex
	visits map[string]*visit
}

// mostVisits bounds those that are remembered.
const mostVisits = 1000

func (l *Line) visit(name string) *visit {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.visits == nil || len(l.visits) >= mostVisits {
		l.visits = map[string]*visit{}
	}
	if l.visits[name] == nil {
		l.visits[name] = &visit{}
	}
	return l.visits[name]
}

// piece is how much goes over a slowed line at a time.
const piece = 4 << 10

// Send writes a file over a connection, as part of a visit; flush hands on what was written.
func (l *Line) Send(w io.Writer, flush func() error, f File, c Connection, name string) error {
	time.Sleep(c.Delay)
	if c.Rate == 0 {
		_, err := w.Write(f.Body)
		return err
	}
	v := l.visit(name)
	for at := 0; at < len(f.Body); at += piece {
		part := f.Body[at:min(at+piece, len(f.Body))]
		v.mu.Lock()
		if now := time.Now(); v.free.Before(now) {
			v.free = now
		}
		v.free = v.free.Add(time.Duration(float64(len(part)) / c.Rate * float64(time.Second)))
		until := v.free
		v.mu.Unlock()
		time.Sleep(time.Until(until))
		if _, err := w.Write(part); err != nil {
			return err
		}
		if err := flush(); err != nil {
			return err
		}
	}
	return nil
}

// Asked reads a path below the site: "CONNECTION/VISIT/WEIGHT/FILE". A visit's name is the page's own; its files may be
// kept for an hour, so that the same visit made again comes from the browser's store.
func Asked(p string) (f File, c Connection, visit string, ok bool) {
	parts := strings.SplitN(p, "/", 3)
	if len(parts) < 3 || parts[1] == "" || len(parts[1]) > 64 {
		return f, c, "", false
	}
	i := slices.IndexFunc(Connections, func(c Connection) bool { return c.Name == parts[0] })
	if i < 0 {
		return f, c, "", false
	}
	f, ok = Open(parts[2])
	return f, Connections[i], parts[1], ok
}
