package store

import (
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
)

// Words that decide, as statements write them. They stand in the text, not beside it: partial indexes are found only
// so.
const (
	wordDone    = "'" + string(record.Done) + "'"
	wordFailed  = "'" + string(record.Failed) + "'"
	wordNotRun  = "'" + string(record.NotRun) + "'"
	wordParked  = "'" + string(record.Parked) + "'"
	wordOK      = "'" + string(record.OK) + "'"
	wordCeiling = "'" + string(record.AtCeiling) + "'"
	wordBeyond  = "'" + string(record.BeyondLimit) + "'"
	wordFloor   = "'" + string(record.AtFloor) + "'"
	wordVoid    = "'" + string(record.Void) + "'"
	wordMissing = "'" + string(record.Missing) + "'"
	wordRunning = "'" + string(method.PlanRunning) + "'"
	wordSilent  = "'" + string(method.PlanSilent) + "'"
	wordOpen    = "'" + string(trust.Open) + "'"
	wordShown   = "'" + string(trust.Shown) + "'"
	wordSerious = "'" + string(trust.Serious) + "'"
	wordCaution = "'" + string(trust.Caution) + "'"

	counting = "(" + wordOK + ", " + wordCeiling + ", " + wordBeyond + ", " + wordFloor + ")"
)
