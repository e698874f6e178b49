package api

import (
	"time"

	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk/bench"
	"durvek/desk/figures"
	"durvek/desk/results"
)

const measured = "results"

// Runs, traces, readings and incidents.
var (
	Runs       = get[RunsIn, RunList](measured, "/api/runs", "list-runs", "List runs, the newest first")
	Run        = get[Slugged, results.RunPage](measured, "/api/runs/{slug}", "show-run", "A run with its raw samples")
	ImportRuns = post[RunsFrom, results.Imported](measured, "/api/runs", "import-runs",
		"Take in a file of runs that a machine made alone")
	RunTrace = get[Traced, results.TraceView](measured, "/api/runs/{slug}/trace", "run-trace",
		"What the sensors told during a run, thinned without losing peaks")
	TraceTable = file[Slugged](measured, "/api/runs/{slug}/trace.csv", "run-trace-table", "A run's whole trace as CSV",
		"text/csv")
	LayLog = post[LogIn, results.OutsideLog](measured, "/api/runs/{slug}/logs", "lay-log",
		"Lay an outside sensor's log (CSV) beside a run")
	ShiftLog = put[LogShift, results.OutsideLog](measured, "/api/runs/{slug}/logs/{log}", "shift-log",
		"Set by hand how many seconds a log's clock is off")
	DropLog   = drop[LogOf](measured, "/api/runs/{slug}/logs/{log}", "drop-log", "Take a log away from a run")
	Incidents = get[IncidentsIn, IncidentList](measured, "/api/incidents", "list-incidents",
		"List incidents, the newest first")
	NoteIncident = post[Body[IncidentNote], record.Incident](measured, "/api/incidents", "note-incident",
		"Note an incident, or how often something happened out of so many tries").
		Making(func(x record.Incident) string { return at("/api/incidents", x.ID) })
	Incident = get[Slugged, IncidentPage](measured, "/api/incidents/{slug}", "show-incident",
		"An incident with what it was before it was corrected")
	ChangeIncident = post[ChangingIncident, record.Incident](measured, "/api/incidents/{slug}/changes", "change-incident",
		"Correct, relabel, withdraw or restore an incident; what it was is kept")
	IncidentRates = get[OfUnit, []record.IncidentRate](measured, "/api/incident-rates", "incident-rates",
		"How often each kind of incident happened, with intervals, per host and place")
	TypeReadings = post[Body[results.Typed], record.Run](measured, "/api/readings", "type-readings",
		"Record one run that a person read off").
		Making(func(r record.Run) string { return at("/api/runs", r.ID) })
	ImportTable = post[File, results.Table](measured, "/api/tables", "import-table",
		"Take in a CSV table of readings, or nothing of it")
	AddFrames = post[FramesIn, record.Run](measured, "/api/frames", "add-frames",
		"Record a run whose frame times are in a CSV table, one row a frame").
		Making(func(r record.Run) string { return at("/api/runs", r.ID) })
	CorrectRun = post[Correcting, results.RunPage](measured, "/api/runs/{slug}/corrections", "correct-run",
		"Void, restore or correct readings of a run, or merge it into the run that it is a duplicate of; what stood before "+
			"is kept")
	Twins = get[OfUnit, []results.Twin](measured, "/api/run-twins", "list-twins",
		"Runs of the same test on the same unit whose figures are the same in every digit")
	CompareRuns = get[TwoRuns, trust.Changed](measured, "/api/run-changes", "compare-runs", "What differs between two "+
		"runs: figures, conditions, links, machine, sensors; and whether they may be compared")
	Recount = post[None, results.Recounted](measured, "/api/recounts", "recount",
		"Make every estimate anew from its readings and say which did not agree")
	History = get[HistoryOf, figures.UnitHistory](measured, "/api/histories", "history",
		"How a measure of a unit went over its sittings, with lasting changes and what changed with them")
)

// RunsAsked narrows a list of runs.
type RunsAsked struct {
	Subject string        `query:"subject" flag:"unit" doc:"Only this unit's"`
	Test    string        `query:"test" doc:"Only this test's"`
	Setup   string        `query:"setup" doc:"Only this setup's"`
	Plan    string        `query:"plan" doc:"Only this plan's"`
	Outcome record.Ending `query:"outcome" enum:",done,failed,not-run,parked" doc:"done, failed, not-run or parked"`
	Source  record.Source `query:"source" enum:",agent,file,typed,table" doc:"agent, file, typed or table"`
	State   string        `query:"state" enum:",doubted,void,changed" doc:"doubted: under an open doubt; void: with a reading that no longer counts; changed: with one that was corrected or restored"`
	From    string        `query:"from" pattern:"^([0-9]{4}-[0-9]{2}-[0-9]{2})?$" patternDescription:"a day, such as 2026-03-02" doc:"First day, YYYY-MM-DD"`
	Until   string        `query:"until" pattern:"^([0-9]{4}-[0-9]{2}-[0-9]{2})?$" patternDescription:"a day, such as 2026-03-02" doc:"Last day, YYYY-MM-DD"`
	Text    string        `query:"text" doc:"Part of unit, test, or anything that was observed, such as a firmware version"`
}

