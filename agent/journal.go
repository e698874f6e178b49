package agent

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"

	"github.com/google/uuid"

	"durvek/core/record"
	"durvek/internal/durable"
)

// journal is a file of what was begun and ended, a line each, flushed before the work goes on.
type journal struct {
	file *os.File
}

// entry is a line of the journal.
type entry struct {
	At     time.Time `json:"at"`
	Event  string    `json:"event"` // begin, end, broken, left
	Step   int       `json:"step"`
	Repeat int       `json:"repeat"`
	Run    string    `json:"run"`
	Boot   string    `json:"boot,omitempty"`
}

// openJournal opens a journal and reads what it holds. A last line that was being written when everything
// ended counts as not written, and is cut off.
func openJournal(path string) (journal, []entry, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return journal{}, nil, err
	}
	data, err := os.ReadFile(path)
	var out []entry
	whole := 0
	for rest := data; err == nil; {
		line, more, ok := bytes.Cut(rest, []byte("\n"))
		var e entry
		if !ok || json.Unmarshal(line, &e) != nil {
			break
		}
		out = append(out, e)
		whole += len(line) + 1
		rest = more
	}
	if err == nil {
		err = f.Truncate(int64(whole))
	}
	if err == nil {
		_, err = f.Seek(int64(whole), 0)
	}
	if err != nil {
		f.Close()
		return journal{}, nil, err
	}
	return journal{f}, out, nil
}

func (j journal) write(e entry) error {
	e.At = time.Now().UTC()
	b, err := json.Marshal(e)
	if err != nil {
		return err
	}
	at, err := j.file.Seek(0, 1)
	if err != nil {
		return err
	}
	if _, err = j.file.Write(append(b, '\n')); err == nil {
		err = j.file.Sync()
	}
	if err != nil { // half a line must not stand before the next one
		j.file.Truncate(at)
		j.file.Seek(at, 0)
	}
	return err
}

func (j journal) close() { j.file.Close() }

// lastWords is what the sensors said last, kept beside the journal while a run goes on.
type lastWords struct {
	Run  string             `json:"run"`
	At   time.Time          `json:"at"`
	Last map[string]float64 `json:"last"`
}

// recover opens the journal and makes an incident of a run that was begun and not ended.
func (w *worker) recover(ctx context.Context) error {
	for _, dir := range []string{w.Dir, w.outbox} { // what was being written when everything ended
		halves, _ := filepath.Glob(filepath.Join(dir, ".part-*"))
		for _, h := range halves {
			os.Remove(h)
		}
	}
	j, entries, err := openJournal(filepath.Join(w.Dir, "journal.jsonl"))
	if err != nil {
		return fmt.Errorf("open the journal: %w", err)
	}
	w.journal = j
	crashes := map[int]int{}
	var open *entry
	for i, e := range entries {
		switch e.Event {
		case "begin":
			open = &entries[i]
		case "end", "left":
			open = nil
		case "broken":
			open = nil
			crashes[e.Step]++
		}
	}
	if open != nil {
		for _, r := range w.kept() {
			if r.ID == open.Run { // it was kept; only the journal's line is missing
				open = nil
				break
			}
		}
	}
	w.crashes = crashes
	if open != nil && open.Step < len(w.joined.Plan.Steps) {
		if revived, err := w.revive(ctx, *open); revived || err != nil {
			return err
		}
		crashes[open.Step]++
		at, last := open.At, map[string]float64(nil)
		var words lastWords
		if b, err := os.ReadFile(filepath.Join(w.Dir, "last.json")); err == nil && json.Unmarshal(b, &words) == nil &&
			words.Run == open.Run {
			at, last = words.At, words.Last
		}
		kind, what := record.Interruption, "the agent was ended" // the machine went on: that is no crash of its own
		if open.Boot != w.machine.Boot {
			kind, what = record.Crash, "the machine was started anew"
		}
		name := w.test(w.joined.Plan.Steps[open.Step].Test).Name
		text := fmt.Sprintf("%s while %s, repeat %d, went on; begun %s, last sign %s.", strings.ToUpper(what[:1])+what[1:],
			name, open.Repeat+1,
			open.At.UTC().Format("15:04:05"), at.UTC().Format("15:04:05"))
		if err := w.incident(ctx, kind, text, open.Step, open.Run, at, last); err != nil {
			return err
		}
		if err := w.onDisk(ctx, func() error {
			return w.journal.write(entry{Event: "broken", Step: open.Step, Repeat: open.Repeat, Run: open.Run})
		}); err != nil {
			return err
		}
		w.Log("%s It goes on where it was.", text)
	}
	return nil
}

// incident keeps an incident on disk until it is delivered.
func (w *worker) incident(ctx context.Context, kind record.IncidentKind, text string, step int, run string,
	at time.Time, last map[string]float64) error {
	w.result.Incidents++
	x := record.Incident{ID: uuid.Must(uuid.NewV7()).String(), Plan: w.joined.Plan.ID, Run: run, Step: &step, At: at,
		Kind: kind, Text: text,
		By: w.machine.Name, Last: last, Times: 1}
	return w.keep(ctx, x.ID+".incident", x)
}

