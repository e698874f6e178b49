// Package hooks is the room from which other programs are told what happens, by webhooks (the Standard Webhooks
// specification: headers webhook-id, webhook-timestamp and webhook-signature, HMAC-SHA-256 over all three parts). What
// is to be told is written together with what happens, so nothing is lost when the service ends in between; it is told
// in order, again until it was taken, and so at least once.
package hooks

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"log/slog"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	standard "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"durvek/core/record"
	"durvek/desk"
	"durvek/store"
)

// Kind is what sort of thing a program is told.
type Kind struct {
	Kind string `json:"kind"`
	Says string `json:"says" doc:"What has happened when it is told"`
}

// Kinds lists them. All but plan.asks are written by the database itself, when what they tell of is written.
var Kinds = []Kind{
	{"run.kept", "A run was taken in: by an agent, by hand or from a file"},
	{"plan.changed", "A plan on the bench has another state, such as running, silent, stopped or done"},
	{planAsks, "A plan waits for a person's hand"},
	{"doubt.raised", "A rule or a person distrusts a run"},
	{"doubt.settled", "A doubt is upheld, dismissed, or open once more"},
	{"incident.noted", "A crash, a hang, a disconnection or something else is noted"},
	{"edition.published", "A review has another edition"},
}

const planAsks = "plan.asks"

// trial is told when somebody tries whether a program is reached.
const trial = "desk.tried"

// After how long a message that was not taken is told once more; after the last it is given up.
var waits = []time.Duration{5 * time.Second, 30 * time.Second, 2 * time.Minute, 10 * time.Minute,
	time.Hour, 3 * time.Hour, 8 * time.Hour, 24 * time.Hour}

// givenUp begins what is said of a message that was never taken.
const givenUp = "given up: "

const (
	remembered = 200 // messages that were told, of each program
	listed     = 50
)

// Hook is a program that is told what happens.
type Hook struct {
	ID      string     `json:"id"`
	URL     string     `json:"url" doc:"Where it is told, by POST"`
	Kinds   []string   `json:"kinds" doc:"What it is told of"`
	Note    string     `json:"note,omitempty" doc:"What it is for"`
	Off     string     `json:"off,omitempty" doc:"Why it is told no more"`
	Secret  string     `json:"secret,omitempty" doc:"What messages are signed with; shown once, when it is made"`
	Added   time.Time  `json:"added"`
	By      string     `json:"by"`
	Waiting int        `json:"waiting" doc:"Messages that it has not had yet"`
	Last    *Delivered `json:"last,omitempty" doc:"What it was told last"`
}

// Wish is a program as it is wished.
type Wish struct {
	URL   string   `json:"url,omitempty" maxLength:"2000" doc:"http or https; only https hides what is told"`
	Kinds []string `json:"kinds,omitempty" doc:"What it is told of; everything but runs if left out"`
	Note  string   `json:"note,omitempty" maxLength:"200" doc:"What it is for"`
	Off   string   `json:"off,omitempty" maxLength:"200" doc:"Why it is to be told no more; empty has it told again"`
}

// Delivered is a message, and what became of it.
type Delivered struct {
	Kind   string          `json:"kind"`
	Data   json.RawMessage `json:"data"`
	Made   time.Time       `json:"made"`
	Tries  int             `json:"tries"`
	Due    *time.Time      `json:"due,omitempty" doc:"When it is told again"`
	Ended  *time.Time      `json:"ended,omitempty" doc:"When it was taken, or given up"`
	Lost   bool            `json:"lost,omitempty" doc:"It was given up"`
	Answer string          `json:"answer,omitempty" doc:"What came back, or why nothing did"`
}

// Hooks is the room. All of it may be used by many at once.
type Hooks struct {
	desk  *desk.Desk
	send  sender
	wake  chan struct{}
	stop  context.CancelFunc
	ended sync.WaitGroup
}

// Open makes the room and goes on telling what was left.
func Open(ctx context.Context, d *desk.Desk) *Hooks {
	ctx, stop := context.WithCancel(context.WithoutCancel(ctx))
	h := &Hooks{desk: d, send: newSender(), wake: make(chan struct{}, 1), stop: stop}
	events, end := d.Events.Listen() // from here on, so that nothing is missed
	h.ended.Go(func() { defer end(); h.listen(ctx, events) })
	h.ended.Go(func() { h.tell(ctx) })
	return h
}

// Close ends the telling; what is left is told at the next start.
func (h *Hooks) Close() {
	h.stop()
	h.ended.Wait()
}

