package instrument

import (
	"bufio"
	"fmt"
	"math"
	"math/rand/v2"
	"net"
	"sort"
	"strings"
	"sync"
	"time"
)

// Kind is a simulated instrument: what it calls itself, and what it answers to which query some seconds after a load
// began to come and go.
type Kind struct {
	Identity string
	Answers  map[string]func(at float64, r *rand.Rand) string
}

// load is how hard the machine beside the instrument works: idle, then a minute of idle and four of work in turn. The
// work draws more at first, as a machine does until it is warm.
func load(at float64) (share, since float64) {
	turn := math.Mod(at, 300)
	if turn < 60 {
		return 0, turn
	}
	return 0.75 + 0.25*math.Exp(-(turn-60)/30), turn - 60
}

func watts(at float64) float64 {
	share, _ := load(at)
	return 7.5 + 41*share
}

// warmth is the machine's temperature, of first order with 70 s.
func warmth(at float64) float64 {
	share, since := load(at)
	if share == 0 {
		return 34 + 44*math.Exp(-since/70)*math.Min(1, at/60)
	}
	return 78 - 44*math.Exp(-since/70)
}

func stepped(v, step float64) float64 { return math.Round(v/step) * step }

// Kinds are the simulated instruments by name.
var Kinds = map[string]Kind{
	"power-analyser": {"DURVEK SIM,POWER ANALYSER,0,1.0", map[string]func(float64, *rand.Rand) string{
		"MEAS:POW?": func(at float64, r *rand.Rand) string {
			return fmt.Sprintf("%.3E", stepped(watts(at)*(1+0.002*r.NormFloat64()), 0.001))
		},
		"MEAS:ALL?": func(at float64, r *rand.Rand) string {
			v := 230 + 0.3*r.NormFloat64()
			w := watts(at) * (1 + 0.002*r.NormFloat64())
			return fmt.Sprintf("%.2f,%.4f,%.3f", v, w/v/0.94, w)
		}}},
	"multimeter": {"DURVEK SIM,MULTIMETER,0,1.0", map[string]func(float64, *rand.Rand) string{
		"MEAS:TEMP?": func(at float64, r *rand.Rand) string {
			return fmt.Sprintf("%+.2E", stepped(warmth(at)+0.1*r.NormFloat64(), 0.1))
		}}},
	"sound-level-meter": {"DURVEK SIM,SOUND LEVEL METER,0,1.0", map[string]func(float64, *rand.Rand) string{
		"MEAS:LAF?": func(at float64, r *rand.Rand) string {
			fan := math.Max(0, warmth(at)-55) * 0.9
			level := 10 * math.Log10(math.Pow(10, 1.9)+math.Pow(10, (18+fan)/10))
			return fmt.Sprintf("%.1f", level+0.3*r.NormFloat64())
		}}},
	"photometer": {"DURVEK SIM,PHOTOMETER,0,1.0", map[string]func(float64, *rand.Rand) string{
		"MEAS:LUM?": func(at float64, r *rand.Rand) string {
			return fmt.Sprintf("%.2f", stepped(412*(1-0.02*math.Exp(-at/400))*(1+0.001*r.NormFloat64()), 0.01))
		}}},
}

// Faults are what a simulated instrument does wrong, each as a share of its answers.
type Faults struct{ Late, Nonsense, Silent, Hangup float64 }

// Simulated is an instrument that serves on a listener until it is closed.
type Simulated struct {
	kind   Kind
	faults Faults
	seed   uint64
	began  time.Time
	l      net.Listener
	mu     sync.Mutex
	open   map[net.Conn]bool
	wg     sync.WaitGroup
}

// Names lists the simulated instruments.
func Names() []string {
	out := make([]string, 0, len(Kinds))
	for n := range Kinds {
		out = append(out, n)
	}
	sort.Strings(out)
	return out
}

// Simulate serves a simulated instrument.
func Simulate(l net.Listener, kind Kind, f Faults, seed uint64) *Simulated {
	s := &Simulated{kind: kind, faults: f, seed: seed, began: time.Now(), l: l, open: map[net.Conn]bool{}}
	s.wg.Add(1)
	go func() {
		defer s.wg.Done()
		for n := uint64(0); ; n++ {
			c, err := l.Accept()
			if err != nil {
				return
			}
			s.mu.Lock()
			s.open[c] = true
			s.mu.Unlock()
			s.wg.Add(1)
			go s.serve(c, rand.New(rand.NewPCG(s.seed, n)))
		}
	}()
	return s
}

// Close ends it.
func (s *Simulated) Close() {
	s.l.Close()
	s.mu.Lock()
	for c := range s.open {
		c.Close()
	}
	s.mu.Unlock()
	s.wg.Wait()
}

func (s *Simulated) serve(c net.Conn, r *rand.Rand) {
	defer s.wg.Done()
	defer func() {
		s.mu.Lock()
		delete(s.open, c)
		s.mu.Unlock()
		c.Close()
	}()
	var errs []string
	in := bufio.NewScanner(c)
	for in.Scan() {
		line := strings.ToUpper(strings.TrimSpace(in.Text()))
		answer, known := "", true
		switch f := s.kind.Answers[line]; {
		case line == "*IDN?":
			answer = s.kind.Identity
		case line == "*CLS" || line == "*RST":
			errs = nil
		case line == "SYST:ERR?":
			if answer = `0,"No error"`; len(errs) > 0 {
				answer, errs = errs[0], errs[1:]
			}
		case f != nil:
			answer = f(time.Since(s.began).Seconds(), r)
			switch x := r.Float64(); {
			case x < s.faults.Late:
				time.Sleep(300 * time.Millisecond)
			case x < s.faults.Late+s.faults.Nonsense:
				answer = []string{"9.9E37", "-", "", "NAN", "####", strings.Repeat("7", 300)}[r.IntN(6)]
			case x < s.faults.Late+s.faults.Nonsense+s.faults.Silent:
				continue
			case x < s.faults.Late+s.faults.Nonsense+s.faults.Silent+s.faults.Hangup:
				return
			}
		case strings.HasPrefix(line, "CONF:") || strings.HasPrefix(line, "SENS:"):
		default:
			known = false
			errs = append(errs, `-113,"Undefined header"`)
		}
		if known && strings.HasSuffix(line, "?") {
			if _, err := fmt.Fprintf(c, "%s\n", answer); err != nil {
				return
			}
		}
	}
}
