package record

import (
	"time"

	"durvek/core/method"
)

// Joined is what a machine gets when it joins with a one-time code: its plan and all it needs to
// work through it.
type Joined struct {
	Token    string             `json:"token" doc:"Bearer token that may only deliver this plan's runs"`
	Plan     method.Plan        `json:"plan"`
	Setups   []method.Setup     `json:"setups" doc:"Every setup that the plan asks for, in order"`
	Tests    []method.Test      `json:"tests"`
	Sitting  string             `json:"sitting"`
	Received []method.Job       `json:"received" doc:"Jobs whose runs the service has already"`
	Learned  map[string]float64 `json:"learned" doc:"Seconds that one run took earlier, by test"`
	Jobs     []method.Job       `json:"jobs" doc:"Every job of the plan, in the order in which they are made"`
	Prompts  map[string]string  `json:"prompts" doc:"What a person must do to bring a machine into each setup, coming from the one before it"`
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

	State   Activity           `json:"state,omitempty" doc:"working, cooling, needs-you, ambient, paused or no-room"`
	Setup   string             `json:"setup,omitempty" doc:"Setup that the machine is in"`
	Run     string             `json:"run,omitempty" doc:"Run that is being made"`
	At      float64            `json:"at,omitempty" doc:"Seconds since it began"`
	Ask     *Ask               `json:"ask,omitempty" doc:"What a person is asked to do, now or next"`
	Marks   []Mark             `json:"marks,omitempty" doc:"Departures of the run that is being made"`
	Last    map[string]float64 `json:"last,omitempty" doc:"What the sensors said last, by channel"`
	Trace   []byte             `json:"trace,omitempty" doc:"What they said since the last report, packed; times count from the run's start"`
	Picture []byte             `json:"picture,omitempty" doc:"What the run has painted so far, as a PNG"`
	Beat    map[string]float64 `json:"beat,omitempty" doc:"How far a load is that runs until a battery is empty or full, at the moment at: work done, work due and charge, by channel"`
}

// Ask is what a person is asked to do to the machine.
type Ask struct {
	ID    string `json:"id"`
	Setup string `json:"setup"`
	Text  string `json:"text"`
	Now   bool   `json:"now" doc:"The plan waits for it; otherwise other work goes on first"`
}

// Directive is what the service answers a report with.
type Directive struct {
	Pause     bool   `json:"pause,omitempty"`
	Stop      bool   `json:"stop,omitempty"`
	Confirmed string `json:"confirmed,omitempty" doc:"Id of the last request that a person has done"`
	Skip      []int  `json:"skip,omitempty" doc:"Steps that are left out from now on"`
}

// Incident is a crash, hang, disconnection or refusal, with the moment and the step; or a count of how
// often something happened, noted by hand.
type Incident struct {
	ID    string             `json:"id" doc:"UUIDv7, made where it was noted"`
	Unit  string             `json:"unit"`
	Host  string             `json:"host,omitempty"`
	Place string             `json:"place,omitempty"`
	Plan  string             `json:"plan,omitempty"`
	Run   string             `json:"run,omitempty" doc:"Run that it broke off"`
	Step  *int               `json:"step,omitempty"`
	Test  string             `json:"test,omitempty"`
	At    time.Time          `json:"at"`
	Until *time.Time         `json:"until,omitempty" doc:"When it was over"`
	Kind  IncidentKind       `json:"kind" doc:"crash, hang, disconnection, refusal, failure, interruption, or a kind of the desk's own such as slow-link"`
	Text  string             `json:"text"`
	By    string             `json:"by,omitempty"`
	Last  map[string]float64 `json:"last,omitempty" doc:"What the sensors said last, by channel"`
	Times int                `json:"times" doc:"How often it happened"`
	Tries int                `json:"tries,omitempty" doc:"Out of how many tries; 0 where the unit's runs are what counts"`
	// Withdrawn ones are shown and not counted.
	Withdrawn *time.Time `json:"withdrawn,omitempty" doc:"When it was withdrawn; it is no longer counted"`
	Corrected int        `json:"corrected,omitempty" readOnly:"true" doc:"How often it was corrected since it was noted"`
}

// IncidentRate says how often a kind of incident happened to a unit, in one host and place or in all.
type IncidentRate struct {
	Unit     string       `json:"unit"`
	Kind     IncidentKind `json:"kind"`
	Host     string       `json:"host,omitempty"`
	Place    string       `json:"place,omitempty"`
	Times    int          `json:"times"`
	Tries    int          `json:"tries"`
	Low      float64      `json:"low" doc:"Lower end of the 95 % interval of the share, 0 to 1"`
	High     float64      `json:"high"`
	Hosts    int          `json:"hosts,omitempty" doc:"Hosts in which it happened, of those in which it was tried"`
	HostsAll int          `json:"hosts_all,omitempty"`
	Of       string       `json:"of" doc:"What the tries are: tries or runs"`
	Sentence string       `json:"sentence"`
}

