package demo

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"net/http"
	"net/url"
	"strconv"

	"durvek/client"
	"durvek/core/record"
	"durvek/core/trust"
)

// ByHand notes what the desk's people found without an agent: inspections, the hub that wakes on a slower
// link, what works with what.
func ByHand(ctx context.Context, c *client.Client) error {
	post := func(path string, entries ...map[string]any) error {
		for _, e := range entries {
			if err := c.Do(ctx, http.MethodPost, path, nil, e, nil); err != nil {
				return err
			}
		}
		return nil
	}
	const hub = "narrows-hub-a"
	slow := func(host, place string, times, tries int, text string) map[string]any {
		return map[string]any{"unit": hub, "host": host, "place": place, "kind": "slow-link", "times": times, "tries": tries,
			"text": text}
	}
	lost := func(host string, times, tries int, text string) map[string]any {
		return map[string]any{"unit": "holdfast-1000-a", "host": host, "kind": "disconnection", "times": times,
			"tries": tries, "text": text}
	}
	if err := post("/api/incidents",
		slow("sound-16-32-1000-a", "left port", 2, 4, "Woke on 5 Gbit/s in place of 10 after the lid was closed; plugging "+
			"it in again helped."),
		slow("fen-14-16-512-a", "right port", 1, 4, "The same, once."),
		slow("harbour-tower-64-2000-a", "front port", 0, 3, "Never here."),
		lost("fen-14-16-512-a", 4, 12, "Gone in the middle of a copy; it came back after it was plugged in again."),
		lost("sound-16-32-1000-a", 3, 10, "The same."),
		lost("harbour-tower-64-2000-a", 2, 9, "The same, once at the very end."),
	); err != nil {
		return err
	}
	pair := func(part, partner, place, outcome, how string) map[string]any {
		return map[string]any{"part": part, "partner": partner, "place": place, "outcome": outcome, "how": how}
	}
	if err := post("/api/partners",
		pair(hub, "sound-16-32-1000-a", "left port", "works", "USB 10 Gbit/s"),
		pair(hub, "fen-14-16-512-a", "right port", "works", "USB 10 Gbit/s"),
		pair(hub, "inlet-6-128-a", "its only port", "fails", "no power reaches the phone"),
		pair("gannet-2000-a", "relay-desk-32-1000-a", "rear port", "fails", "drops out under lasting writes"),
		pair("gannet-2000-a", "relay-desk-32-1000-a", "front port", "works", "USB 10 Gbit/s"),
	); err != nil {
		return err
	}
	form := func(test string, readings map[string]string, notes map[string]string) map[string]any {
		return map[string]any{"test": test, "subject": "fen-14-16-512-a", "readings": readings, "notes": notes}
	}
	if err := post("/api/readings",
		form("size", map[string]string{"width": "312", "depth": "219.5", "height": "17.0"}, nil),
		form("free-space", map[string]string{"free": "431.8"}, nil),
		form("ports", map[string]string{"data": "pass", "display": "pass", "power": "fail"},
			map[string]string{"power": "The right port carries data alone, and nothing on the case says so."}),
		form("other-system", map[string]string{"boots": "pass", "devices": "pass"}, nil),
		form("keyboard", map[string]string{"typing": "4"}, map[string]string{"typing": "The arrow keys are halved."}),
		form("hinge", map[string]string{"hold": "3"}, nil),
		form("access", map[string]string{"access": "3"}, map[string]string{"access": "Drive and battery; the memory is " +
			"soldered."}),
		map[string]any{"test": "start-up-time", "subject": "fen-14-16-512-a", "laps": []float64{11.8, 11.4, 12.1}},
	); err != nil {
		return err
	}
	if err := said(post); err != nil {
		return err
	}
	if err := flights(ctx, c); err != nil {
		return err
	}
	picture, err := portPhoto()
	if err != nil {
		return err
	}
	q := url.Values{"unit": {"fen-14-16-512-a"}, "measure": {"ports/power"}, "name": {"right-port.jpg"},
		"caption": {"The right port: no word that it does not charge."}}
	return c.Do(ctx, http.MethodPost, "/api/photos", q, picture, nil)
}

// flights takes in three flights over the harbour on each of four laptops.
func flights(ctx context.Context, c *client.Client) error {
	for _, f := range []struct {
		unit string
		rate float64
	}{{"sound-16-32-1000-a", 88}, {"fen-14-16-512-a", 56}, {"skiff-14-16-1000-a", 41}, {"relay-15-16-512-a", 37}} {
		for repeat := range 3 {
			q := client.Query("test", "harbour-flight", "unit", f.unit, "column", "frame_ms", "repeat", strconv.Itoa(repeat),
				"conditions", "content=harbour replay; program.version=3.1")
			if err := c.Do(ctx, http.MethodPost, "/api/frames", q, flight(f.unit, f.rate, repeat), nil); err != nil {
				return err
			}
		}
	}
	return nil
}

// said is what was noted of the Fen without a figure.
func said(post func(string, ...map[string]any) error) error {
	return post("/api/remarks",
		map[string]any{"variant": "fen-14-16-512", "area": "display", "text": "Bright enough in the boat shed with its " +
			"doors open."},
		map[string]any{"variant": "fen-14-16-512", "kind": "report", "area": "body",
			"who":   "two crews of the northern station",
			"dated": "2026-10-02", "source": "letter to the desk", "text": "The hinge came loose after a season aboard"},
		map[string]any{"variant": "fen-14-16-512", "kind": "report", "area": "battery",
			"who":   "a survey office with nine of them",
			"dated": "2026-10-19", "source": "told at the harbour fair",
			"text": "All nine still hold a day's work after a year"},
	)
}

