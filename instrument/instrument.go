// Package instrument speaks with lab instruments: SCPI with the common commands of IEEE 488.2 over a TCP socket, a line
// ended by LF each. What an instrument is told and asked stands in its description, so that a desk adds its own
// without code. It distrusts what answers: lines, times and numbers have bounds. It knows nothing of the service.
package instrument

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math"
	"net"
	"slices"
	"strconv"
	"strings"
	"time"

	"durvek/core/quantity"
)

// Format marks a file that describes an instrument.
const Format = "durvek-instrument/1"

// Definition describes an instrument: where it is, what sets it up, and what is read of it.
type Definition struct {
	Format   string    `json:"format"`
	Slug     string    `json:"slug"`
	Name     string    `json:"name"`
	Address  string    `json:"address"`            // host:port
	Identity string    `json:"identity,omitempty"` // a part of its answer to *IDN?; another instrument is refused
	Setup    []string  `json:"setup,omitempty"`    // commands that set it up
	Read     []Reading `json:"read"`
	Rate     float64   `json:"rate,omitempty"`    // readings a second; 1 where left out
	Timeout  float64   `json:"timeout,omitempty"` // seconds that an answer may take; 2 where left out
}

// Reading is one quantity that an instrument is asked for.
type Reading struct {
	Channel string   `json:"channel"`
	Unit    string   `json:"unit"` // UCUM
	Query   string   `json:"query"`
	Field   int      `json:"field,omitempty"` // of an answer with commas, from 0
	Scale   float64  `json:"scale,omitempty"` // what the answer is multiplied with; 1 where left out
	Least   *float64 `json:"least,omitempty"` // a value outside is none
	Most    *float64 `json:"most,omitempty"`
}

// Bounds of what is done and believed.
const (
	mostLine = 4096
	mostRate = 200.0
	overload = 9e37 // IEEE 488.2: from 9.9E37 on a number means that there is none
)

// Check says everything that is wrong with a description beyond its schema.
func (d Definition) Check() []string {
	var out []string
	if _, port, err := net.SplitHostPort(d.Address); err != nil || port == "" {
		out = append(out, fmt.Sprintf("address: %q is no host:port", d.Address))
	}
	if d.Rate < 0 || d.Rate > mostRate {
		out = append(out, fmt.Sprintf("rate: at most %g readings a second, not %g", mostRate, d.Rate))
	}
	if d.Timeout < 0 || d.Timeout > 60 {
		out = append(out, fmt.Sprintf("timeout: at most 60 s, not %g", d.Timeout))
	}
	if len(d.Read) == 0 {
		out = append(out, "read: nothing is read of it")
	}
	seen := map[string]bool{}
	for i, r := range d.Read {
		if _, err := quantity.LookUp(r.Unit); err != nil {
			out = append(out, fmt.Sprintf("read %d: %v", i+1, err))
		}
		if seen[r.Channel] || r.Channel == "" {
			out = append(out, fmt.Sprintf("read %d: channel %q has no name or stands twice", i+1, r.Channel))
		}
		seen[r.Channel] = true
		if !strings.Contains(r.Query, "?") {
			out = append(out, fmt.Sprintf("read %d: %q asks nothing; a query holds a question mark", i+1, r.Query))
		}
		if r.Field < 0 {
			out = append(out, fmt.Sprintf("read %d: field %d", i+1, r.Field))
		}
	}
	for _, line := range append(slices.Clone(d.Setup), queries(d.Read)...) {
		if strings.ContainsAny(line, "\r\n") || len(line) > mostLine {
			out = append(out, fmt.Sprintf("%.40q is no single line", line))
		}
	}
	return out
}

func queries(rs []Reading) []string {
	var out []string
	for _, r := range rs {
		out = append(out, r.Query)
	}
	return out
}

// ErrInstrument marks what an instrument did wrong.
var ErrInstrument = errors.New("instrument")

func wrong(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrInstrument}, args...)...)
}

// Session is an open line to an instrument. One goroutine uses it.
type Session struct {
	def  Definition
	conn net.Conn
	r    *bufio.Reader
	ID   string // its answer to *IDN?
}

// Open opens a line, asks who answers and sets the instrument up.
func Open(ctx context.Context, d Definition) (*Session, error) {
	s := &Session{def: d}
	dialer := net.Dialer{Timeout: s.patience()}
	conn, err := dialer.DialContext(ctx, "tcp", d.Address)
	if err != nil {
		return nil, wrong("%s does not answer at %s: %v", d.Name, d.Address, err)
	}
	s.conn, s.r = conn, bufio.NewReaderSize(conn, mostLine)
	if err := s.begin(); err != nil {
		conn.Close()
		return nil, err
	}
	return s, nil
}

func (s *Session) patience() time.Duration {
	if s.def.Timeout > 0 {
		return time.Duration(s.def.Timeout * float64(time.Second))
	}
	return 2 * time.Second
}

