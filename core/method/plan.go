package method

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// Plan is tests × setups × repeats for one unit.
type Plan struct {
	ID    string     `json:"id"`
	Unit  string     `json:"unit"`
	Host  string     `json:"host,omitempty" doc:"Unit or rig that the subject is measured in; empty when it is measured in itself"`
	Place string     `json:"place,omitempty" doc:"Port, slot, screen or surface"`
	Setup string     `json:"setup" doc:"Setup of every step that names none"`
	Name  string     `json:"name"`
	Steps []PlanStep `json:"steps"`
	Terms
	State   PlanState `json:"state" enum:"waiting,running,silent,done,stopped"`
	Created string    `json:"created,omitempty"`
	Agent   string    `json:"agent,omitempty" doc:"Machine that joined for this plan"`
}

// Terms say how a plan is worked through. The zero value is what most plans want.
type Terms struct {
	Order     string  `json:"order,omitempty" enum:"grouped,interleaved" doc:"grouped: all repeats of a test in a row; interleaved: one repeat of each test in turn, so that slow drift spreads over all"`
	Cool      *Cool   `json:"cool,omitempty" doc:"Pause before each run"`
	Ambient   *Band   `json:"ambient,omitempty" doc:"Room temperature that runs are made at, in °C"`
	Least     float64 `json:"least,omitempty" minimum:"0" doc:"Seconds that a run lasts at least; a shorter one is marked"`
	Failure   string  `json:"after_failure,omitempty" enum:"go-on,retry,skip,stop" doc:"go-on with the next repeat; retry up to twice; skip the step's other repeats; stop the plan"`
	Departure string  `json:"on_departure,omitempty" enum:"mark,stop" doc:"What becomes of a run whose observed conditions differ from its setup: it is marked, or stopped early"`
	Sampling  float64 `json:"sampling,omitempty" minimum:"0" maximum:"10" doc:"Samples of the machine's sensors per second; 0 for 1"`
}

// Cool is the pause before a run: so many seconds at least, then until a temperature is reached, at most so long.
type Cool struct {
	Seconds float64 `json:"seconds,omitempty" minimum:"0"`
	Below   float64 `json:"below,omitempty" doc:"Temperature in °C that the processor must fall to; 0 waits by time alone"`
	Most    float64 `json:"most,omitempty" minimum:"0" doc:"Seconds after which the run begins all the same; 0 for 600"`
}

