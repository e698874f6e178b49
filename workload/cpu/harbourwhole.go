package cpu

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/picture"
)

// A picture of fewer paths a pixel is too grainy to be held against the known one.
const (
	fewestPaths = 64
	eachRound   = 8 // paths of each pixel before a tile gives way to the next
)

func init() {
	workload.Register(workload.Workload{Run: paintWhole, Test: method.Test{Slug: "harbour-picture-whole", Version: 1,
		Name: "Harbour picture, whole", Group: "CPU", Of: "harbour-picture", Subjects: workload.Devices,
		About: "The harbour picture up to a fixed quality, 1024 paths for each of 320 × 180 pixels, on all threads: a slow " +
			"machine takes its hour, and says how long is left. One sees it form on the bench and at the machine.",
		StandsFor: "Waiting for a picture or a film to be worked out.", LimitedBy: "All threads' arithmetic, and the heat " +
			"that " +
			"it brings.", Input: "The scene of 54 boxes and balls from seed 29.",
		Checked: "The mean colours of 16 × 9 fields against the known picture's, within 3 of 255.",
		Seconds: 40, Repeats: 3, MustMatch: []string{"supply", "power.mode", "runtime", method.OptionCondition("paths")},
		Options: []method.Option{{Slug: "paths", Meaning: "paths of each pixel", Default: "1024", Unit: "1",
			Least: fewestPaths, Most: 1 << 20, Match: true}},
		Measures: []method.Measure{{Slug: "time", Name: "time to the whole picture", Unit: "s", Scale: quantity.Ratio,
			Better: quantity.Lower, Repeatability: 0.015}, {Slug: "rate", Name: "paths followed", Unit: "{sample}/us",
			Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.015}}}})
}

// paintWhole paints the picture round by round, each of all tiles, so that it is seen whole from the first one on.
func paintWhole(ctx context.Context, env workload.Env) (record.Outcome, error) {
	scene, sums := picture.Harbour(), make([]float32, 3*picture.Width*picture.Height)
	paths := (int(env.Number("paths")) + eachRound - 1) / eachRound * eachRound
	series := record.Series{Channel: "rate", Unit: "{sample}/us"}
	const tiles = picture.Columns * picture.Rows
	begin := time.Now()
	last, lastDone := begin, 0
	for done := 0; done < paths; {
		var next atomic.Int64
		var crew sync.WaitGroup
		for range runtime.NumCPU() {
			crew.Go(func() {
				for tile := next.Add(1) - 1; tile < tiles && ctx.Err() == nil; tile = next.Add(1) - 1 {
					for which := range eachRound {
						scene.Tile(uint32(tile), uint32(done+which), sums)
					}
				}
			})
		}
		crew.Wait()
		if ctx.Err() != nil {
			return record.Outcome{Series: []record.Series{series}}, fmt.Errorf("stopped: %w", context.Cause(ctx))
		}
		done += eachRound
		if now := time.Now(); now.Sub(last) >= 500*time.Millisecond || done >= paths {
			rate := float64((done-lastDone)*picture.Width*picture.Height) / 1e6 / now.Sub(last).Seconds()
			series.Times, series.Values = append(series.Times, now.Sub(begin).Seconds()), append(series.Values, rate)
			last, lastDone = now, done
			if env.Report != nil {
				env.Report(record.Sample{Phase: fmt.Sprintf("%d of %d paths a pixel", done, paths), Share: float64(done) /
					float64(paths), Channel: "rate", Unit: series.Unit, Value: rate, Picture: asPNG(sums, done)})
			}
		}
	}
	seconds := time.Since(begin).Seconds()
	want := picture.Known()
	for i, v := range picture.Coarse(sums, paths) {
		if math.Abs(float64(v)-float64(want[i])) > 3 {
			return record.Outcome{}, fmt.Errorf("field %d of the picture shows %d instead of %d: %w", i/3, v, want[i],
				workload.ErrWrong)
		}
	}
	return record.Outcome{Series: []record.Series{series}, Readings: []record.Reading{workload.Reading("time", seconds),
		workload.Reading("rate", float64(paths*picture.Width*picture.Height)/1e6/seconds)}}, nil
}

// asPNG is the picture at half its size, for those who watch it form.
func asPNG(sums []float32, paths int) []byte {
	const w, h = picture.Width / 2, picture.Height / 2
	im := image.NewRGBA(image.Rect(0, 0, w, h))
	at := func(x, y, c int) float32 { return sums[3*(y*picture.Width+x)+c] }
	for y := range h {
		for x := range w {
			var c [3]uint8
			for k := range c {
				c[k] = picture.Shown((at(2*x, 2*y, k)+at(2*x+1, 2*y, k)+at(2*x, 2*y+1, k)+at(2*x+1, 2*y+1, k))/4, paths)
			}
			im.SetRGBA(x, y, color.RGBA{c[0], c[1], c[2], 255})
		}
	}
	var b bytes.Buffer
	if png.Encode(&b, im) != nil {
		return nil
	}
	return b.Bytes()
}
