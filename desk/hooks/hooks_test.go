package hooks_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	standard "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"durvek/core/record"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/desk/hooks"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

// listener is a program that is told: it keeps what it took, and answers as it is set to.
type listener struct {
	*httptest.Server
	mu     sync.Mutex
	status []int  // of the next answers; 204 where there is none
	during func() // while the next message is on its way
	told   []message
	ids    []string // of everything that came, taken or not
	secret string
}

type message struct {
	Type string         `json:"type"`
	Data map[string]any `json:"data"`
}

func listen(t *testing.T, status ...int) *listener {
	l := &listener{status: status}
	l.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		l.mu.Lock()
		defer l.mu.Unlock()
		verify, err := standard.NewWebhook(l.secret)
		if err == nil {
			err = verify.VerifyIgnoringTimestamp(body, r.Header)
		}
		if err != nil {
			t.Errorf("what came is not signed with the secret: %v", err)
		}
		l.ids = append(l.ids, r.Header.Get("webhook-id"))
		if l.during != nil {
			l.during()
			l.during = nil
		}
		answer := http.StatusNoContent
		if len(l.status) > 0 {
			answer, l.status = l.status[0], l.status[1:]
		}
		if answer == http.StatusNoContent {
			var m message
			json.Unmarshal(body, &m)
			l.told = append(l.told, m)
		}
		if answer == http.StatusFound {
			w.Header().Set("Location", "/elsewhere")
		}
		w.WriteHeader(answer)
	}))
	t.Cleanup(l.Close)
	return l
}

func (l *listener) has() []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	var out []string
	for _, m := range l.told {
		out = append(out, m.Type)
	}
	return out
}

// clock is moved by hand.
type clock struct{ at atomic.Int64 }

func (c *clock) now() time.Time           { return time.Unix(c.at.Load(), 0) }
func (c *clock) forward(by time.Duration) { c.at.Add(int64(by.Seconds())) }
func until(t *testing.T, holds func() bool) {
	t.Helper()
	for end := time.Now().Add(2 * time.Minute); !holds(); time.Sleep(5 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("never came to hold")
		}
	}
}

func open(t *testing.T, dir string, c *clock) (*desk.Desk, *hooks.Hooks) {
	t.Helper()
	d, err := desk.Open(context.Background(), desk.Options{Dir: dir, Now: c.now})
	if err != nil {
		t.Fatal(err)
	}
	return d, hooks.Open(context.Background(), d)
}

// start opens a desk with one program that is told of some kinds.
func start(t *testing.T, l *listener, kinds ...string) (*desk.Desk, *hooks.Hooks, hooks.Hook, *clock) {
	t.Helper()
	c := &clock{}
	c.forward(1.8e9 * time.Second)
	d, h := open(t, t.TempDir(), c)
	t.Cleanup(func() { d.Events.Close(); h.Close(); d.Close() })
	x, err := h.Add(context.Background(), hooks.Wish{URL: l.URL, Kinds: kinds}, "Ines")
	if err != nil {
		t.Fatal(err)
	}
	l.mu.Lock()
	l.secret = x.Secret
	l.mu.Unlock()
	return d, h, x, c
}

// happen has something happen that is told of kind plan.asks, n telling one from another.
func happen(t *testing.T, d *desk.Desk, n int) {
	t.Helper()
	err := d.Write(context.Background(), func(q *desk.Tx) error {
		return q.Tell(context.Background(), "plan.asks", fmt.Sprintf(`{"n":%d}`, n), d.Now())
	})
	if err != nil {
		t.Fatal(err)
	}
	d.Events.Send(desk.Event{Name: "bench"})
}

func TestWhatHappensIsToldSignedAndInOrder(t *testing.T) {
	l := listen(t)
	d, h, x, _ := start(t, l, "plan.asks")
	for n := range 30 {
		happen(t, d, n)
	}
	until(t, func() bool { return len(l.has()) == 30 })
	for n, m := range l.told {
		if m.Data["n"] != float64(n) {
			t.Fatalf("message %d says %v", n, m.Data)
		}
	}
	var list []hooks.Hook
	var err error
	until(t, func() bool { // what it took is written down a moment later
		list, err = h.List(context.Background())
		return err != nil || list[0].Waiting == 0
	})
	if err != nil || len(list) != 1 || list[0].Waiting != 0 || list[0].Secret != "" ||
		list[0].Last.Answer != "204 No Content" {
		t.Errorf("%+v, %v", list, err)
	}
	told, err := h.Delivered(context.Background(), x.ID)
	if err != nil || len(told) != 30 || string(told[0].Data) != `{"n":29}` || told[0].Ended == nil || told[0].Tries != 1 {
		t.Errorf("%d told, the last %+v, %v", len(told), told[0], err)
	}
}

