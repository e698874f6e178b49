// Package record holds what was measured: runs with their readings, raw series and observed
// conditions. A run is written once; what is said of it later stands beside it.
package record

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
)

// State says what a reading is worth.
type State string

const (
	OK          State = "ok"
	AtCeiling   State = "at-ceiling"   // at least this value
	BeyondLimit State = "beyond-limit" // more than this value: the test was stopped
	AtFloor     State = "at-floor"     // at most this value
	Missing     State = "missing"
	Void        State = "void"
)

// Bound says which bound a state puts on the true value: "at least", "more than", "at most" or "".
func (s State) Bound() string {
	switch s {
	case AtCeiling:
		return "at least"
	case BeyondLimit:
		return "more than"
	case AtFloor:
		return "at most"
	}
	return ""
}

// Reading is one figure from one run. A range read by hand has Low and High and its middle in Value.
type Reading struct {
	Measure string   `json:"measure" doc:"Slug within the run's test"`
	State   State    `json:"state" enum:"ok,at-ceiling,beyond-limit,at-floor,missing,void"`
	Value   float64  `json:"value"`
	Low     *float64 `json:"low,omitempty"`
	High    *float64 `json:"high,omitempty"`
	Reason  string   `json:"reason,omitempty" doc:"Why it is missing or void"`
}

// HalfWidth is half of a range's width, 0 for a single value.
func (r Reading) HalfWidth() float64 {
	if r.Low == nil || r.High == nil {
		return 0
	}
	return (*r.High - *r.Low) / 2
}

// Settle gives a reading the state that its measure's ceiling and limit ask for.
func (r Reading) Settle(m method.Measure) Reading {
	if r.State == OK && m.Ceiling != nil && r.Value >= *m.Ceiling {
		r.State = AtCeiling
	}
	if r.State == OK && m.Limit != nil && r.Value >= *m.Limit {
		r.State = BeyondLimit
	}
	return r
}

// Check says what is wrong with a reading of a measure, or returns "".
func (r Reading) Check(m method.Measure) string {
	switch {
	case r.State == Missing:
		return ""
	case !quantity.Sound(r.Value) || r.Low != nil && !quantity.Sound(*r.Low) || r.High != nil && !quantity.Sound(*r.High):
		return fmt.Sprintf("%s is no number that can be worked with: it lies beyond %g", m.Name, float64(quantity.Largest))
	case m.Scale == "ratio" && r.Value <= 0:
		return fmt.Sprintf("%s must be above zero, got %g", m.Name, r.Value)
	case m.Scale == "ratio" && r.Value < quantity.Smallest:
		return fmt.Sprintf("%s is too small to be told from nothing, got %g", m.Name, r.Value)
	case (r.Low == nil) != (r.High == nil) || r.Low != nil && *r.Low > *r.High:
		return fmt.Sprintf("%s: a range needs a lower and a higher end", m.Name)
	case m.Scale == "ratio" && r.Low != nil && *r.Low <= 0:
		return fmt.Sprintf("%s: a range on this scale lies above zero", m.Name)
	case m.Ceiling != nil && r.Value > *m.Ceiling*(1+1e-9):
		return fmt.Sprintf("%s cannot be above its ceiling of %g, got %g", m.Name, *m.Ceiling, r.Value)
	}
	return ""
}

// Series is raw samples of one channel over a run: values with their times in seconds from the
// run's start, or, for a curve, with their places along another axis.
type Series struct {
	Channel string    `json:"channel"`
	Unit    string    `json:"unit"`
	Axis    string    `json:"axis,omitempty" doc:"What Times hold where it is not time: threads, working set, bytes written …"`
	Along   string    `json:"along,omitempty" doc:"UCUM code of the axis"`
	Times   []float64 `json:"times"`
	Values  []float64 `json:"values"`
}

// Run is one execution of one test on one subject under one setup, in one sitting.
type Run struct {
	ID          string            `json:"id" doc:"UUIDv7, made where the run was made"`
	Test        string            `json:"test"`
	TestVersion int               `json:"test_version"`
	Subject     string            `json:"subject" doc:"Unit that was measured"`
	Host        string            `json:"host,omitempty" doc:"Unit or rig it was measured in"`
	Place       string            `json:"place,omitempty"`
	Setup       string            `json:"setup"`
	Sitting     string            `json:"sitting"`
	Plan        string            `json:"plan,omitempty"`
	Step        int               `json:"step"`
	Repeat      int               `json:"repeat"`
	Started     time.Time         `json:"started"`
	Ended       time.Time         `json:"ended"`
	Outcome     Ending            `json:"outcome" enum:"done,failed,not-run,parked"`
	Failure     string            `json:"failure,omitempty"`
	Source      Source            `json:"source" enum:"agent,file,typed,table"`
	Simulated   bool              `json:"simulated,omitempty"`
	Options     map[string]string `json:"options,omitempty" doc:"Options of the test that were set"`
	By          string            `json:"by,omitempty" doc:"Who entered it, or which agent"`
	Observed    map[string]string `json:"observed,omitempty" doc:"Conditions that the machine itself told"`
	Negotiated  map[string]string `json:"negotiated,omitempty" doc:"Links, speeds and parts that the machine settled on"`
	Readings    []Reading         `json:"readings"`
	Series      []Series          `json:"series,omitempty"`
	Marks       []Mark            `json:"marks,omitempty" doc:"What set this run apart from its plan"`
	Course      Course            `json:"course"`
	Trace       []byte            `json:"trace,omitempty" doc:"What the sensors said, packed as docs/files.md describes"`
	Doubts      int               `json:"doubts,omitempty" doc:"Open doubts that concern it, as the service counts them"`
	Untold      []string          `json:"untold,omitempty" doc:"Conditions that must match and that nobody told, as the service finds them: until they are known its figures stand beside no others"`
}