// List lists the programs that are told, the first to come first, without their secrets.
func (h *Hooks) List(ctx context.Context) ([]Hook, error) {
	list, err := h.desk.Store.Hooks(ctx)
	if err != nil {
		return nil, err
	}
	out := []Hook{}
	for _, s := range list {
		x, err := h.shown(ctx, s)
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

func (h *Hooks) shown(ctx context.Context, s store.Hook) (x Hook, err error) {
	x = Hook{ID: s.ID, URL: s.URL, Kinds: s.Kinds, Note: s.Note, Off: s.Off, Added: s.Added, By: s.By}
	if x.Waiting, err = h.desk.Store.MessagesWaiting(ctx, s.ID); err != nil {
		return x, err
	}
	told, err := h.desk.Store.Messages(ctx, s.ID, listed)
	if i := slices.IndexFunc(told, func(m store.Message) bool { return m.Tries > 0 }); i >= 0 {
		x.Last = new(delivered(told[i]))
	}
	return x, err
}

// Add has a program told from now on. Its secret is given this once.
func (h *Hooks) Add(ctx context.Context, w Wish, by string) (Hook, error) {
	s := store.Hook{ID: desk.NewID(), Secret: newSecret(), Added: h.desk.Now(), By: by}
	if err := h.put(ctx, &s, w, "add hook", by); err != nil {
		return Hook{}, err
	}
	x, err := h.shown(ctx, s)
	x.Secret = s.Secret
	return x, err
}

// Change gives a program another address, other kinds, another note; its secret stays.
func (h *Hooks) Change(ctx context.Context, id string, w Wish, by string) (Hook, error) {
	s, err := h.find(ctx, id)
	if err != nil {
		return Hook{}, err
	}
	if err := h.put(ctx, &s, w, "change hook", by); err != nil {
		return Hook{}, err
	}
	return h.shown(ctx, s)
}

func (h *Hooks) put(ctx context.Context, s *store.Hook, w Wish, act, by string) error {
	if w.URL != "" {
		s.URL = w.URL
	}
	if err := addressed(s.URL); err != nil {
		return err
	}
	if len(w.Kinds) > 0 {
		s.Kinds = w.Kinds
	}
	if len(s.Kinds) == 0 {
		for _, k := range Kinds[1:] {
			s.Kinds = append(s.Kinds, k.Kind)
		}
	}
	for _, k := range s.Kinds {
		if !slices.ContainsFunc(Kinds, func(x Kind) bool { return x.Kind == k }) {
			return desk.Refuse(desk.Invalid, "nothing of the kind %q is told; there are %s", k, strings.Join(kinds(), ", "))
		}
	}
	s.Note, s.Off = cmp.Or(strings.TrimSpace(w.Note), s.Note), strings.TrimSpace(w.Off)
	err := h.desk.Note(ctx, by, act, s.URL, strings.Join(s.Kinds, ", "), func(q *desk.Tx) error {
		all, err := q.Hooks(ctx)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(all, func(x store.Hook) bool { return x.URL == s.URL && x.ID != s.ID }) {
			return desk.Refuse(desk.Conflict, "%s is told already; change what it is told of", s.URL)
		}
		return q.PutHook(ctx, *s)
	})
	h.look()
	return err
}

func kinds() (out []string) {
	for _, k := range Kinds {
		out = append(out, k.Kind)
	}
	return out
}

// addressed refuses what is no address of a program.
func addressed(s string) error {
	u, err := url.Parse(s)
	switch {
	case err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https":
		return desk.Refuse(desk.Invalid, "%q is no address that can be told: write https://HOST/PATH", s)
	case u.User != nil:
		return desk.Refuse(desk.Invalid, "the address holds a name or password; messages are signed, so that none is needed")
	}
	return nil
}

// find finds a program by its id or its address.
func (h *Hooks) find(ctx context.Context, id string) (store.Hook, error) {
	all, err := h.desk.Store.Hooks(ctx)
	if err != nil {
		return store.Hook{}, err
	}
	for _, s := range all {
		if s.ID == id || s.URL == id {
			return s, nil
		}
	}
	return store.Hook{}, desk.Missing(store.ErrNotFound, "hook", id)
}

// Drop has a program told no more, and forgets what it was to be told.
func (h *Hooks) Drop(ctx context.Context, id, by string) error {
	s, err := h.find(ctx, id)
	if err != nil {
		return err
	}
	return h.desk.Note(ctx, by, "drop hook", s.URL, "", func(q *desk.Tx) error {
		_, err := q.DropHook(ctx, s.ID)
		return err
	})
}

// Delivered lists what a program is and was told, the newest first, at most 50.
func (h *Hooks) Delivered(ctx context.Context, id string) ([]Delivered, error) {
	s, err := h.find(ctx, id)
	if err != nil {
		return nil, err
	}
	list, err := h.desk.Store.Messages(ctx, s.ID, listed)
	out := []Delivered{}
	for _, m := range list {
		out = append(out, delivered(m))
	}
	return out, err
}

func delivered(m store.Message) Delivered {
	d := Delivered{Kind: m.Kind, Data: json.RawMessage(m.Body), Made: m.Made, Tries: m.Tries, Ended: m.Ended,
		Answer: m.Answer, Lost: strings.HasPrefix(m.Answer, givenUp) || m.Answer == goneAnswer}
	if m.Ended == nil && m.Tries > 0 {
		d.Due = &m.Due
	}
	return d
}

// Try tells a program at once that it is tried, whether or not it is told anything else, and says what came back.
func (h *Hooks) Try(ctx context.Context, id string) (Delivered, error) {
	s, err := h.find(ctx, id)
	if err != nil {
		return Delivered{}, err
	}
	now := h.desk.Now()
	m := store.Message{Hook: s.ID, Kind: trial, Body: store.JSON(map[string]string{"hook": s.ID}), Made: now, Tries: 1}
	taken, answer := h.send.send(ctx, s, m, "trial-"+desk.NewID(), now)
	if m.Answer = answer; taken {
		m.Ended = &now
	}
	d := delivered(m)
	d.Due = nil
	return d, nil
}

// look has what is to be told looked at.
func (h *Hooks) look() {
	select {
	case h.wake <- struct{}{}:
	default:
	}
}

// listen looks at what happens: something may be to be told, and a plan that waits for a hand is.
func (h *Hooks) listen(ctx context.Context, events <-chan desk.Event) {
	asked := map[string]string{} // by plan, what it asked for last
	for {
		select {
		case <-ctx.Done():
			return
		case e, ok := <-events:
			if !ok {
				return
			}
			if p, ok := e.Data.(record.Progress); ok && e.Name == "progress" {
				if h.asks(ctx, asked, p) {
					h.look()
				}
				continue
			}
			h.look()
		}
	}
}

// asks writes that a plan waits for a hand, once for each time that it does.
func (h *Hooks) asks(ctx context.Context, asked map[string]string, p record.Progress) bool {
	if p.Ask == nil || !p.Ask.Now {
		delete(asked, p.Plan)
		return false
	}
	if asked[p.Plan] == p.Ask.ID {
		return false
	}
	asked[p.Plan] = p.Ask.ID
	body := store.JSON(map[string]string{"plan": p.Plan, "ask": p.Ask.ID, "text": p.Ask.Text})
	err := h.desk.Write(ctx, func(q *desk.Tx) error { return q.Tell(ctx, planAsks, body, h.desk.Now()) })
	if err != nil {
		slog.Error("it could not be written that a plan waits for a hand", "plan", p.Plan, "error", err)
	}
	return err == nil
}

// tell tells every program the first message that it has not had, over and over, until nothing is due.
func (h *Hooks) tell(ctx context.Context) {
	for {
		next := time.Minute
		for ctx.Err() == nil {
			wait, told, err := h.round(ctx)
			if err != nil && ctx.Err() == nil {
				slog.Error("other programs could not be told; tried again", "error", err)
			}
			if next = wait; err != nil || !told {
				break
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-h.wake:
		case <-time.After(next):
		}
	}
}

// round tells each program one message at most. It returns how long nothing is due.
func (h *Hooks) round(ctx context.Context) (wait time.Duration, told bool, err error) {
	wait = time.Minute
	list, err := h.desk.Store.NextMessages(ctx)
	if err != nil || len(list) == 0 {
		return wait, false, err
	}
	all, err := h.desk.Store.Hooks(ctx)
	if err != nil {
		return wait, false, err
	}
	var sending sync.WaitGroup
	var mu sync.Mutex
	for _, m := range list {
		if left := m.Due.Sub(h.desk.Now()); left > 0 {
			wait = min(wait, left)
			continue
		}
		i := slices.IndexFunc(all, func(s store.Hook) bool { return s.ID == m.Hook })
		if i < 0 {
			continue
		}
		told = true
		sending.Go(func() {
			if failed := h.tellOne(ctx, all[i], m); failed != nil {
				mu.Lock()
				defer mu.Unlock()
				err = failed
			}
		})
	}
	sending.Wait()
	return wait, told, err
}

func (h *Hooks) tellOne(ctx context.Context, s store.Hook, m store.Message) error {
	now := h.desk.Now()
	taken, answer := h.send.send(ctx, s, m, messageID(s, m), now)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	m.Tries++
	m.Answer = answer
	gone := answer == goneAnswer
	switch {
	case taken, gone:
		m.Ended = &now
	case m.Tries > len(waits):
		m.Ended, m.Answer = &now, givenUp+answer
	default:
		m.Due = now.Add(waits[m.Tries-1])
	}
	return h.desk.Write(ctx, func(q *desk.Tx) error {
		if gone { // the program itself says that it is not to be told any more
			if err := q.EndHook(ctx, s.ID, "it answered that it is gone (410)"); err != nil {
				return err
			}
		}
		if err := q.MessageAt(ctx, m); err != nil {
			return err
		}
		return q.TrimMessages(ctx, s.ID, remembered)
	})
}

func newSecret() string {
	b := make([]byte, 32)
	rand.Read(b)
	return "whsec_" + base64.StdEncoding.EncodeToString(b)
}

func signature(secret, id string, at time.Time, body []byte) (string, error) {
	w, err := standard.NewWebhook(secret)
	if err != nil {
		return "", err
	}
	return w.Sign(id, at, body)
}