func TestWhatIsNotTakenIsToldAgainAndNothingOvertakesIt(t *testing.T) {
	l := listen(t, 500, http.StatusFound)
	d, h, x, c := start(t, l, "plan.asks")
	happen(t, d, 0)
	happen(t, d, 1)
	refused := func(tries int, answer string) {
		t.Helper()
		until(t, func() bool {
			told, err := h.Delivered(context.Background(), x.ID)
			return err == nil && len(told) == 2 && told[1].Tries == tries && told[1].Answer == answer && told[1].Due != nil &&
				told[0].Tries == 0
		})
	}
	refused(1, "500 Internal Server Error")
	c.forward(4 * time.Second) // one below
	d.Events.Send(desk.Event{Name: "bench"})
	time.Sleep(50 * time.Millisecond)
	refused(1, "500 Internal Server Error")
	c.forward(time.Second)
	d.Events.Send(desk.Event{Name: "bench"})
	refused(2, "302 Found") // where it was not told, nobody is
	c.forward(30 * time.Second)
	d.Events.Send(desk.Event{Name: "bench"})
	until(t, func() bool { return len(l.has()) == 2 })
	if l.told[0].Data["n"] != 0. || l.ids[0] != l.ids[1] || l.ids[1] != l.ids[2] || l.ids[2] == l.ids[3] {
		t.Errorf("%v told as %v", l.told, l.ids)
	}
}

func TestAMessageIsGivenUpAfterItsLastTryAndTheNextIsTold(t *testing.T) {
	l := listen(t, slices.Repeat([]int{503}, 9)...)
	d, h, x, c := start(t, l, "plan.asks")
	happen(t, d, 0)
	happen(t, d, 1)
	for tries := 1; tries < 9; tries++ {
		until(t, func() bool {
			told, _ := h.Delivered(context.Background(), x.ID)
			return len(told) == 2 && told[1].Tries == tries
		})
		c.forward(24 * time.Hour)
		d.Events.Send(desk.Event{Name: "bench"})
	}
	until(t, func() bool { return len(l.has()) == 1 })
	told, err := h.Delivered(context.Background(), x.ID)
	if err != nil || told[1].Answer != "given up: 503 Service Unavailable" || told[1].Ended == nil || told[1].Tries != 9 ||
		!told[1].Lost || told[0].Lost {
		t.Errorf("%+v, %v", told, err)
	}
}

func TestWhoIsGoneIsToldNoMoreUntilSomebodySaysSo(t *testing.T) {
	l := listen(t, http.StatusGone)
	d, h, x, _ := start(t, l, "plan.asks")
	happen(t, d, 0)
	until(t, func() bool {
		list, _ := h.List(context.Background())
		return list[0].Off != ""
	})
	happen(t, d, 1)
	if _, err := h.Change(context.Background(), x.URL, hooks.Wish{}, "Ines"); err != nil {
		t.Fatal(err)
	}
	happen(t, d, 2)
	until(t, func() bool { return len(l.has()) == 1 })
	if l.told[0].Data["n"] != 2. {
		t.Errorf("told %v", l.told)
	}
}

