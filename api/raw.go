package api

import (
	"durvek/core/analyse"
	"durvek/desk/results"
	"durvek/rawfile"
)

// Files of raw measurements.
var (
	Analyses = get[None, []analyse.Analysis](measured, "/api/analyses", "list-analyses",
		"What can be made of raw measurements: what each analysis reads, its options and its measures")
	TakeRaw = post[RawIn, results.RawTaken](measured, "/api/raw", "take-raw",
		"Take in a file of raw measurements, make figures of it and record them as a run; or only say what it holds").
		AtMost(rawfile.MostBytes)
	RunSource = get[Slugged, results.RawSource](measured, "/api/runs/{slug}/source", "run-source",
		"The file that a run's figures were made of, and its picture")
	RunFile = file[Slugged](measured, "/api/runs/{slug}/source/file", "run-file",
		"The file that a run's figures were made of, as it came", "application/octet-stream")
	RunPicture = file[Pictured](measured, "/api/runs/{slug}/source/picture.svg", "run-picture",
		"The picture of the file that a run's figures were made of", "image/svg+xml")
	Mappings = get[None, []rawfile.Mapping](measured, "/api/mappings", "list-mappings",
		"Saved mappings: what the columns of files mean")
	SaveMapping = post[Body[rawfile.Mapping], rawfile.Mapping](measured, "/api/mappings", "save-mapping",
		"Save a mapping under its name, in place of another of that name").
		Making(func(m rawfile.Mapping) string { return at("/api/mappings", m.Name) })
	ImportMapping = post[File, rawfile.Mapping](measured, "/api/mapping-files", "import-mapping",
		"Take in a mapping's file")
	DropMapping = drop[Slugged](measured, "/api/mappings/{slug}", "drop-mapping",
		"Remove a mapping; what was taken in by it stays")
)

// Pictured asks for the picture of a run's file.
type Pictured struct {
	Slugged
	Dark bool `query:"dark" doc:"Dark colours"`
}

// RawIn is a file of raw measurements.
type RawIn struct {
	results.RawOf
	CheckOnly bool   `query:"check_only" flag:"dry-run" doc:"Say what it holds and would become, and record nothing"`
	Dark      bool   `query:"dark" doc:"Dark colours for its picture"`
	RawBody   []byte `contentType:"application/octet-stream"`
}
