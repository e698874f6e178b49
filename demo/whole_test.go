package demo

import (
	"context"
	"encoding/json"
	"net"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"time"

	"durvek/client"
	"durvek/core/method"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/examples"
	"durvek/internal/golden"
	_ "durvek/machine" // brings every workload into the table
	"durvek/service"
	"durvek/simulate"
	"durvek/workload"
)

// some is a part of the bench that has something of everything: a chain of predecessors, a mode, a supply, siblings, a
// run under another supply, a slip of units, a failed step, drives in two places, lasting loads, a day on battery,
// firmware that changed.
var some = []job{
	{unit: "sound-12-16-512-a", tests: few, repeats: 3},
	{unit: "sound-14-16-512-a", tests: few, repeats: 3},
	{unit: "sound-16-32-1000-a", tests: few, repeats: 4},
	{unit: "sound-16-32-1000-a", setup: "fast-mode", tests: []string{"hashing", "compression"}, repeats: 3},
	{unit: "fen-14-16-512-a", tests: few, repeats: 3, quirks: []simulate.Quirk{{Measure: "drive-sequential/read",
		Factor: 1.0145}}},
	{unit: "fen-14-16-512-a", setup: "battery", tests: []string{"hashing", "compression"}, repeats: 3},
	{unit: "fen-14-32-1000-a", tests: few, repeats: 3},
	{unit: "relay-15-16-512-a", ago: 200, tests: monthly, repeats: 3, name: firmwareWatch,
		quirks: []simulate.Quirk{{Observed: map[string]string{"firmware": "1.08"}}}},
	{unit: "relay-15-16-512-a", ago: 60, tests: monthly, repeats: 3, name: firmwareWatch,
		quirks: []simulate.Quirk{{Measure: "small-files", Factor: 0.78, Observed: map[string]string{"firmware": "1.12"}}}},
	{unit: "relay-15-16-512-a", tests: few, repeats: 5, quirks: []simulate.Quirk{{Measure: "hashing", Factor: 0.8,
		Repeats: []int{4}, Observed: map[string]string{"supply": "battery"}}}},
	{unit: "skiff-14-16-1000-a", tests: few, repeats: 3},
	{unit: "pilot-13-16-512-a", tests: []string{"hashing", "compression"}, repeats: 2},
	{unit: "relay-desk-32-1000-a", tests: few, repeats: 4, quirks: []simulate.Quirk{{Measure: "log-indexing", Factor: 8,
		Repeats: []int{3}}}},
	{unit: "tern-mini-32-1000-a", tests: few, repeats: 3},
	{unit: "inlet-6-128-a", tests: few, repeats: 3, quirks: []simulate.Quirk{{Measure: "memory-bandwidth",
		Fail: "the system ended the program for want of memory"}}},
	{unit: "wrack-1000-a", host: "sound-16-32-1000-a", place: "inner slot", tests: drive, repeats: 2},
	{unit: "holdfast-1000-a", host: "sound-16-32-1000-a", place: "left port", tests: drive, repeats: 2},
	{unit: "gannet-2000-a", host: "sound-16-32-1000-a", place: "left port", tests: filling, repeats: 1},
	{unit: "holdfast-1000-a", host: "sound-16-32-1000-a", place: "left port", tests: filling, repeats: 1},
	{unit: "sound-16-32-1000-a", tests: lasting, repeats: 1},
	{unit: "fen-14-16-512-a", tests: lasting, repeats: 1},
	{unit: "fen-14-16-512-a", tests: []string{"graphics-fill", "graphics-scene"}, repeats: 2},
	{unit: "petrel-8-256-a", tests: []string{"video-playback", "screen-facts"}, repeats: 2, browser: true},
	{unit: "petrel-8-256-a", tests: []string{"rundown-video"}, setup: "battery", repeats: 1, browser: true, options: slow},
	{unit: "kittiwake-8-128-a", tests: []string{"rundown-video"}, setup: "battery", repeats: 1, browser: true,
		options: slow, faults: []simulate.Fault{{Kind: simulate.Plugged, Test: "rundown-video", At: 3 * 3600}}},
	{unit: "cuddy-8-256-a", tests: []string{"hashing", "memory-bandwidth"}, repeats: 3,
		terms: method.Terms{Order: "interleaved", Failure: "retry", Cool: &method.Cool{Seconds: 5, Below: 45, Most: 30}},
		faults: []simulate.Fault{{Kind: simulate.Crash, Test: "hashing", At: 2}, {Kind: simulate.Background,
			Test: "memory-bandwidth", Repeats: []int{1}}}},
}

var slow = map[string]string{"heartbeat": "60 s"}

var few = []string{"hashing", "compression", "log-indexing", "memory-bandwidth", "drive-sequential", "small-files"}