// What changes while a message is on its way stays changed, whatever comes back.
func TestAProgramMayBeChangedOrDroppedWhileItIsTold(t *testing.T) {
	l := listen(t, http.StatusGone, http.StatusGone)
	d, h, x, _ := start(t, l, "plan.asks")
	act := func(what func() error) {
		l.mu.Lock()
		done := make(chan error, 1)
		l.during = func() { done <- what() }
		l.mu.Unlock()
		happen(t, d, 0)
		if err := <-done; err != nil {
			t.Error(err)
		}
	}
	listed := func() []hooks.Hook {
		list, err := h.List(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		return list
	}
	act(func() error {
		_, err := h.Change(context.Background(), x.ID, hooks.Wish{Note: "the board"}, "Ines")
		return err
	})
	until(t, func() bool { return listed()[0].Off != "" })
	if got := listed()[0]; got.Note != "the board" {
		t.Errorf("its note was put back: %+v", got)
	}
	if _, err := h.Change(context.Background(), x.ID, hooks.Wish{}, "Ines"); err != nil {
		t.Fatal(err)
	}
	act(func() error { return h.Drop(context.Background(), x.ID, "Ines") })
	for range 20 { // whatever comes back comes soon
		if list := listed(); len(list) != 0 {
			t.Fatalf("what was dropped came back: %+v", list)
		}
		time.Sleep(5 * time.Millisecond)
	}
}

// What was written before the service ended is told by the next one.
func TestNothingIsLostWhenTheServiceEnds(t *testing.T) {
	l := listen(t)
	c := &clock{}
	dir := t.TempDir()
	d, h := open(t, dir, c)
	x, err := h.Add(context.Background(), hooks.Wish{URL: l.URL}, "Ines")
	if err != nil {
		t.Fatal(err)
	}
	l.secret = x.Secret
	h.Close() // nobody tells from here
	happen(t, d, 7)
	d.Close()
	d, h = open(t, dir, c)
	defer d.Close()
	defer h.Close()
	until(t, func() bool { return len(l.has()) == 1 })
	if l.told[0].Data["n"] != 7. {
		t.Errorf("told %v", l.told)
	}
}

func TestAPlanThatWaitsForAHandIsToldOnce(t *testing.T) {
	l := listen(t)
	d, _, _, _ := start(t, l)
	say := func(ask *record.Ask) {
		d.Events.Send(desk.Event{Name: "progress", Data: record.Progress{Plan: "p", Ask: ask}})
	}
	charger := &record.Ask{ID: "mains", Text: "Plug in the charger", Now: true}
	say(&record.Ask{ID: "mains", Text: "Plug in the charger"}) // other work goes on first
	say(charger)
	say(charger)
	until(t, func() bool { return len(l.has()) == 1 })
	say(nil)
	say(charger)
	until(t, func() bool { return len(l.has()) == 2 })
	if m := l.told[0]; m.Type != "plan.asks" || m.Data["text"] != "Plug in the charger" || m.Data["plan"] != "p" {
		t.Errorf("told %v", m)
	}
}

func TestOneTriesWhetherAProgramIsReached(t *testing.T) {
	l := listen(t)
	_, h, x, _ := start(t, l)
	tried, err := h.Try(context.Background(), x.ID)
	if err != nil || tried.Answer != "204 No Content" || tried.Ended == nil || l.told[0].Type != "desk.tried" {
		t.Errorf("%+v, %v; told %v", tried, err, l.told)
	}
	l.Close()
	tried, err = h.Try(context.Background(), x.ID)
	if err != nil || tried.Answer != "not reached: connection refused" || tried.Ended != nil || tried.Due != nil {
		t.Errorf("%+v, %v", tried, err)
	}
	if told, err := h.Delivered(context.Background(), x.ID); err != nil || len(told) != 0 {
		t.Errorf("trials are kept: %v, %v", told, err)
	}
}

func TestWhatNobodyCanBeToldOfOrAtIsRefused(t *testing.T) {
	l := listen(t)
	_, h, x, _ := start(t, l)
	for _, c := range []struct {
		w    hooks.Wish
		says string
	}{
		{hooks.Wish{}, "is no address"}, {hooks.Wish{URL: "ftp://desk.invalid/x"}, "write https://HOST/PATH"},
		{hooks.Wish{URL: "https://"}, "is no address"}, {hooks.Wish{URL: "https://a:b@desk.invalid/"}, "a name or password"},
		{hooks.Wish{URL: x.URL}, "is told already"},
		{hooks.Wish{URL: "https://desk.invalid/", Kinds: []string{"run.kept", "rain"}}, `"rain" is told; there are run.kept`},
	} {
		if _, err := h.Add(context.Background(), c.w, "Ines"); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%+v: %v, and not %q", c.w, err, c.says)
		}
	}
	inward, err := h.Add(context.Background(), hooks.Wish{URL: "http://169.254.169.254/latest"}, "Ines")
	if err != nil {
		t.Fatal(err)
	}
	if tried, err := h.Try(context.Background(), inward.ID); err != nil || !strings.Contains(tried.Answer,
		"169.254.169.254 is no address of a program") {
		t.Errorf("%+v, %v", tried, err)
	}
	if err := h.Drop(context.Background(), "none", "Ines"); !desk.Refused(err, desk.NotFound) {
		t.Error(err)
	}
	if err := h.Drop(context.Background(), inward.URL, "Ines"); err != nil {
		t.Error(err)
	}
	noted, err := h.Change(context.Background(), x.ID, hooks.Wish{Note: "the board", Off: "away"}, "Ines")
	if err != nil || noted.Note != "the board" || noted.Off != "away" {
		t.Errorf("%+v, %v", noted, err)
	}
	if noted, err = h.Change(context.Background(), x.ID, hooks.Wish{}, "Ines"); err != nil || noted.Note != "the board" ||
		noted.Off != "" {
		t.Errorf("its note went with something else: %+v, %v", noted, err)
	}
	if list, err := h.List(context.Background()); err != nil || len(list) != 1 || slices.Contains(list[0].Kinds,
		"run.kept") ||
		len(list[0].Kinds) != len(hooks.Kinds)-1 {
		t.Errorf("%+v, %v", list, err)
	}
}