// Mark is one way in which a run departed from its plan.
type Mark struct {
	Kind MarkKind `json:"kind" enum:"departure,ambient,too-short,clock-stepped,background,dropout,hidden,dimmed"`
	Text string   `json:"text"`
	At   float64  `json:"at,omitempty" doc:"Seconds from the run's start"`
}

// Course is how a run went.
type Course struct {
	Phases  []Phase  `json:"phases,omitempty" doc:"What the workload did, from when on"`
	Changes []Change `json:"changes,omitempty" doc:"Conditions that changed while it ran, or by its end"`
	Limiter Limiter  `json:"limiter,omitempty" doc:"What held it back"`
	Attempt int      `json:"attempt,omitempty" doc:"How often it had been begun before and broken off"`
}

// Phase is a part of a run.
type Phase struct {
	At   float64 `json:"at" doc:"Seconds from the run's start"`
	Name string  `json:"name"`
}

// Change is a condition that was observed otherwise than before.
type Change struct {
	At        float64 `json:"at" doc:"Seconds from the run's start"`
	Condition string  `json:"condition"`
	From      string  `json:"from,omitempty"`
	To        string  `json:"to,omitempty"`
}

// Limiter is what held a run back, with the evidence in words.
type Limiter struct {
	Label LimiterLabel `json:"label,omitempty" enum:"heat,power limit,processor,graphics,memory,drive,link,unknown"`
	Why   string       `json:"why,omitempty"`
}

// ErrCrashed marks a test whose own process ended without an answer. It is begun anew, as often as the
// plan bears.
var ErrCrashed = errors.New("crashed")

// ErrNotRun marks a test that cannot be run on a machine; it is known before the test begins.
var ErrNotRun = errors.New("not run")

// WrongAnswer is what the failure of a run says whose own check found its output wrong.
const WrongAnswer = "computed wrongly"

// Close makes a run's outcome from the error that its execution ended with: nil, a failure, or a
// reason not to run at all. Readings of a run that failed do not count and are dropped.
func (r *Run) Close(err error) {
	r.Outcome = Done
	if err != nil {
		r.Outcome, r.Failure, r.Readings = Failed, err.Error(), nil
		if errors.Is(err, ErrNotRun) {
			r.Outcome = NotRun
			r.Failure = strings.TrimPrefix(r.Failure, ErrNotRun.Error()+": ")
		}
	}
	if r.Readings == nil {
		r.Readings = []Reading{}
	}
}

// Sitting is one boot of one system on one unit.
type Sitting struct {
	ID      string    `json:"id"`
	Unit    string    `json:"unit"`
	Boot    string    `json:"boot"`
	Started time.Time `json:"started"`
	Machine Machine   `json:"machine"`
}

// Machine is what a machine says of itself.
type Machine struct {
	Name      string            `json:"name"`
	Boot      string            `json:"boot"`
	System    string            `json:"system"`
	Kernel    string            `json:"kernel,omitempty"`
	Processor string            `json:"processor,omitempty"`
	Cores     int               `json:"cores,omitempty"`
	Threads   int               `json:"threads,omitempty"`
	Memory    uint64            `json:"memory,omitempty" doc:"Bytes"`
	Facts     map[string]string `json:"facts,omitempty"`
	Simulated bool              `json:"simulated,omitempty"`
	Clock     *time.Time        `json:"clock,omitempty" doc:"What its clock said when it joined"`
	Untold    []string          `json:"untold,omitempty" doc:"Conditions, links and sensors that are not observable here"`
}

// Sheet is a spec sheet's entries as far as a machine tells them of itself.
func (m Machine) Sheet() map[string]any {
	out := map[string]any{}
	for key, text := range map[string]string{"cpu.name": m.Processor, "system.name": m.System,
		"display.resolution": m.Facts["screen.pixels"]} {
		if text = strings.TrimSpace(text); text != "" {
			out[key] = text
		}
	}
	for key, n := range map[string]int{"cpu.cores": m.Cores, "cpu.threads": m.Threads} {
		if n > 0 {
			out[key] = n
		}
	}
	if gib := (m.Memory + 1<<29) >> 30; gib > 0 {
		out["memory.size"] = fmt.Sprintf("%d GiB", gib)
	}
	return out
}
