package api

import (
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/schedule"
	"durvek/desk/bench"
	"durvek/desk/books"
)

const onBench = "bench"

// Tests, setups, and the plans on the bench.
var (
	Tests      = get[None, []method.Test](onBench, "/api/tests", "list-tests", "List tests")
	ImportTest = post[File, method.Test](onBench, "/api/tests", "import-test",
		"Take in a test definition of the desk's own (YAML or JSON)")
	TryMapping = post[Body[books.Trial], books.Tried](onBench, "/api/trials", "try-mapping",
		"Try a test's mapping on a saved output; nothing is recorded").AtMost(mostFile)
	SetAside = put[Asiding, method.Test](onBench, "/api/tests/{slug}/aside", "set-test-aside",
		"Show a test's figures and count them nowhere, for a reason that stands beside them; count them again with none")
	Test     = get[Slugged, method.Test](onBench, "/api/tests/{slug}", "show-test", "A test")
	Setups   = get[Listing, []method.Setup](onBench, "/api/setups", "list-setups", "List setups")
	AddSetup = post[Body[method.Setup], method.Setup](onBench, "/api/setups", "add-setup", "Add or change a setup")
	Bench    = get[AtMost20, []record.BenchPlan](onBench, "/api/bench", "bench", "Plans on the bench with how far each is")
	AddPlan  = post[Body[PlanRequest], method.Plan](onBench, "/api/plans", "add-plan", "Add a plan for a unit").
			Making(func(p method.Plan) string { return at("/api/plans", p.ID) })
	Plan = get[Slugged, record.BenchPlan](onBench, "/api/plans/{slug}", "show-plan",
		"A plan with what came of each step")
	ChangePlan = put[PlanChange, method.Plan](onBench, "/api/plans/{slug}", "change-plan",
		"Replace what a plan that has not begun is to measure")
	PlanCode = post[Slugged, JoinCode](onBench, "/api/plans/{slug}/codes", "plan-code",
		"Make a one-time code with which a machine joins for a plan")
	ArrivalCode = post[Body[Arrival], JoinCode](onBench, "/api/arrivals", "arrival-code",
		"Make a one-time code for a machine that is on no book: it tells of itself, and begins with the usual tests")
	Schedule = get[ScheduleAsked, schedule.Schedule](onBench, "/api/schedule", "schedule",
		"What to put on the bench in the minutes at hand")
	PlanLibrary = get[KindOf, []bench.PlanFile](onBench, "/api/plan-library", "plan-library",
		"Plans that ship with the program, with what each takes")
	AddPlanFrom = post[PlanFrom, method.Plan](onBench, "/api/plan-files", "add-plan-from-file",
		"Put a plan file's plan, or one of the library, on the bench for a unit").
		Making(func(p method.Plan) string { return at("/api/plans", p.ID) })
	ExportPlan = file[Slugged](onBench, "/api/plan-files/{slug}", "export-plan", "A plan on the bench as a file",
		"application/yaml")
	DirectPlan = post[Directing, method.Plan](onBench, "/api/plans/{slug}/directives", "direct-plan",
		"Pause, resume or stop a plan, leave out a step, or close the run-down of a device that is off")
	Confirm = post[Confirming, method.Plan](onBench, "/api/plans/{slug}/confirmations", "confirm",
		"Say that what a plan asked for is done")
	LiveTrace = get[LiveTraced, []record.Series](onBench, "/api/plans/{slug}/trace", "live-trace",
		"What the sensors told of the run that is being made")
	Conditions = get[None, []method.ConditionKey](onBench, "/api/conditions", "list-conditions",
		"Conditions of the desk's own")
	AddCondition = post[Body[method.ConditionKey], method.ConditionKey](onBench, "/api/conditions", "add-condition",
		"Add a condition of the desk's own; its key begins with own.")
)

