package method

import "durvek/core/catalog"

// Sheet is an inspection sheet: the tests by hand that a kind of device is looked over by, in order.
type Sheet struct {
	Format   string         `json:"format"`
	Slug     string         `json:"slug"`
	Name     string         `json:"name"`
	About    string         `json:"about,omitempty"`
	Subjects []catalog.Kind `json:"subjects,omitempty"`
	Parts    []SheetPart    `json:"parts"`
}

// SheetPart is a part of a sheet.
type SheetPart struct {
	Name  string   `json:"name"`
	Tests []string `json:"tests"`
}
