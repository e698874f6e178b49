// Package policy decides what a machine under test does next: which run, when a person's hand is needed, when a step
// is given up, and when the plan is done. Agents and the probe only do what it says and deliver what came of it.
package policy

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/record"
)

// MostBroken is how often a step may break off before it is given up.
const MostBroken = 3

// MostTries is how often a failed run is tried again under the term "retry".
const MostTries = 2

// most bounds the actions of one decision.
const most = 500

// Account is what a machine says of its work when it asks what is next.
type Account struct {
	Setup    string            `json:"setup,omitempty" doc:"Setup that it is in; empty where it stands as it came"`
	Observed map[string]string `json:"observed,omitempty" doc:"Conditions as it observes them"`
	Made     []Made            `json:"made,omitempty" doc:"Runs that it made since it joined"`
	Broken   []Tries           `json:"broken,omitempty" doc:"Attempts that broke off, by step"`
	Failed   []Tries           `json:"failed,omitempty" doc:"Failures that were not kept, by step and repeat"`
	Asked    *record.Ask       `json:"asked,omitempty" doc:"What it asked of a person last"`
	Did      string            `json:"did,omitempty" doc:"Id of the request that is done, as a person says"`
}

// Made is a job that has its run.
type Made struct {
	method.Job
	Outcome record.Ending `json:"outcome,omitempty"`
}

// Tries counts attempts at a step, or at one repeat of it.
type Tries struct {
	Step   int `json:"step"`
	Repeat int `json:"repeat,omitempty"`
	Times  int `json:"times"`
}

// Do says what kind of action one is.
type Do string

const (
	Run    Do = "run"     // make Job's run
	Ask    Do = "ask"     // wait for a person, who is asked for Ask
	Wait   Do = "wait"    // nothing for now; ask again
	GiveUp Do = "give-up" // make no more runs of Step, each recorded as parked with Text
	End    Do = "done"    // the plan is worked through, or Stopped
)

// OnFailure says what becomes of a run that fails.
type OnFailure string

const (
	GoOn  OnFailure = "go-on" // it is kept, and what comes next stands
	Tell  OnFailure = "tell"  // it is kept; the service is asked before anything else is made
	Again OnFailure = "again" // it is an incident and not kept; the service is asked
)

// Action is one thing to do.
type Action struct {
	Do      Do           `json:"do" enum:"run,ask,wait,give-up,done"`
	Job     *method.Job  `json:"job,omitempty" doc:"The run to make"`
	Failure OnFailure    `json:"on_failure,omitempty" enum:"go-on,tell,again" doc:"What becomes of the run if it fails"`
	Cool    *method.Cool `json:"cool,omitempty" doc:"How long the machine rests after its last run first"`
	Step    int          `json:"step" doc:"For give-up: the step"`
	Ask     *record.Ask  `json:"ask,omitempty" doc:"What a person is to do now; beside a run, what will be asked afterwards"`
	Text    string       `json:"text,omitempty" doc:"Why it waits, gives up or ends before all is made"`
	Stopped bool         `json:"stopped,omitempty" doc:"For done: before every run was made"`
}

// Decision is what a machine is to do: the first action now, then the next ones in order for as long as the service
// cannot be asked again. There is always a first.
type Decision struct {
	Setup   string   `json:"setup" doc:"Setup that the machine counts as being in"`
	Actions []Action `json:"actions"`
}

// Unseen stands in a request between what was asked and what the machine observes still, where a person said that it
// was done.
const Unseen = ": the machine does not see it yet"

// Decide says what comes next of a plan; fresh makes the id of a new request. Runs go in the plan's order; those under
// the setup that the machine is in come first, then those whose setup it observes already, and a hand is asked for when
// nothing else is left. Under the term to stop at a departure nothing is made in a setup that the machine is seen not
// to be in.
func Decide(p method.Plan, setups []method.Setup, a Account, w record.Directive,
	fresh func() string) Decision {
	d := decider{fresh: fresh, plan: p, setups: setups, want: w, account: a, setup: a.Setup,
		observed: maps.Clone(a.Observed),
		made:     map[method.Job]bool{}}
	if d.observed == nil {
		d.observed = map[string]string{}
	}
	for _, m := range a.Made {
		d.made[m.Job] = true
	}
	for _, j := range p.Jobs() {
		if !slices.Contains(w.Skip, j.Step) {
			d.jobs = append(d.jobs, j)
		}
	}
	unseen := d.settle()
	out := Decision{}
	for len(out.Actions) < most {
		x := d.next(unseen)
		if len(out.Actions) == 0 {
			out.Setup = d.setup
		}
		out.Actions = append(out.Actions, x)
		if x.Do == End || x.Do == Wait {
			break
		}
		d.suppose(x)
		unseen = ""
	}
	return out
}

// decider is a plan on its way from what is so to what would be so.
type decider struct {
	fresh    func() string
	plan     method.Plan
	setups   []method.Setup
	want     record.Directive
	account  Account
	jobs     []method.Job // that are not left out
	made     map[method.Job]bool
	setup    string
	observed map[string]string
}