// RunsIn is a page of a list of runs.
type RunsIn struct {
	RunsAsked
	Page
}

// Page is a part of a long list.
type Page struct {
	After  string `query:"after" doc:"Begin behind the entry of this id: what came in meanwhile moves nothing"`
	Offset int    `query:"offset" minimum:"0" doc:"How many to leave out"`
	Limit  int    `query:"limit" default:"50" minimum:"1" maximum:"500" doc:"How many"`
}

// RunList is a page of runs, and how many there are.
type RunList struct {
	Runs  []record.Run `json:"runs"`
	Total int          `json:"total"`
}

// RunsFrom is a file of runs and what it was made on.
type RunsFrom struct {
	Unit    string `query:"unit" required:"true" doc:"Unit that was measured"`
	Host    string `query:"host" doc:"Unit or rig that a part was measured in"`
	Place   string `query:"place" doc:"Port, slot, screen or surface"`
	Setup   string `query:"setup" doc:"Setup; as delivered if left out"`
	RawBody []byte `contentType:"application/octet-stream"`
}

// Traced is a stretch of a run's trace.
type Traced struct {
	Slugged
	From   float64 `query:"from" minimum:"0" doc:"Seconds from the run's start"`
	To     float64 `query:"to" minimum:"0" doc:"Seconds from the run's start; 0 for the end"`
	Points int     `query:"points" default:"1200" minimum:"4" maximum:"100000" doc:"Samples per channel at most"`
}

// LogIn is an outside sensor's log beside a run.
type LogIn struct {
	Slugged
	Name    string `query:"name" doc:"Name of the sensor; the file's if left out"`
	Shift   string `query:"shift" doc:"Seconds to add to the log's times; found by correlation if left out"`
	RawBody []byte `contentType:"application/octet-stream"`
}

// LogOf is a log beside a run.
type LogOf struct {
	Slugged
	Log string `path:"log"`
}

// LogShift says how many seconds a log's clock is off.
type LogShift struct {
	LogOf
	Body Shift
}

// Shift is a number of seconds.
type Shift struct {
	Shift float64 `json:"shift"`
}

// IncidentsIn narrows a list of incidents.
type IncidentsIn struct {
	Unit string              `query:"unit" doc:"Only this unit's"`
	Plan string              `query:"plan" doc:"Only this plan's"`
	Kind record.IncidentKind `query:"kind" doc:"Only this kind"`
	Page
}

// IncidentList is a page of incidents, and how many there are.
type IncidentList struct {
	Incidents []record.Incident `json:"incidents"`
	Total     int               `json:"total"`
}

// IncidentNote says what happened, or how often.
type IncidentNote struct {
	Unit  string              `json:"unit"`
	Host  string              `json:"host,omitempty" doc:"Unit or rig that it was used with"`
	Place string              `json:"place,omitempty" doc:"Port, slot, screen or surface"`
	Kind  record.IncidentKind `json:"kind" doc:"crash, hang, disconnection, refusal, failure, or a kind of your own such as slow-link"`
	Text  string              `json:"text,omitempty" doc:"What happened"`
	At    time.Time           `json:"at,omitzero" required:"false"`
	Times int                 `json:"times" doc:"How often it happened; 0 for tries without trouble"`
	Tries int                 `json:"tries,omitempty" doc:"Out of how many tries; left out, the unit's runs count"`
}

// IncidentPage is an incident with its history.
type IncidentPage struct {
	record.Incident
	Changes []record.IncidentChange `json:"changes" doc:"What it was before, the first state first"`
}

// ChangingIncident is a change of an incident.
type ChangingIncident struct {
	Slugged
	Body bench.IncidentChange
}

// OfUnit narrows a list to one unit's.
type OfUnit struct {
	Unit string `query:"unit" doc:"Only this unit's"`
}

// FramesIn is a table of frame times and what it was made on.
type FramesIn struct {
	results.FramesOf
	RawBody []byte `contentType:"text/csv"`
}

// Correcting is a correction of a run.
type Correcting struct {
	Slugged
	Body results.Correction
}

// TwoRuns are held against each other.
type TwoRuns struct {
	A string `query:"a" required:"true"`
	B string `query:"b" required:"true"`
}

// HistoryOf is a measure of a unit.
type HistoryOf struct {
	Unit    string `query:"unit" required:"true"`
	Measure string `query:"measure" required:"true" doc:"test/measure"`
	Setup   string `query:"setup" doc:"Setup; as delivered if empty"`
	Narrowed
}
