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
	"durvek/desk"
	"durvek/desk/hooks"
	"durvek/store"
)

// listener is a program that is told: it keeps what it took, and answers as it is set to.
type listener struct {
	*httptest.Server
	mu     sync.Mutex
	status []int // of the next answers; 204 where there is none
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
