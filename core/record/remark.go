package record

import "time"

// RemarkKind tells an impression of the desk's from what others say.
type RemarkKind string

const (
	Impression RemarkKind = "remark" // of the desk's own, without a figure
	Report     RemarkKind = "report" // what owners or others say: attributed, dated, with where it was read
)

// Remark is something that is said of a variant without a figure. It can stand in a review, marked as such, and never
// counts.
type Remark struct {
	ID        string     `json:"id"`
	Kind      RemarkKind `json:"kind" enum:"remark,report"`
	Variant   string     `json:"variant"`
	Area      string     `json:"area,omitempty" doc:"What it is about: an area such as display"`
	Measure   string     `json:"measure,omitempty" doc:"What it is about: test/measure"`
	Text      string     `json:"text"`
	Who       string     `json:"who,omitempty" doc:"Of a report: who says it"`
	Dated     string     `json:"dated,omitempty" doc:"Of a report: the day it was said, as 2026-10-02"`
	Source    string     `json:"source,omitempty" doc:"Of a report: where it was read"`
	Added     time.Time  `json:"added"`
	By        string     `json:"by,omitempty"`
	Withdrawn *time.Time `json:"withdrawn,omitempty"`
	Reason    string     `json:"reason,omitempty" doc:"Why it was withdrawn"`
}

// IncidentChange is what an incident was before somebody corrected or withdrew it, and why.
type IncidentChange struct {
	At     time.Time `json:"at"`
	By     string    `json:"by"`
	Was    Incident  `json:"was"`
	Reason string    `json:"reason"`
}

// Archived is something that is kept and no longer offered.
type Archived struct {
	Kind   string    `json:"kind"`
	Slug   string    `json:"slug"`
	At     time.Time `json:"at"`
	By     string    `json:"by,omitempty"`
	Reason string    `json:"reason,omitempty"`
}
