package machine

import (
	"context"
	"math"
	"sync"
	"time"

	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/instrument"
)

// meters are lab instruments that stand beside the machine and are read while its sensors are. Each is read at its own
// rate; of what it showed since the last look the mean counts, and what it showed last for as long as it may be between
// two of its readings.
type meters struct {
	mu    sync.Mutex
	shown map[string]*shown
	stop  context.CancelFunc
	ended sync.WaitGroup
}

// shown is what a channel showed.
type shown struct {
	sum   float64
	count int
	last  float64
	at    time.Time
	hold  time.Duration
}

// Unkept lists the channels of instruments that a run does not have, by their name and in their unit.
func Unkept(ds []instrument.Definition) (out []string) {
	for _, d := range ds {
		for _, r := range d.Read {
			c, known := record.ChannelOf(r.Channel)
			if _, err := quantity.Convert(1, r.Unit, c.Unit); !known || err != nil {
				out = append(out, r.Channel)
			}
		}
	}
	return out
}

// readMeters begins to read instruments; one that is away is tried again until it is ended.
func readMeters(ds []instrument.Definition) *meters {
	ctx, stop := context.WithCancel(context.Background())
	m := &meters{shown: map[string]*shown{}, stop: stop}
	for _, d := range ds {
		m.ended.Go(func() {
			for ctx.Err() == nil {
				instrument.Record(ctx, d, 24*time.Hour, func(x instrument.Sample) error { m.take(d, x); return nil })
				select {
				case <-ctx.Done():
				case <-time.After(time.Second):
				}
			}
		})
	}
	return m
}

func (m *meters) take(d instrument.Definition, x instrument.Sample) {
	m.mu.Lock()
	defer m.mu.Unlock()
	hold := 2 * time.Second
	if d.Rate > 0 {
		hold = max(hold, time.Duration(2*float64(time.Second)/d.Rate))
	}
	for i, r := range d.Read {
		c, known := record.ChannelOf(r.Channel)
		v, err := quantity.Convert(x.Values[i], r.Unit, c.Unit)
		if !known || err != nil || math.IsNaN(v) {
			continue
		}
		s := m.shown[r.Channel]
		if s == nil {
			s = &shown{}
			m.shown[r.Channel] = s
		}
		s.sum, s.count, s.last, s.at, s.hold = s.sum+v, s.count+1, v, x.At, hold
	}
}

// into puts what they showed since the last look beside what the sensors said.
func (m *meters) into(values map[string]float64, now time.Time) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for channel, s := range m.shown {
		switch {
		case s.count > 0:
			values[channel] = s.sum / float64(s.count)
		case now.Sub(s.at) <= s.hold:
			values[channel] = s.last
		}
		s.sum, s.count = 0, 0
	}
}

func (m *meters) close() {
	m.stop()
	m.ended.Wait()
}
