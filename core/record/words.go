package record

// Ending says how a run ended.
type Ending string

const (
	Done   Ending = "done"
	Failed Ending = "failed"
	NotRun Ending = "not-run" // the machine could not make it, with a reason known before it began
	Parked Ending = "parked"  // given up after it broke off too often, or left out after a failure
)

// Source says where a run came from.
type Source string

const (
	FromAgent Source = "agent"
	FromFile  Source = "file"  // a file of runs, or of raw samples
	Typed     Source = "typed" // read off by a person
	FromTable Source = "table"
)

// StepState says how far a step of a plan is.
type StepState string

const (
	StepWaits   StepState = "waits"
	StepRunning StepState = "running"
	StepDone    StepState = "done"
	StepFailed  StepState = "failed"  // none of its runs was done
	StepNotRun  StepState = "not-run" // none of them could be made
	StepParked  StepState = "parked"
	StepSkipped StepState = "skipped" // left out by a person
)

// Activity says what a machine does with its plan at the moment.
type Activity string

const (
	Working Activity = "working"
	Cooling Activity = "cooling"   // lets the machine cool down
	Asking  Activity = "needs-you" // waits for a person's hand
	Ambient Activity = "ambient"   // waits for the room
	Paused  Activity = "paused"
	NoRoom  Activity = "no-room" // waits for room on its own drive
)

// IncidentKind says what went wrong. A desk may use kinds of its own beside these.
type IncidentKind string

const (
	Crash         IncidentKind = "crash"
	Hang          IncidentKind = "hang"
	Disconnection IncidentKind = "disconnection"
	Refusal       IncidentKind = "refusal"
	Failure       IncidentKind = "failure"
	Interruption  IncidentKind = "interruption"
)

// IncidentKinds are those that agents and the service note.
var IncidentKinds = []IncidentKind{Crash, Hang, Disconnection, Refusal, Failure, Interruption}

// MarkKind says in which way a run departed from its plan.
type MarkKind string

const (
	Departure    MarkKind = "departure"     // an observed condition is not as the setup says
	OutOfBand    MarkKind = "ambient"       // the room was too warm or too cold
	TooShort     MarkKind = "too-short"     // shorter than the plan wants
	ClockStepped MarkKind = "clock-stepped" // the wall clock was set while it ran
	Background   MarkKind = "background"    // other programs took the machine's time
	Dropout      MarkKind = "dropout"       // sensors fell silent
	Hidden       MarkKind = "hidden"        // the page was not seen
	Dimmed       MarkKind = "dimmed"        // the screen was dimmed
)

// LimiterLabel says what held a run back.
type LimiterLabel string

const (
	ByHeat      LimiterLabel = "heat"
	ByPower     LimiterLabel = "power limit"
	ByProcessor LimiterLabel = "processor"
	ByGraphics  LimiterLabel = "graphics"
	ByMemory    LimiterLabel = "memory"
	ByDrive     LimiterLabel = "drive"
	ByLink      LimiterLabel = "link"
	ByOthers    LimiterLabel = "other programs"
	ByUnknown   LimiterLabel = "unknown"
)