func (s *Session) begin() (err error) {
	if s.ID, err = s.Ask("*IDN?"); err != nil {
		return err
	}
	if s.def.Identity != "" && !strings.Contains(s.ID, s.def.Identity) {
		return wrong("at %s answers %.80q, not %s", s.def.Address, s.ID, s.def.Identity)
	}
	if err := s.tell("*CLS"); err != nil {
		return err
	}
	for _, c := range s.def.Setup {
		if err := s.tell(c); err != nil {
			return err
		}
	}
	if len(s.def.Setup) == 0 {
		return nil
	}
	said, err := s.Ask("SYST:ERR?")
	if err != nil {
		return err
	}
	if code, _, _ := strings.Cut(said, ","); strings.TrimLeft(strings.TrimSpace(code), "+-0") != "" {
		return wrong("%s refuses its set-up: %.120s", s.def.Name, said)
	}
	return nil
}

// Close ends the line.
func (s *Session) Close() error { return s.conn.Close() }

func (s *Session) tell(line string) error {
	s.conn.SetDeadline(time.Now().Add(s.patience()))
	if _, err := s.conn.Write([]byte(line + "\n")); err != nil {
		return wrong("%s takes no command: %v", s.def.Name, err)
	}
	return nil
}

// Ask sends a query and gives the line that answers it. After an error the line is of no use: an answer that comes late
// would be taken for that of the next query.
func (s *Session) Ask(query string) (string, error) {
	if err := s.tell(query); err != nil {
		return "", err
	}
	line, err := s.r.ReadSlice('\n')
	switch {
	case errors.Is(err, bufio.ErrBufferFull):
		return "", wrong("%s answers %s with more than %d characters", s.def.Name, query, mostLine)
	case err != nil:
		return "", wrong("%s does not answer %s: %v", s.def.Name, query, err)
	}
	return strings.TrimSpace(string(line)), nil
}

// Sample is what an instrument showed at a moment; NaN where it showed nothing that can be.
type Sample struct {
	At     time.Time // between the question and the answer
	Values []float64 // in the order of the definition
}

// Take asks for everything once. A query that several readings share is asked once.
func (s *Session) Take() (Sample, error) {
	out := Sample{Values: make([]float64, len(s.def.Read))}
	answers := map[string]string{}
	begin := time.Now()
	for i, r := range s.def.Read {
		said, asked := answers[r.Query]
		if !asked {
			var err error
			if said, err = s.Ask(r.Query); err != nil {
				return out, err
			}
			answers[r.Query] = said
		}
		out.Values[i] = r.value(said)
	}
	out.At = begin.Add(time.Since(begin) / 2)
	return out, nil
}

// value reads an answer; NaN where it is no number, an overload, or outside what can be.
func (r Reading) value(said string) float64 {
	fields := strings.Split(said, ",")
	if r.Field >= len(fields) {
		return math.NaN()
	}
	v, err := strconv.ParseFloat(strings.TrimSpace(fields[r.Field]), 64)
	if err != nil || math.IsNaN(v) || math.Abs(v) >= overload {
		return math.NaN()
	}
	if r.Scale != 0 {
		v *= r.Scale
	}
	if !quantity.Sound(v) || r.Least != nil && v < *r.Least || r.Most != nil && v > *r.Most {
		return math.NaN()
	}
	return v
}

// Recorded tells how a recording went.
type Recorded struct {
	Samples int
	Missed  int // times at which nothing could be read
	Lost    int // how often the line was lost and opened anew
	Empty   int // values that were none
}

// Record reads an instrument at its rate for a time, and hands every sample on. A line that is lost is opened anew;
// an instrument that is away for longer than a minute ends the recording with an error.
func Record(ctx context.Context, d Definition, length time.Duration, each func(Sample) error) (r Recorded, err error) {
	rate := d.Rate
	if rate == 0 {
		rate = 1
	}
	step := time.Duration(float64(time.Second) / rate)
	var s *Session
	defer func() {
		if s != nil {
			s.Close()
		}
	}()
	if s, err = Open(ctx, d); err != nil {
		return r, err
	}
	begin := time.Now()
	last := begin
	for k := 0; ; k++ {
		due := begin.Add(time.Duration(k) * step)
		if due.Sub(begin) >= length {
			return r, nil
		}
		if wait := time.Until(due); wait > 0 {
			select {
			case <-ctx.Done():
				return r, ctx.Err()
			case <-time.After(wait):
			}
		} else if -wait > step { // what is past cannot be read any more
			r.Missed++
			continue
		}
		if s == nil {
			if s, err = Open(ctx, d); err != nil {
				r.Missed++
				if ctx.Err() != nil {
					return r, ctx.Err()
				}
				if time.Since(last) > time.Minute {
					return r, err
				}
				s = nil
				continue
			}
			r.Lost++
		}
		x, err := s.Take()
		if err != nil {
			s.Close()
			s = nil
			r.Missed++
			if ctx.Err() != nil {
				return r, ctx.Err()
			}
			continue
		}
		last = time.Now()
		r.Samples++
		for _, v := range x.Values {
			if math.IsNaN(v) {
				r.Empty++
			}
		}
		if err := each(x); err != nil {
			return r, err
		}
	}
}
