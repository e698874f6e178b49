package api

import (
	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
)

const agents = "agent"

// What agents and the probe ask.
var (
	Join   = post[Body[JoinRequest], record.Joined](agents, "/api/agent/join", "join", "Join with a one-time code")
	Rejoin = post[Body[record.Machine], record.Joined](agents, "/api/agent/rejoin", "rejoin",
		"Go on with the agent's plan after a break")
	SendRun = post[Body[record.Run], map[string]bool](agents, "/api/agent/runs", "send-run",
		"Deliver a run; sending it again changes nothing")
	SendProgress = post[Body[record.Progress], record.Directive](agents, "/api/agent/progress", "send-progress",
		"Say where the plan stands, with what the sensors told; the answer says what people want of it")
	SendIncident = post[Body[record.Incident], None](agents, "/api/agent/incidents", "send-incident",
		"Deliver an incident; sending it again changes nothing")
	Next = post[Body[policy.Account], policy.Decision](agents, "/api/agent/next", "next",
		"Ask what to do next of the plan; the answer also says what follows for as long as the service cannot be asked")
	Finish = post[None, method.Plan](agents, "/api/agent/finish", "finish", "Say that the plan is worked through")
)

// JoinRequest is how a machine joins.
type JoinRequest struct {
	Code    string         `json:"code"`
	Token   string         `json:"token,omitempty" doc:"Secret that the agent made: 32 random bytes in base64url; asking again with it is no second joining"`
	Machine record.Machine `json:"machine"`
}