// keep puts something into the outbox, flushed, under a name that sorts by its id.
func (w *worker) keep(ctx context.Context, name string, v any) error {
	if err := w.onDisk(ctx, func() error { return writeWhole(filepath.Join(w.outbox, name), v) }); err != nil {
		return err
	}
	select {
	case w.wake <- struct{}{}:
	default:
	}
	return nil
}

// onDisk writes until there is room: results are held in memory meanwhile, never given up.
func (w *worker) onDisk(ctx context.Context, write func() error) error {
	told := false
	for {
		err := write()
		if err == nil {
			if told {
				w.show(func(p *record.Progress) { p.State, p.Phase = record.Working, "goes on" })
				w.Log("There is room again.")
			}
			return nil
		}
		if !told {
			w.Log("Nothing can be written to %s; make room, and it goes on. (%v)", w.Dir, err)
			w.show(func(p *record.Progress) { p.State, p.Phase = record.NoRoom, "no room to keep results" })
			told = true
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("stopped while a result could not be kept in %s: %w", w.Dir, err)
		case <-time.After(w.Retry):
		}
	}
}

// writeWhole writes a value as JSON so that it is there whole or not at all.
func writeWhole(path string, v any) error {
	b, err := json.Marshal(v)
	if err != nil {
		return err
	}
	return durable.Write(path, b, 0o600)
}

// kept lists this plan's runs on disk, the oldest first.
func (w *worker) kept() []record.Run {
	var out []record.Run
	for _, name := range w.waiting(".json") {
		b, err := os.ReadFile(filepath.Join(w.outbox, name))
		var r record.Run
		if err == nil && json.Unmarshal(b, &r) == nil && r.Plan == w.joined.Plan.ID {
			out = append(out, r)
		}
	}
	return out
}

// waiting lists the outbox's files of an ending in order.
func (w *worker) waiting(ending string) []string {
	entries, _ := os.ReadDir(w.outbox)
	var out []string
	for _, e := range entries {
		if strings.HasSuffix(e.Name(), ending) && !strings.HasPrefix(e.Name(), ".") {
			out = append(out, e.Name())
		}
	}
	sort.Strings(out)
	return out
}

// deliver sends what is in the outbox until it is empty and no more will come.
func (w *worker) deliver(ctx context.Context, finished <-chan struct{}) error {
	for {
		last := false
		select {
		case <-finished:
			last = true
		case <-w.wake:
		case <-ctx.Done():
			return ctx.Err()
		}
		for _, name := range w.waiting(".incident") {
			var x record.Incident
			b, err := os.ReadFile(filepath.Join(w.outbox, name))
			if err != nil || json.Unmarshal(b, &x) != nil || x.Plan != w.joined.Plan.ID {
				continue
			}
			if err := w.hand(ctx, name, "an incident", func() error {
				return w.Service.SendIncident(ctx, w.joined.Token,
					x)
			}); err != nil {
				return err
			}
		}
		for _, r := range w.kept() {
			what := fmt.Sprintf("%s, repeat %d", r.Test, r.Repeat+1)
			if err := w.hand(ctx, r.ID+".json", what, func() error {
				return w.Service.SendRun(ctx, w.joined.Token,
					r)
			}); err != nil {
				return err
			}
		}
		if last {
			return nil
		}
	}
}

// hand sends one thing and removes it once it is acknowledged; what is refused for good stays, under another name.
func (w *worker) hand(ctx context.Context, name, what string, send func() error) error {
	path := filepath.Join(w.outbox, name)
	err := w.patiently(ctx, away, send)
	switch {
	case errors.Is(err, ErrRefused):
		w.refused = append(w.refused, fmt.Sprintf("%s: %v", what, err))
		w.Log("The service refused %s, which stays in %s: %v", what, path, err)
		os.Rename(path, path+".refused")
	case err != nil:
		return err
	default:
		os.Remove(path)
	}
	return nil
}

// away is said once when the service goes away while results are there.
const away = "The service cannot be reached; results are kept and sent when it is back."

// patiently tries until it works, the service refuses for good, or ctx ends: then the last error comes back. said is
// said once, with the first error.
func (w *worker) patiently(ctx context.Context, said string, try func() error) error {
	pause := w.Retry
	told := false
	for {
		err := try()
		if err == nil || errors.Is(err, ErrRefused) {
			if told && err == nil {
				w.Log("The service is back.")
			}
			return err
		}
		if !told {
			w.Log("%s (%v)", said, err)
			told = true
		}
		select {
		case <-ctx.Done():
			if context.Cause(ctx) == errWaited {
				return err
			}
			return fmt.Errorf("stopped with undelivered runs in %s: %w", w.outbox, ctx.Err())
		case <-time.After(pause):
		}
		pause = min(2*pause, 30*time.Second)
	}
}
