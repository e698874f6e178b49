package api

import (
	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
)

// Agents is the group of what agents and the probe ask.
const Agents = "agent"

// What agents and the probe ask.
var (
	Join = post[Body[JoinRequest], record.Joined](Agents, "/api/agent/join", "join", "Join with a one-time code").
		AtMost(small).For("")
	Rejoin = post[Body[record.Machine], record.Joined](Agents, "/api/agent/rejoin", "rejoin",
		"Go on with the agent's plan after a break").AtMost(small)
	SendRun = post[Body[record.Run], map[string]bool](Agents, "/api/agent/runs", "send-run",
		"Deliver a run; sending it again changes nothing").AtMost(mostFile)
	SendProgress = post[Body[record.Progress], record.Directive](Agents, "/api/agent/progress", "send-progress",
		"Say where the plan stands, with what the sensors told; the answer says what people want of it").
		AtMost(2 << 20)
	SendIncident = post[Body[record.Incident], None](Agents, "/api/agent/incidents", "send-incident",
		"Deliver an incident; sending it again changes nothing")
	Next = post[Body[policy.Account], policy.Decision](Agents, "/api/agent/next", "next",
		"Ask what to do next of the plan; the answer also says what follows for as long as the service cannot be asked")
	Finish = post[None, method.Plan](Agents, "/api/agent/finish", "finish", "Say that the plan is worked through")
)

// JoinRequest is how a machine joins.
type JoinRequest struct {
	Code    string         `json:"code"`
	Token   string         `json:"token,omitempty" doc:"Secret that the agent made: 32 random bytes in base64url; asking again with it is no second joining"`
	Machine record.Machine `json:"machine"`
}