// ScheduleAsked is what time there is, and what is wanted of it.
type ScheduleAsked struct {
	Minutes float64 `query:"minutes" default:"180" minimum:"1" maximum:"10000" doc:"Minutes at hand"`
	Field   string  `query:"field" doc:"Field; everything if empty"`
	Variant string  `query:"variant" doc:"Only this one is put on the bench"`
	Use     string  `query:"use" doc:"Only what counts for this kind of use, as it weighs there"`
	Opening float64 `query:"opening" default:"9" minimum:"0.5" maximum:"600" doc:"Minutes that a machine takes to open"`
	Repeats int     `query:"repeats" default:"1" minimum:"1" maximum:"5" doc:"Repeats at least of what has no figure yet"`
	Claims  float64 `query:"claims" default:"3" minimum:"0.01" maximum:"1000" doc:"Pairs that deciding one claim is worth"`
}

// AtMost20 bounds a list.
type AtMost20 struct {
	Limit int `query:"limit" default:"20" minimum:"1" maximum:"200"`
	Listing
}

// Asiding sets a test aside.
type Asiding struct {
	Slugged
	Body Aside
}

// Aside says why a test's figures are shown and not counted.
type Aside struct {
	Reason string `json:"reason" doc:"What readers see beside its figures; empty has them count again"`
}

// KindOf narrows a list to a kind of device.
type KindOf struct {
	Kind catalog.Kind `query:"kind" doc:"Only those for this kind of device"`
}

// PlanRequest is a plan as it is wished.
type PlanRequest struct {
	Unit   string            `json:"unit,omitempty" doc:"Of a new plan; a plan that is changed keeps its own"`
	Host   string            `json:"host,omitempty"`
	Place  string            `json:"place,omitempty"`
	Setup  string            `json:"setup,omitempty"`
	Setups []string          `json:"setups,omitempty" doc:"Every step is made under each of them"`
	Name   string            `json:"name,omitempty"`
	Steps  []method.PlanStep `json:"steps"`
	method.Terms
}

// PlanChange is what a plan is to be instead; its unit stays.
type PlanChange struct {
	Slugged
	Body PlanRequest
}

// PlanFrom is a plan of a file or of the library, for a unit.
type PlanFrom struct {
	Library string   `query:"library" doc:"Name in the library, in place of a file"`
	Unit    string   `query:"unit" required:"true"`
	Host    string   `query:"host"`
	Place   string   `query:"place"`
	Setups  []string `query:"setups" doc:"In place of the file's own"`
	Repeats int      `query:"repeats" doc:"In place of the file's own"`
	RawBody []byte   `contentType:"application/octet-stream"`
}

// Arrival says what comes.
type Arrival struct {
	Kind catalog.Kind `json:"kind"`
}

// JoinCode is what a machine joins a plan with: a code to type, and a link to the probe that carries it.
type JoinCode struct {
	Code    string    `json:"code"`
	Expires time.Time `json:"expires"`
	Link    string    `json:"link" doc:"Opens the probe, the page that measures a phone, tablet or any browser, for this plan"`
	QR      string    `json:"qr" doc:"The link as a QR code, an SVG document"`
	Note    string    `json:"note,omitempty" doc:"Why other devices do not reach the link"`
}

// Directing says what a plan is to do.
type Directing struct {
	Slugged
	Body Directive
}

// Directive is what a plan is to do.
type Directive struct {
	Do   string `json:"do" enum:"pause,resume,stop,skip,close" doc:"close: its device has gone off in a run-down and does not come back; the run is made of what it told"`
	Step int    `json:"step,omitempty" doc:"For skip: the step, from 1"`
}

// Confirming says that something is done.
type Confirming struct {
	Slugged
	Body Confirmation
}

// Confirmation says which request is done.
type Confirmation struct {
	Ask string `json:"ask,omitempty" doc:"Which request; the open one if left out"`
}

// LiveTraced is the plan whose trace is looked at.
type LiveTraced struct {
	Slugged
	Points int `query:"points" default:"600" minimum:"4" maximum:"20000"`
}
