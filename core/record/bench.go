package record

import "durvek/core/method"

// Joined is what a machine gets when it joins with a one-time code: its plan and all it needs to
// work through it.
type Joined struct {
	Token    string        `json:"token" doc:"Bearer token that may only deliver this plan's runs"`
	Plan     method.Plan   `json:"plan"`
	Setup    method.Setup  `json:"setup"`
	Tests    []method.Test `json:"tests"`
	Sitting  string        `json:"sitting"`
	Received []method.Job  `json:"received" doc:"Jobs whose runs the service has already"`
}

// Progress is where a machine stands in its plan.
type Progress struct {
	Plan    string  `json:"plan"`
	Done    int     `json:"done" doc:"Jobs finished"`
	Jobs    int     `json:"jobs" doc:"Jobs in all"`
	Step    int     `json:"step"`
	Repeat  int     `json:"repeat"`
	Test    string  `json:"test"`
	Phase   string  `json:"phase" doc:"What happens now, in words"`
	Share   float64 `json:"share" doc:"Share of this run that is done"`
	Left    float64 `json:"left" doc:"Seconds left for the whole plan"`
	Value   float64 `json:"value,omitempty" doc:"Latest sample"`
	Unit    string  `json:"unit,omitempty" doc:"Symbol"`
	Channel string  `json:"channel,omitempty"`
}

// BenchPlan is a plan as the bench shows it.
type BenchPlan struct {
	Plan      method.Plan `json:"plan"`
	Title     string      `json:"title" doc:"Model and variant of the unit"`
	Variant   string      `json:"variant"`
	SetupName string      `json:"setup_name"`
	Steps     []BenchStep `json:"steps"`
	Done      int         `json:"done"`
	Jobs      int         `json:"jobs"`
	Seconds   float64     `json:"seconds" doc:"Usual duration of the whole plan"`
	Writes    int64       `json:"writes" doc:"Bytes the plan writes at most"`
	Endurance float64     `json:"endurance,omitempty" doc:"Which percentage of the drive's rated endurance that is; left out where the spec sheet names none"`
	Progress  *Progress   `json:"progress,omitempty"`
	Machine   *Machine    `json:"machine,omitempty"`
}

// BenchStep is one step of a plan with what came of it so far.
type BenchStep struct {
	Test    string            `json:"test"`
	Name    string            `json:"name"`
	Repeats int               `json:"repeats"`
	Done    int               `json:"done"`
	Failed  int               `json:"failed"`
	NotRun  int               `json:"not_run" doc:"Runs that the machine could not make, with the reason known before they began"`
	State   string            `json:"state" enum:"waits,running,done,failed,not-run"`
	Options map[string]string `json:"options,omitempty"`
	Seconds float64           `json:"seconds"`
	Figures []BenchFigure     `json:"figures"`
	Note    string            `json:"note,omitempty" doc:"Why it failed, or how conditions departed from the setup"`
}

// BenchFigure is one measure's figure so far.
type BenchFigure struct {
	Measure string `json:"measure"`
	Name    string `json:"name"`
	Text    string `json:"text"`
	Spread  string `json:"spread,omitempty"`
}

// Sample is one moment of a run, for those who watch.
type Sample struct {
	Phase   string  // what happens now, in words
	Share   float64 // share of the run that is done
	Channel string
	Unit    string
	Value   float64
}

// Order is one execution that is asked of a machine.
type Order struct {
	Test    method.Test
	Options map[string]string // those that are not at their usual value
	Service string            // address of the service, for tests of the network; empty where there is none
	Token   string
}

// Outcome is what one execution of a test gave.
type Outcome struct {
	Readings   []Reading
	Series     []Series
	Observed   map[string]string // conditions that only the workload can tell
	Negotiated map[string]string
}