func TestOfWhatWasToldTheNewestAreKept(t *testing.T) {
	l := listen(t)
	d, _, x, _ := start(t, l, "plan.asks")
	for n := range 203 {
		happen(t, d, n)
	}
	until(t, func() bool { return len(l.has()) == 203 })
	var kept []store.Message
	until(t, func() bool {
		var err error
		if kept, err = d.Store.Messages(context.Background(), x.ID, 1000); err != nil {
			t.Fatal(err)
		}
		return len(kept) == 200
	})
	if kept[199].Body != `{"n":3}` {
		t.Errorf("the oldest is %s", kept[199].Body)
	}
}

// All that the database tells by itself is told with what it is about, once for each time that it happens.
func TestEveryKindIsToldWhenItHappens(t *testing.T) {
	ctx := context.Background()
	d := testdesk.Opened(t)
	l := listen(t)
	var all []string
	for _, k := range hooks.Kinds {
		all = append(all, k.Kind)
	}
	x, err := d.Hooks.Add(ctx, hooks.Wish{URL: l.URL, Kinds: all}, "Ines")
	if err != nil {
		t.Fatal(err)
	}
	l.mu.Lock()
	l.secret = x.Secret
	l.mu.Unlock()
	testdesk.Rates(t, d, "a", "", 100)
	runs, _, err := d.Results.Runs(ctx, store.RunFilter{Subject: "a", Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	doubt, err := d.Results.Raise(ctx, results.Raising{Run: runs[0].ID, Cause: "handling", Sentence: "Its lid was shut."},
		"Ines")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.Results.Settle(ctx, doubt.ID, results.Settling{Do: "dismiss", Reason: "it was open"},
		"Ines"); err != nil {
		t.Fatal(err)
	}
	r, err := d.Reviews.AddReview(ctx, verdict.Review{Subject: "a"}, "Ines")
	if err != nil {
		t.Fatal(err)
	}
	r.Summary, r.Recommendation = "Fine.", "recommended"
	if _, err = d.Reviews.SaveReview(ctx, r, "Ines"); err == nil {
		_, err = d.Reviews.SignReview(ctx, "a", "Ines")
	}
	if err == nil {
		_, err = d.Reviews.Publish(ctx, "a", "the first", "Ines")
	}
	if err != nil {
		t.Fatal(err)
	}
	want := []string{"run.kept", "doubt.raised", "doubt.settled", "edition.published"}
	until(t, func() bool { return len(l.has()) >= len(want) })
	if got := l.has(); !slices.Equal(got, want) {
		t.Fatalf("told of %v, want %v", got, want)
	}
	for i, says := range []map[string]any{
		{"run": runs[0].ID, "unit": "a", "test": "work", "outcome": "done"},
		{"doubt": doubt.ID, "run": runs[0].ID, "unit": "a", "sentence": doubt.Sentence},
		{"doubt": doubt.ID, "state": "dismissed", "unit": "a"},
		{"review": "a", "number": 1., "title": "Maker A", "note": "the first"},
	} {
		for k, v := range says {
			if l.told[i].Data[k] != v {
				t.Errorf("%s says %s is %v, want %v", want[i], k, l.told[i].Data[k], v)
			}
		}
	}
}
