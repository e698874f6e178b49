package method

// PlanState says how far a plan is.
type PlanState string

const (
	PlanWaiting PlanState = "waiting" // for its machine to join
	PlanRunning PlanState = "running"
	PlanSilent  PlanState = "silent" // its agent was not heard of for longer than its lease
	PlanDone    PlanState = "done"
	PlanStopped PlanState = "stopped" // before every job had a run
)

// Over tells whether nothing more comes of a plan.
func (s PlanState) Over() bool { return s == PlanDone || s == PlanStopped }

// AtWork tells whether a plan has an agent.
func (s PlanState) AtWork() bool { return s == PlanRunning || s == PlanSilent }