// Band is a range of temperatures in °C.
type Band struct {
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// Holds tells whether a temperature lies in the band.
func (b Band) Holds(v float64) bool { return v >= b.Low && v <= b.High }

// Choices of the terms.
var (
	Orders     = []string{"grouped", "interleaved"}
	Failures   = []string{"go-on", "retry", "skip", "stop"}
	Departures = []string{"mark", "stop"}
)

// Check says everything that is wrong with the terms.
func (t Terms) Check() []string {
	var out []string
	for _, x := range []struct {
		name, value string
		known       []string
	}{{"order", t.Order, Orders}, {"after_failure", t.Failure, Failures}, {"on_departure", t.Departure, Departures}} {
		if x.value != "" && !slices.Contains(x.known, x.value) {
			out = append(out, fmt.Sprintf("%s is one of %s, not %q", x.name, strings.Join(x.known, ", "), x.value))
		}
	}
	if c := t.Cool; c != nil {
		if c.Seconds < 0 || c.Most < 0 || c.Seconds > 86400 || c.Most > 86400 {
			out = append(out, "a cool-down lasts between 0 and 86400 seconds")
		}
		if c.Below != 0 && (c.Below < 20 || c.Below > 90) {
			out = append(out, fmt.Sprintf("a processor cools to between 20 and 90 °C, not to %g °C", c.Below))
		}
		if c.Most > 0 && c.Most < c.Seconds {
			out = append(out, fmt.Sprintf("a cool-down of at least %g s cannot end after %g s at most", c.Seconds, c.Most))
		}
	}
	if b := t.Ambient; b != nil && (b.Low >= b.High || b.Low < -40 || b.High > 80) {
		out = append(out, fmt.Sprintf("the ambient band %g to %g °C is not one: the lower end comes first, both lie "+
			"between -40 and 80 °C", b.Low, b.High))
	}
	if t.Least < 0 || t.Least > 86400 {
		out = append(out, "the least run time lies between 0 and 86400 seconds")
	}
	if t.Sampling < 0 || t.Sampling > 10 {
		out = append(out, fmt.Sprintf("sensors are read up to 10 times a second, not %g times", t.Sampling))
	}
	return out
}

// Rate is how often a second the sensors are read.
func (t Terms) Rate() float64 { return cmp.Or(t.Sampling, 1) }

// PlanStep is one test of a plan with its repeats, under one setup.
type PlanStep struct {
	Test    string            `json:"test"`
	Setup   string            `json:"setup,omitempty" doc:"The plan's setup if empty"`
	Repeats int               `json:"repeats" minimum:"0" maximum:"100" doc:"0 asks for as many as the test usually has"`
	Options map[string]string `json:"options,omitempty" doc:"Options of the test that are not at their usual value"`
}

// Job is one execution that a plan asks for.
type Job struct {
	Step   int    `json:"step"`
	Repeat int    `json:"repeat"`
	Test   string `json:"test"`
}

// SetupOf is the setup of a step.
func (p Plan) SetupOf(step int) string { return cmp.Or(p.Steps[step].Setup, p.Setup) }

// Setups lists the plan's setups in the order in which steps ask for them.
func (p Plan) Setups() []string {
	var out []string
	for i := range p.Steps {
		if s := p.SetupOf(i); !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}

// Instead are a plan's steps with other tests, in their order, or all under one setup; "" and none leave them as they
// are. A test that stays keeps what the plan asks of it; a new one is made under every setup of the plan.
func (p Plan) Instead(tests []string, setup string) (out []PlanStep) {
	if len(tests) == 0 {
		for _, s := range p.Steps {
			if !slices.Contains(tests, s.Test) {
				tests = append(tests, s.Test)
			}
		}
	}
	setups := p.Setups()
	if setup != "" {
		setups = []string{setup}
	}
	for _, under := range setups {
		for _, test := range tests {
			known := false
			for i, s := range p.Steps {
				if s.Test != test || known && setup != "" {
					continue
				}
				known = true
				if s.Setup = cmp.Or(setup, p.SetupOf(i)); s.Setup == under {
					out = append(out, s)
				}
			}
			if !known {
				out = append(out, PlanStep{Test: test, Setup: under})
			}
		}
	}
	return out
}

// Jobs lists every execution of the plan in order. Steps of one setup stay together, so that nobody has
// to change the machine more often than there are setups; within a setup, repeats are grouped by
// test, or interleaved: the first of each test, then the second.
func (p Plan) Jobs() []Job {
	var jobs []Job
	for _, setup := range p.Setups() {
		from := len(jobs)
		for i, s := range p.Steps {
			if p.SetupOf(i) != setup {
				continue
			}
			for r := range s.Repeats {
				jobs = append(jobs, Job{Step: i, Repeat: r, Test: s.Test})
			}
		}
		if p.Order == "interleaved" {
			slices.SortStableFunc(jobs[from:], func(a, b Job) int { return a.Repeat - b.Repeat })
		}
	}
	return jobs
}

// Cross makes steps of every test under every setup; a test that names its own setup is made under that one alone.
func Cross(tests []PlanStep, setups []string) []PlanStep {
	if len(setups) == 0 {
		return tests
	}
	var out []PlanStep
	for i, s := range setups {
		for _, t := range tests {
			if own := t.Setup != ""; own && i > 0 {
				continue
			} else if !own {
				t.Setup = s
			}
			out = append(out, t)
		}
	}
	return out
}

// Prompt says what a person must do to bring a machine from one setup into another; "" if they do not
// differ. What a machine observes already needs no hand.
func Prompt(from, to Setup, observed map[string]string) string {
	var need []string
	for _, k := range sortedKeys(to.Conditions) {
		v := to.Conditions[k]
		if v == from.Conditions[k] && observed[k] == "" || v == observed[k] {
			continue
		}
		c, _ := Condition(k)
		switch {
		case k == "supply" && v == "battery":
			need = append(need, "unplug the charger")
		case k == "supply" && v == "mains":
			need = append(need, "plug in the charger")
		default:
			need = append(need, fmt.Sprintf("set %s to %s", strings.ToLower(c.Name[:1])+c.Name[1:], v))
		}
	}
	if len(need) == 0 {
		return ""
	}
	if to.Hands != "" {
		return to.Hands
	}
	text := strings.Join(need, ", ")
	return strings.ToUpper(text[:1]) + text[1:]
}

func sortedKeys(m map[string]string) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// PlanFigure is what a plan takes: runs, seconds, and bytes that it writes at most.
type PlanFigure struct {
	Runs    int     `json:"runs"`
	Seconds float64 `json:"seconds"`
	Writes  int64   `json:"writes"`
}