// BenchPlan is a plan as the bench shows it.
type BenchPlan struct {
	Plan      method.Plan  `json:"plan"`
	Title     string       `json:"title" doc:"Model and variant of the unit"`
	Variant   string       `json:"variant"`
	SetupName string       `json:"setup_name"`
	Steps     []BenchStep  `json:"steps"`
	Done      int          `json:"done"`
	Jobs      int          `json:"jobs"`
	Seconds   float64      `json:"seconds" doc:"Usual duration of the whole plan"`
	Writes    int64        `json:"writes" doc:"Bytes the plan writes at most"`
	Endurance float64      `json:"endurance,omitempty" doc:"Which percentage of the drive's rated endurance that is; left out where the spec sheet names none"`
	Progress  *Progress    `json:"progress,omitempty"`
	Machine   *Machine     `json:"machine,omitempty"`
	Heard     *time.Time   `json:"heard,omitempty" doc:"When its agent was heard last"`
	Paused    bool         `json:"paused,omitempty"`
	Incidents []Incident   `json:"incidents"`
	Marked    int          `json:"marked" doc:"Runs that departed from the plan"`
	Doubts    []BenchDoubt `json:"doubts" doc:"Open doubts about its runs, the gravest first"`
}

// BenchDoubt is an open doubt about a run of a plan, with what to do while the machine is still there.
type BenchDoubt struct {
	ID       string `json:"id"`
	Run      string `json:"run"`
	Test     string `json:"test"`
	TestName string `json:"test_name"`
	Title    string `json:"title"`
	Severity string `json:"severity" enum:"note,caution,serious"`
	Sentence string `json:"sentence"`
	Proposal string `json:"proposal"`
	Again    string `json:"again,omitempty" enum:"repeat,cool"`
}

// BenchStep is one step of a plan with what came of it so far.
type BenchStep struct {
	Test    string            `json:"test"`
	Name    string            `json:"name"`
	Repeats int               `json:"repeats"`
	Done    int               `json:"done"`
	Failed  int               `json:"failed"`
	NotRun  int               `json:"not_run" doc:"Runs that the machine could not make, with the reason known before they began"`
	State   StepState         `json:"state" enum:"waits,running,done,failed,not-run,parked,skipped"`
	Setup   string            `json:"setup"`
	Prompt  string            `json:"prompt,omitempty" doc:"What a person must do before this step, where its setup differs from the one before"`
	Marks   []Mark            `json:"marks,omitempty" doc:"How its runs departed from the plan"`
	Options map[string]string `json:"options,omitempty"`
	Seconds float64           `json:"seconds"`
	Figures []BenchFigure     `json:"figures"`
	Lasting bool              `json:"lasting,omitempty" doc:"It runs until a battery is empty or full"`
	Note    string            `json:"note,omitempty" doc:"Why it failed, or how conditions departed from the setup"`
}

// BenchFigure is one measure's figure so far.
type BenchFigure struct {
	Measure string `json:"measure"`
	Name    string `json:"name"`
	Text    string `json:"text"`
	Spread  string `json:"spread,omitempty"`
	Last    string `json:"last,omitempty" doc:"Figure of the latest run"`
	Expect  string `json:"expect,omitempty" doc:"What was expected of it"`
	From    string `json:"from,omitempty" doc:"Where the expectation comes from"`
}

// Sample is one moment of a run, for those who watch.
type Sample struct {
	Phase   string  // what happens now, in words
	Share   float64 // share of the run that is done
	Channel string
	Unit    string
	Value   float64
	Beat    map[string]float64 // a lasting load's heartbeat: what it did, what was due, the charge, by channel

	Picture []byte // what was painted so far, as a PNG

	Observed map[string]string // beside a heartbeat: conditions that only the workload can tell
}

// Order is one execution that is asked of a machine.
type Order struct {
	Test    method.Test
	Options map[string]string // those that are not at their usual value
	Setup   method.Setup      // the setup that it is made under
	Service string            // address of the service, for tests of the network; empty where there is none
	Token   string
}

// Outcome is what one execution of a test gave.
type Outcome struct {
	Readings   []Reading
	Series     []Series
	Observed   map[string]string // conditions that only the workload can tell
	Negotiated map[string]string
	Marks      []Mark // what only the workload noticed
}
