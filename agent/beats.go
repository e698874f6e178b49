package agent

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
)

// beat is a line of the file of heartbeats: how far a load was that runs until a battery is empty or full. The machine
// may be off before the run can be closed; then it is made of these.
type beat struct {
	Run      string             `json:"run"`
	At       float64            `json:"at"` // seconds from the load's first one
	When     time.Time          `json:"when"`
	Values   map[string]float64 `json:"values"`
	Observed map[string]string  `json:"observed,omitempty"` // in a run's first line
	Sitting  string             `json:"sitting,omitempty"`  // there, too: a machine that went off comes back in another
}

func (w *worker) beatsFile() string { return filepath.Join(w.Dir, "beats.jsonl") }

// keepBeat writes a heartbeat down, flushed. A line that cannot be written is lost, and the load goes on: the next one
// says as much.
func (w *worker) keepBeat(m *making, s record.Sample) {
	if !m.beaten.IsZero() && time.Since(m.beat) < w.Report/2 { // a machine in compressed time has many in a moment
		return
	}
	m.beat = time.Now()
	b := beat{Run: m.run.ID, When: w.Machine.Now(), Values: s.Beat}
	flags := os.O_CREATE | os.O_WRONLY | os.O_APPEND
	if m.beaten.IsZero() {
		m.beaten, flags = b.When, os.O_CREATE|os.O_WRONLY|os.O_TRUNC
		b.Observed = maps.Clone(m.before)
		maps.Copy(b.Observed, s.Observed)
		b.Sitting = m.run.Sitting
	}
	b.At = b.When.Sub(m.beaten).Seconds()
	line, err := json.Marshal(b)
	if err == nil {
		var f *os.File
		if f, err = os.OpenFile(w.beatsFile(), flags, 0o600); err == nil {
			if _, err = f.Write(append(line, '\n')); err == nil {
				err = f.Sync()
			}
			f.Close()
		}
	}
	if err != nil {
		slog.Warn("a heartbeat could not be kept", "run", m.run.ID, "error", err)
	}
}

// beatsOf reads the heartbeats of a run, as far as their lines are whole.
func (w *worker) beatsOf(run string) (out []beat) {
	f, err := os.Open(w.beatsFile())
	if err != nil {
		return nil
	}
	defer f.Close()
	for lines := bufio.NewScanner(f); lines.Scan(); {
		var b beat
		if json.Unmarshal(lines.Bytes(), &b) != nil {
			break
		}
		if b.Run == run {
			out = append(out, b)
		}
	}
	return out
}

// wentOffBelow is the charge in per cent at or below which a machine that was started anew had switched itself off:
// systems do so with some of it left.
const wentOffBelow = 10

// revive makes the run of a lasting load that was broken off of its heartbeats; false where there are too few.
func (w *worker) revive(ctx context.Context, e entry) (bool, error) {
	beats := w.beatsOf(e.Run)
	step := w.joined.Plan.Steps[e.Step]
	if !w.test(step.Test).Lasting() || len(beats) < 2 {
		return false, nil
	}
	r := w.newRun(method.Job{Step: e.Step, Repeat: e.Repeat, Test: step.Test}, e.At)
	last := beats[len(beats)-1]
	r.ID, r.Ended, r.Observed, r.Sitting = e.Run, last.When, beats[0].Observed, beats[0].Sitting
	end := analyse.Ended
	if charge, known := last.Values[analyse.Charge]; e.Boot != w.machine.Boot && (!known || charge <= wentOffBelow) {
		end = analyse.WentOff
	}
	r.Negotiated = map[string]string{analyse.HowEnded: end}
	for _, channel := range slices.Sorted(maps.Keys(beats[0].Values)) {
		s := record.Series{Channel: channel, Unit: "1"}
		if channel == analyse.Charge {
			s.Unit = "%"
		}
		for _, b := range beats {
			if v, ok := b.Values[channel]; ok {
				s.Times, s.Values = append(s.Times, b.At), append(s.Values, v)
			}
		}
		r.Series = append(r.Series, s)
	}
	r.Close(nil)
	w.Log("%s, repeat %d: made of its %d heartbeats, the last at %s; the machine %s.", r.Test, r.Repeat+1, len(beats),
		last.When.UTC().Format("15:04:05"), map[string]string{analyse.WentOff: "had switched itself off",
			analyse.Ended: fmt.Sprintf("was at %.0f %%", last.Values[analyse.Charge])}[end])
	return true, w.finish(ctx, r)
}

// revived ends a run that people stopped or that broke off. What a lasting load told until then is a run of its own:
// nobody waits for a battery twice. Where there is none, it is left to otherwise.
func (w *worker) revived(ctx context.Context, m *making, j method.Job, otherwise func(entry) error) error {
	e := entry{Event: "left", At: m.run.Started, Step: j.Step, Repeat: j.Repeat, Run: m.run.ID, Boot: w.machine.Boot}
	if made, err := w.revive(ctx, e); made || err != nil {
		return errors.Join(errAgain, err)
	}
	return otherwise(e)
}