// Settle does what the desk's people did about doubts: one upheld, one dismissed, one reopened, a rule tuned for a
// test, a reading corrected, a table's row that was taken in twice merged.
func Settle(ctx context.Context, c *client.Client) error {
	doubt := func(rule, unit string) (trust.Doubt, error) {
		l, err := client.Get[struct{ Doubts []trust.Doubt }](ctx, c, "/api/doubts", client.Query("rule", rule, "subject",
			unit))
		if err == nil && len(l.Doubts) == 0 {
			err = fmt.Errorf("%s raised no doubt about %s", rule, unit)
		}
		if err != nil {
			return trust.Doubt{}, err
		}
		return l.Doubts[0], nil
	}
	settle := func(rule, unit string, acts ...map[string]any) error {
		d, err := doubt(rule, unit)
		for _, a := range acts {
			if err == nil {
				err = c.Do(ctx, http.MethodPost, "/api/doubts/"+d.ID+"/settlements", nil, a, nil)
			}
		}
		return err
	}
	if err := settle("departure", "relay-15-16-512-a", map[string]any{"do": "uphold", "cause": "conditions",
		"reason": "The plug had slipped out; nobody noticed before the last repeat."}); err != nil {
		return err
	}
	if err := settle("versions-mixed", "sound-12-16-512-a", map[string]any{"do": "dismiss",
		"reason": "It stays at 2.9 until the new version runs on it."},
		map[string]any{"do": "reopen", "reason": "3.2 runs on it now, so it can be measured anew."}); err != nil {
		return err
	}
	if err := settle("ceiling", "fen-14-16-512-a", map[string]any{"do": "dismiss",
		"reason": "Its screen shows 60 pictures a second and no more; the figure says so."}); err != nil {
		return err
	}
	// The Leaf was copied to through an adapter: its figure stays, with that beside it.
	copies, err := client.Get[struct{ Runs []record.Run }](ctx, c, "/api/runs", client.Query("subject", "leaf-11-12-256-a",
		"test", "port-copy"))
	if err != nil || len(copies.Runs) == 0 {
		return cmp.Or(err, errors.New("the Leaf has no copy through its port"))
	}
	var caveat trust.Doubt
	if err := c.Do(ctx, http.MethodPost, "/api/doubts", nil, map[string]any{"run": copies.Runs[0].ID, "cell": true,
		"sentence": "Copied through an adapter of the desk's, which may cost some of the rate."}, &caveat); err != nil {
		return err
	}
	if err := c.Do(ctx, http.MethodPost, "/api/doubts/"+caveat.ID+"/settlements", nil, map[string]any{"do": "caveat",
		"reason": "Copied through an adapter; without it the rate may be higher."}, nil); err != nil {
		return err
	}
	if err := c.Do(ctx, http.MethodPut, "/api/rules/outlier/tuning", nil, map[string]any{"test": "drive-appends",
		"limit": 100000, "reason": "Single slow flushes are what this test is about."}, nil); err != nil {
		return err
	}
	// The same two lines of the noise table were taken in under another date.
	again := map[string]any{"test": "fan-noise", "subject": "pilot-13-16-512-a", "date": "2026-11-02",
		"readings": map[string]string{"full-load": "36.7"}}
	first := map[string]any{"test": "fan-noise", "subject": "pilot-13-16-512-a", "date": "2026-11-01",
		"readings": map[string]string{"full-load": "36.7"}}
	var kept, twice record.Run
	if err := c.Do(ctx, http.MethodPost, "/api/readings", nil, first, &kept); err != nil {
		return err
	}
	if err := c.Do(ctx, http.MethodPost, "/api/readings", nil, again, &twice); err != nil {
		return err
	}
	return c.Do(ctx, http.MethodPost, "/api/runs/"+twice.ID+"/corrections", nil, map[string]any{"do": "merge",
		"into": kept.ID, "reason": "The same sheet was typed twice."}, nil)
}

// flight is what the chart viewer wrote of one flight over the harbour: two minutes of frames, with the tiles that had
// to be fetched as stumbles.
func flight(unit string, rate float64, repeat int) []byte {
	rng := rand.New(rand.NewPCG(seed(unit), uint64(repeat)))
	var b bytes.Buffer
	b.WriteString("frame,frame_ms\n")
	for i, at := 1, 0.0; at < 120e3; i++ {
		ms := 1000 / rate * (1 + 0.12*math.Sin(at/9000)) * math.Exp(0.07*rng.NormFloat64())
		if rng.Float64() < 0.004 {
			ms += 30 + 50*rng.Float64()
		}
		at += ms
		fmt.Fprintf(&b, "%d,%.3f\n", i, ms)
	}
	return b.Bytes()
}

// portPhoto draws the demo's one photo: the edge of a laptop with two ports.
func portPhoto() ([]byte, error) {
	img := image.NewRGBA(image.Rect(0, 0, 640, 360))
	fill := func(x0, y0, x1, y1 int, c color.RGBA) {
		for y := y0; y < y1; y++ {
			for x := x0; x < x1; x++ {
				img.Set(x, y, c)
			}
		}
	}
	fill(0, 0, 640, 360, color.RGBA{228, 232, 234, 255})
	fill(0, 120, 640, 250, color.RGBA{92, 104, 112, 255})
	fill(0, 120, 640, 128, color.RGBA{140, 152, 160, 255})
	for _, x := range []int{210, 350} {
		fill(x, 168, x+84, 200, color.RGBA{24, 28, 32, 255})
		fill(x+10, 181, x+74, 187, color.RGBA{70, 78, 84, 255})
	}
	fill(0, 250, 640, 360, color.RGBA{196, 186, 168, 255})
	var b bytes.Buffer
	err := jpeg.Encode(&b, img, nil)
	return b.Bytes(), err
}