// asked is what a desk is asked, by files of answers.
var asked = map[string][]string{
	"comparisons.json": {
		"/api/ranking?measure=hashing/all&field=laptops&subject=sound-16-32-1000&relative=predecessor&raised=true",
		"/api/ranking?measure=compression/pack-all&field=machines&subject=relay-15-16-512&relative=mean&carried=true",
		"/api/ranking?measure=chart-pan-battery/hours&field=laptops&subject=fen-14-16-512&claims=true",
		"/api/ranking?measure=drive-sequential/write&field=survey-drives&subject=holdfast-1000&claims=true",
		"/api/ranking?measure=headland-chase/mean&field=laptops&subject=fen-14-16-512",
		"/api/ranking?measure=fan-noise/full-load&field=machines&raised=true",
		"/api/ranking?measure=survey-export/time&field=laptops&relative=sound-14-16-512",
		"/api/ranking?measure=hashing/all&field=laptop-modes&modes=true",
		"/api/ranking?measure=price/EUR&field=laptops",
		"/api/ranking?measure=spec/memory.size&field=laptops",
		"/api/heads?variants=fen-14-16-512,fen-14-32-1000,tern-mini-32-1000&currency=EUR",
		"/api/heads?variants=sound-16-32-1000,sound-14-16-512",
		"/api/index?field=machines&use=survey&subject=fen-14-16-512",
		"/api/index?field=laptops&weights=hashing/all=2,compression/pack-all=1,memory-bandwidth/copy=1" +
			"&subject=sound-16-32-1000",
		"/api/fits?use=wheelhouse&field=laptops",
		"/api/fits?use=foredeck&field=foredeck",
		"/api/value?measure=hashing/all&field=laptops&currency=EUR&subject=fen-14-16-512",
		"/api/value?measure=drive-sequential/read&field=survey-drives&subject=holdfast-1000",
		"/api/modes?measure=hashing/all&field=laptops&subject=sound-16-32-1000",
		"/api/curves?test=hashing-sustained&field=laptops&subject=fen-14-16-512",
		"/api/curves?test=drive-fill&field=survey-drives",
		"/api/claims?variant=fen-14-16-512",
		"/api/claims?variant=holdfast-1000",
		"/api/ledger?by=maker",
		"/api/ledger?by=year&maker=Selvane",
		"/api/places?measure=hashing/all&variant=fen-14-16-512",
		"/api/places?measure=fan-noise/full-load&variant=tern-mini-32-1000",
		"/api/rivals?variant=sound-16-32-1000",
		"/api/likeness?variant=fen-14-16-512",
		"/api/worth?measure=hashing/all&kind=laptop",
		"/api/why?measure=hashing/all&a=fen-14-32-1000&b=fen-14-16-512",
		"/api/cells?variants=fen-14-16-512,sound-16-32-1000&measures=hashing/all,fan-noise/full-load,weight/weight",
		"/api/measures/hashing/all",
		"/api/measures/port-copy/rate",
		"/api/histories?unit=relay-15-16-512-a&measure=small-files/create",
		"/api/fields",
		"/api/worth?measure=compression/pack-all",
	},
	"reviews.json": {
		"/api/reviews",
		"/api/reviews/fen-14",
		"/api/reviews/holdfast",
		"/api/reviews/petrel",
		"/editions/petrel/2/",
		"/api/reviews/tern-mini",
		"/editions/holdfast/1/",
		"/editions/fen-14/1/",
	},
	"rooms.json": {
		"/api/suggestions?field=laptops&most=12",
		"/api/schedule?minutes=60&field=chart-room",
		"/api/rigs",
		"/api/models/sound-16",
		"/api/models/fen-14",
		"/api/variants/fen-14-16-512",
		"/api/units/fen-14-16-512-a",
		"/api/inspections/fen-14-16-512-a",
		"/api/doubts?limit=100",
		"/api/incidents?limit=100",
		"/api/incident-rates",
		"/api/incident-rates?unit=holdfast-1000-a",
		"/api/partners",
		"/api/runs?subject=relay-15-16-512-a&limit=8",
		"/api/runs?outcome=failed",
		"/api/bench",
		"/api/today",
		"/api/find?text=sond+16",
		"/api/find?text=fen",
		"/api/journal?limit=40",
		"/api/remarks?variant=fen-14-16-512",
		"/api/dossiers/fen-14",
		"/api/doubts?state=dismissed",
	},
}

var (
	uuids   = regexp.MustCompile(`[0-9a-f]{64}|[0-9a-f]{8}-[0-9a-f]{4}-[47][0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12}`)
	runtime = regexp.MustCompile(`go1\.[0-9]+(\.[0-9]+)?( [a-z]+/[a-z0-9]+)?`)
)

// A part of the Marram Desk, made in the same order at the same hour each time, answers as somebody read it.
func TestTheMarramDeskAnswersAsBefore(t *testing.T) {
	now := func() time.Time { return time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC) }
	ctx, stop := context.WithCancel(context.Background())
	dir := t.TempDir()
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: dir, Name: DeskName, Now: now},
		Tests: workload.Tests()})
	if err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ended := make(chan error, 1)
	go func() { ended <- service.New(d, service.Options{Examples: examples.Made}).Serve(ctx, l) }()
	defer func() { stop(); <-ended; d.Close() }()
	token, err := d.Books.LocalToken(ctx)
	if err != nil {
		t.Fatal(err)
	}
	kept := newRecorder(t, "http://"+l.Addr().String())
	front := httptest.NewServer(kept)
	defer front.Close()
	c := client.New(front.URL, token)
	begin := time.Now()
	if err := Fill(ctx, Options{Client: c, Dir: dir, now: now, jobs: some}); err != nil {
		t.Fatal(err)
	}
	t.Logf("filled in %v", time.Since(begin))
	for file, paths := range asked {
		answers := map[string]any{}
		for _, path := range paths {
			var raw []byte
			if err := c.Do(ctx, http.MethodGet, path, nil, nil, &raw); err != nil {
				t.Errorf("%s: %v", path, err)
			}
			text := runtime.ReplaceAllString(uuids.ReplaceAllString(string(raw), "an id"), "a runtime")
			if answers[path] = json.RawMessage(text); !json.Valid([]byte(text)) {
				answers[path] = strings.Split(text, "\n")
			}
		}
		golden.JSON(t, file, answers)
	}
	kept.ask(t, c)
	kept.hold(t)
}