func (d *decider) of(slug string) method.Setup {
	for _, s := range d.setups {
		if s.Slug == slug {
			return s
		}
	}
	return method.Setup{Slug: slug}
}

// settle puts the machine into the setup that a person says it is in. It returns what the machine observes to the
// contrary; "" where nothing.
func (d *decider) settle() string {
	asked := d.account.Asked
	if asked == nil || d.account.Did == "" || d.account.Did != asked.ID {
		return ""
	}
	to := d.of(asked.Setup)
	if still := method.Prompt(to, to, d.observed); still != "" {
		return still
	}
	d.setup = asked.Setup
	return ""
}

// next is the action that comes first as things stand.
func (d *decider) next(unseen string) Action {
	failed := func(step int) bool {
		return slices.ContainsFunc(d.account.Made, func(m Made) bool {
			return m.Outcome == record.Failed && (step < 0 || m.Step == step)
		})
	}
	switch {
	case d.want.Stop:
		return Action{Do: End, Stopped: true, Text: "The plan was stopped"}
	case d.plan.Failure == "stop" && failed(-1):
		return Action{Do: End, Stopped: true, Text: "The plan stops after a failure, as it says"}
	case d.want.Pause:
		return Action{Do: Wait, Text: "paused"}
	}
	for _, j := range d.jobs {
		if d.made[j] {
			continue
		}
		if n := times(d.account.Broken, j.Step, 0); n >= MostBroken {
			return Action{Do: GiveUp, Step: j.Step, Text: fmt.Sprintf("broke off %d times", n)}
		}
		if d.plan.Failure == "skip" && failed(j.Step) {
			return Action{Do: GiveUp, Step: j.Step, Text: "left out after a failure"}
		}
	}
	i, ask := d.choose()
	switch {
	case i < 0 && ask == nil:
		return Action{Do: End}
	case i < 0:
		return Action{Do: Ask, Ask: d.request(ask, unseen)}
	}
	j := d.jobs[i]
	x := Action{Do: Run, Job: &j, Ask: ask, Cool: d.plan.Cool, Failure: GoOn}
	switch d.plan.Failure {
	case "stop", "skip":
		x.Failure = Tell
	case "retry":
		if x.Failure = Again; times(d.account.Failed, j.Step, j.Repeat) >= MostTries {
			x.Failure = GoOn
		}
	}
	return x
}

func times(list []Tries, step, repeat int) int {
	n := 0
	for _, t := range list {
		if t.Step == step && t.Repeat == repeat {
			n += t.Times
		}
	}
	return n
}

// choose gives the place of the job to make with what will be asked after it, or -1 with what is to be asked now, or
// -1 alone where nothing is left.
func (d *decider) choose() (int, *record.Ask) {
	first := -1
	var others []int // the first job of every other setup
	seen := map[string]bool{}
	for i, j := range d.jobs {
		if d.made[j] {
			continue
		}
		setup := d.plan.SetupOf(j.Step)
		if d.setup == "" { // as it stands: what departs from it is asked for below
			d.setup = setup
		}
		switch {
		case seen[setup]:
		case setup == d.setup:
			first = i
		default:
			others = append(others, i)
		}
		seen[setup] = true
	}
	need := func(i int) *record.Ask { // what a person must do before a job; nil for nothing
		setup := d.plan.SetupOf(d.jobs[i].Step)
		if text := method.Prompt(d.of(d.setup), d.of(setup), d.observed); text != "" {
			return &record.Ask{Setup: setup, Text: text}
		}
		return nil
	}
	// A run in another setup than its own would be ended at once: a hand first, or other work meanwhile.
	var own *record.Ask
	if first >= 0 && d.plan.Departure == "stop" {
		own = need(first)
	}
	if first >= 0 && own == nil {
		if len(others) == 0 {
			return first, nil
		}
		return first, need(others[0])
	}
	for _, i := range others {
		if need(i) == nil {
			d.setup = d.plan.SetupOf(d.jobs[i].Step)
			return i, nil
		}
	}
	switch {
	case first >= 0:
		return -1, own
	case len(others) > 0:
		return -1, need(others[0])
	}
	return -1, nil
}

// request is what is asked now. Asking for the same thing again keeps its id.
func (d *decider) request(x *record.Ask, unseen string) *record.Ask {
	x.Now, x.ID = true, d.fresh()
	asked := d.account.Asked
	switch {
	case unseen != "":
		x.Text += fmt.Sprintf("%s (%s)", Unseen, unseen)
	case asked != nil && asked.ID != "" && asked.Setup == x.Setup && d.account.Did != asked.ID &&
		(asked.Text == x.Text || strings.HasPrefix(asked.Text, x.Text+Unseen)):
		x.ID, x.Text = asked.ID, asked.Text
	}
	return x
}

// suppose goes on to how things will be once an action is done.
func (d *decider) suppose(x Action) {
	switch x.Do {
	case Run:
		d.made[*x.Job] = true
	case GiveUp:
		for _, j := range d.jobs {
			if j.Step == x.Step {
				d.made[j] = true
			}
		}
	case Ask:
		d.setup = x.Ask.Setup
		d.account.Asked = nil
		maps.Copy(d.observed, d.of(d.setup).Conditions)
	}
}
